"""openconfig-interfaces with its augmentations: links, addresses, VLANs and tunnels.

An interface's own network layer is its subinterface 0; any other is `NAME.INDEX` here. Ports that
carry VLANs belong to one bridge, which the models do not name: it is called `vlans` here, and the
interfaces that route for a VLAN stand on it.
"""

from __future__ import annotations

from ...network.addressing import InterfaceAddress, parse_address
from ...network.facts import AddressFact, Carried, Source, Tunnel
from ..drafts import ConfigDraft, InterfaceDraft
from .held import Held, bare

BRIDGE = "vlans"
_IDLE = (
    "hold-time", "hardware-port", "rates", "aggregation-idle", "phys-address", "loopback-mode",
    "penalty-based-aied", "forwarding-viable", "sonet",
)  # fmt: skip
_IDLE_IP = (
    "proxy-arp", "neighbors", "router-advertisement", "dup-addr-detect-transmits", "urpf-idle",
    "learn-unsolicited",
)  # fmt: skip


def read(root: Held, draft: ConfigDraft) -> dict[tuple[str, int], str]:
    """All interfaces into the draft; (interface, subinterface) -> the name it has here."""
    names: dict[tuple[str, int], str] = {}
    held = root.inner("interfaces")
    reader = _Interfaces(draft, names)
    for (name,), entry in held.entries("interface", "name") if held is not None else []:
        if name:
            reader.interface(name, entry)
    reader.bridge()
    vlans = root.inner("vlans")
    if vlans is not None:
        vlans.node.ignore_rest()
    return names


class _Interfaces:
    def __init__(self, draft: ConfigDraft, names: dict[tuple[str, int], str]) -> None:
        self.draft, self.names = draft, names
        self.switched: list[InterfaceDraft] = []
        self.routed: list[tuple[InterfaceDraft, int, Source]] = []

    def interface(self, name: str, entry: Held) -> None:
        self.names[name, 0] = name
        made = self.made(name, entry)
        kind = entry.identity("type")
        word = kind.value if kind is not None else ""
        made.loopback = word == "softwareLoopback"
        described = entry.word("description")
        made.description = described.value if described is not None else None
        self.enabled(made, entry)
        self.shown(made, entry)
        mtu = entry.number("mtu")
        if mtu is not None:
            made.mtu, made.mtu_source = mtu.value, mtu.source
        entry.ignore(*_IDLE)
        ethernet = entry.inner("ethernet")
        if ethernet is not None:
            address = ethernet.word("mac-address")
            made.mac = address.value if address is not None else made.mac
            ethernet.ignore(
                "auto-negotiate", "duplex-mode", "port-speed", "enable-flow-control", "poe",
                "standalone-link-training", "fec-mode",
            )  # fmt: skip
        for holder in (ethernet, entry.inner("aggregation")):
            switched = holder.inner("switched-vlan") if holder is not None else None
            if switched is not None:
                self.port(made, switched)
        tunnel = entry.inner("tunnel")
        if tunnel is not None:
            self.tunnel(made, tunnel, word)
        routed = entry.inner("routed-vlan")
        if routed is not None:
            number = routed.number("vlan")
            if number is not None:
                self.routed.append((made, number.value, number.source))
            self.layers(made, routed)
        listed = entry.inner("subinterfaces")
        for (index,), below in listed.entries("subinterface", "index") if listed else []:
            if not index.isdigit():
                continue
            self.subinterface(name, int(index), made, below)

    def made(self, name: str, entry: Held) -> InterfaceDraft:
        made = InterfaceDraft(name, entry.source("name"), order=len(self.draft.interfaces))
        if made.source is not None and made.source.path != entry.path:
            made.source = made.source._replace(path=entry.path)
        self.draft.interfaces[name] = made
        made.forwarding = [True, True]
        return made

    @staticmethod
    def enabled(made: InterfaceDraft, entry: Held) -> None:
        flag = entry.flag("enabled")
        made.enabled = flag is None or flag.value
        if flag is not None:
            made.enabled_source = flag.source
        else:
            where = entry.config.path if entry.config is not None else f"{entry.path}/config"
            made.enabled_source = entry.source()._replace(
                text='"enabled": true', default=True, path=f"{where}/enabled"
            )

    @staticmethod
    def shown(made: InterfaceDraft, entry: Held) -> None:
        """What only the state says: whether the line is up, addresses of the hardware."""
        held = entry.inner("state")
        if held is None:
            return
        status = held.identity("oper-status")
        if (
            status is not None
            and made.enabled
            and status.value in ("UP", "DOWN", "LOWER_LAYER_DOWN")
        ):
            made.carrier = status.value == "UP"
        mtu = held.number("mtu")
        if mtu is not None and made.mtu is None:
            made.mtu, made.mtu_source = mtu.value, mtu.source

    def subinterface(self, name: str, index: int, parent: InterfaceDraft, entry: Held) -> None:
        entry.ignore("description", "name")
        if index == 0:
            made = parent
            flag = entry.flag("enabled")
            if flag is not None and not flag.value and parent.enabled:
                made.enabled, made.enabled_source = False, flag.source
        else:
            made = self.made(f"{name}.{index}", entry)
            self.enabled(made, entry)
            self.names[name, index] = made.name
            made.parent, made.loopback = name, parent.loopback
            if made.loopback:
                made.parent = None
        self.tag(made, entry)
        self.layers(made, entry)

    def tag(self, made: InterfaceDraft, entry: Held) -> None:
        vlan = entry.inner("vlan")
        number = vlan.number("vlan-id") if vlan is not None else None
        if number is None and vlan is not None:
            single = vlan.inner("match", "single-tagged")
            number = single.number("vlan-id") if single is not None else None
        if number is not None:
            made.tag, made.tag_source = number.value, number.source

    def layers(self, made: InterfaceDraft, entry: Held) -> None:
        for family, name in ((4, "ipv4"), (6, "ipv6")):
            held = entry.inner(name)
            if held is not None:
                self.layer(made, held, family)

    def layer(self, made: InterfaceDraft, held: Held, family: int) -> None:
        held.ignore(*_IDLE_IP)
        number = held.number("mtu")
        if number is not None:
            smaller = made.mtu is None or number.value < made.mtu
            if smaller:
                made.mtu, made.mtu_source = number.value, number.source
        off = held.flag("enabled")
        if off is not None and not off.value:
            held.node.ignore_rest()
            return
        listed = held.inner("addresses")
        for (text,), entry in listed.entries("address", "ip") if listed is not None else []:
            address, length = parse_address(text.partition("%")[0]), entry.number("prefix-length")
            entry.ignore("type")
            if address is None or address.family != family or length is None:
                continue
            if 0 <= length.value <= (32 if family == 4 else 128):
                fact = InterfaceAddress(address, length.value)
                where = entry.source("ip")._replace(path=entry.path)
                made.addresses.append(AddressFact(fact, where))

    # -- VLANs -------------------------------------------------------------------------

    def port(self, made: InterfaceDraft, held: Held) -> None:
        """A port of the bridge (openconfig-vlan): one VLAN without tags, or several with."""
        mode = held.identity("interface-mode")
        made.master = BRIDGE
        out: list[Carried] = []
        if mode is not None and mode.value == "TRUNK":
            native = held.number("native-vlan")
            if native is not None:
                out.append(Carried(native.value, True, True, native.source))
            for word in held.words("trunk-vlans"):
                out += [
                    Carried(vlan, False, False, word.source)
                    for vlan in _range(word.value)
                    if native is None or vlan != native.value
                ]
            held.ignore("access-vlan")
        else:
            own = held.number("access-vlan")
            if own is not None:
                out.append(Carried(own.value, True, True, own.source))
            held.ignore("native-vlan", "trunk-vlans")
        made.carried = out
        self.switched.append(made)

    def bridge(self) -> None:
        if not self.switched:
            return
        first = self.switched[0]
        bridge = InterfaceDraft(BRIDGE, first.source, order=len(self.draft.interfaces))
        bridge.bridge = bridge.filtering = True
        bridge.enabled, bridge.forwarding = True, [True, True]
        for made, vlan, where in self.routed:
            made.parent, made.tag, made.tag_source = BRIDGE, vlan, where
            bridge.carried.append(Carried(vlan, False, False, where))
        self.draft.interfaces[BRIDGE] = bridge

    # -- tunnels -----------------------------------------------------------------------

    def tunnel(self, made: InterfaceDraft, held: Held, kind: str) -> None:
        local, remote = held.word("src"), held.word("dst")
        ttl, key = held.number("ttl"), held.word("gre-key")
        ends = [parse_address(word.value) if word is not None else None for word in (local, remote)]
        self.layers(made, held)
        if ends[0] is not None and ends[1] is not None:
            where = held.config.source() if held.config is not None else held.source()
            made.tunnel = Tunnel(
                "ipip" if "IPIP" in kind.upper() or "IP_IN_IP" in kind.upper() else "gre",
                ends[0],
                ends[1],
                where,
                ttl.value if ttl is not None and ttl.value else None,
                key.value if key is not None else None,
            )


def _range(text: str) -> list[int]:
    """The VLANs of `10` or `10..20`."""
    low, dots, high = bare(text).partition("..")
    if not low.isdigit() or (dots and not high.isdigit()):
        return []
    last = int(high) if dots else int(low)
    return list(range(int(low), min(last, 4094) + 1))
