"""Devices given as YANG data: edits by path."""

from __future__ import annotations

import re
from typing import Any

from ....network.addressing import Address, InterfaceAddress, Prefix
from ....network.edits import DataEdit, Edit
from ....network.facts import AddressFact, Interface, Source, StaticRoute
from ....network.policy import PrefixRule
from ....readers.located import parse_data
from ...data import plain
from ...paths import at_path
from ..base import Edits, Writer

PROTOCOL = re.compile(r"^(.*?/control-plane-protocol(?:\[[^\]]*\])+)")
NETWORK_INSTANCES = "/ietf-network-instance:network-instances/network-instance"
MOUNT = "/ietf-network-instance:vrf-root"
BOUND = "ietf-network-instance:bind-ni-name"
PROTOCOLS = "/ietf-routing:routing/control-plane-protocols/control-plane-protocol"


def _protocols(instance: str) -> str:
    if not instance:
        return PROTOCOLS
    return f"{NETWORK_INSTANCES}[name='{instance}']{MOUNT}{PROTOCOLS}"


class YangWriter(Writer):
    """Edits of YANG data (RFC 7951 paths)."""

    sources_by_interface = False

    @property
    def file(self) -> str:
        return self.device.main_file or "running.json"

    @property
    def protocols(self) -> str:
        """The list of protocols: the device's own, or that of a routing instance (RFC 8529)."""
        return _protocols(self.device.instance)

    def set(self, path: str, value: Any, source: Source | None = None) -> Edits:
        file = source.file if source is not None else self.file
        return (DataEdit(self.device.chassis, file, path, None, value),)

    def drop(self, source: Source) -> Edits | None:
        if source.path is None or source.default or source.missing:
            return None
        # A list's entry is removed as a whole when its key is what was named.
        path = re.sub(
            r"(\])/(?:name|prefix|sequence|protocol|remote-address|interface)$", r"\1", source.path
        )
        return (DataEdit(source.device, source.file, path),)

    def enable(self, interface: Interface) -> Edits | None:
        source = interface.enabled_source
        if source is None or source.path is None:
            return None
        return (DataEdit(source.device, source.file, source.path, False, True),)

    def mtu(self, interface: Interface, value: int) -> Edits | None:
        source = interface.mtu_source
        if source is None or source.path is None:
            return None
        return (DataEdit(source.device, source.file, source.path, interface.mtu, value),)

    def address(
        self, interface: Interface, old: AddressFact | None, new: InterfaceAddress
    ) -> Edits | None:
        if interface.source is None:
            return None
        base = f"{interface.source.path}/ietf-ip:ipv{new.address.family}/address"
        out: list[Edit] = []
        if old is not None:
            if old.address == new.address:
                path = f"{old.source.path}/prefix-length"
                return (
                    DataEdit(
                        old.source.device, old.source.file, path, old.value.length, new.length
                    ),
                )
            out += self.drop(old.source) or ()
        out += self.set(f"{base}[ip='{new.address}']/prefix-length", new.length)
        return tuple(out)

    # -- static routes -----------------------------------------------------------------

    def _route(self, prefix: Prefix) -> str:
        family = f"ietf-ipv{prefix.family}-unicast-routing:ipv{prefix.family}"
        return (
            f"{self.protocols}[type='ietf-routing:static'][name='static']/static-routes/"
            f"{family}/route[destination-prefix='{prefix}']"
        )

    def _hop(self, family: int, gateway: Address, distance: int, shared: int = 1) -> dict[str, Any]:
        """A next hop; its distance is said where it is not what it would have anyway."""
        hop: dict[str, Any] = {
            f"ietf-ipv{family}-unicast-routing:next-hop-address": str(gateway),
        }
        if distance != shared:
            hop["trochos-routing:preference"] = distance
        return hop

    def static(
        self, prefix: Prefix, gateway: Address, distance: int = 1, exit: str | None = None
    ) -> Edits | None:
        path = self._static(prefix)
        standing = self.entry(f"{path}/next-hop")
        shared = standing.get("trochos-routing:preference", 1)
        if not standing:
            return self.set(f"{path}/next-hop", self._hop(prefix.family, gateway, distance))
        if "special-next-hop" in standing:
            return None  # a special next hop stands alone (RFC 8349, section 5.1)
        listed = standing.get("next-hop-list", {}).get("next-hop", [])
        hop = self._hop(prefix.family, gateway, distance, shared if listed else 1)
        if listed:
            taken = {str(entry.get("index")) for entry in listed}
            index = next(str(n) for n in range(1, len(taken) + 2) if str(n) not in taken)
            return self.set(f"{path}/next-hop/next-hop-list/next-hop[index='{index}']", hop)
        both = [{"index": "1", **standing}, {"index": "2", **hop}]
        return self.set(f"{path}/next-hop", {"next-hop-list": {"next-hop": both}})

    def discard(self, prefix: Prefix, like: StaticRoute) -> Edits | None:
        path = f"{self._static(prefix)}/next-hop"
        return None if self.entry(path) else self.set(path, {"special-next-hop": "blackhole"})

    def _static(self, prefix: Prefix) -> str:
        """Where a static route stands, in the instance of the protocol that holds the others."""
        path = self._route(prefix)
        for held in self.device.statics:
            if held.source.path is not None and not held.kernel:
                stem = PROTOCOL.match(held.source.path)
                if stem is not None:
                    path = path.replace(
                        f"{self.protocols}[type='ietf-routing:static'][name='static']",
                        stem.group(1),
                    )
                break
        return path

    def drop_static(self, route: StaticRoute) -> Edits | None:
        path = route.source.path
        if path is None:
            return None
        if "/next-hop-list/" not in path:
            path = re.sub(r"/next-hop(/.*)?$", "", path)
        return (DataEdit(route.source.device, route.source.file, path),)

    def move_static(self, route: StaticRoute, gateway: Address) -> Edits | None:
        path = route.source.path
        if path is None:
            return None
        value = self._hop(route.prefix.family, gateway, route.distance)
        among = re.match(r"(.*/next-hop)/next-hop-list/next-hop\[index='([^']*)'\]", path)
        if among is not None:
            shared = self.entry(among.group(1)).get("trochos-routing:preference", 1)
            value = {
                "index": among.group(2),
                **self._hop(route.prefix.family, gateway, route.distance, shared),
            }
        elif not path.endswith("/next-hop"):
            return None
        return (DataEdit(route.source.device, route.source.file, path, None, value),)

    def entry(self, path: str) -> dict[str, Any]:
        node = at_path(parse_data(self.files[self.file]), path)
        found = plain(node) if node is not None else {}
        return found if isinstance(found, dict) else {}

    # -- routing instances (RFC 8529) ---------------------------------------------------------

    def interface_into(self, interface: Interface, instance: str) -> Edits | None:
        if interface.source is None or interface.source.path is None:
            return None
        leaf = f"{interface.source.path}/{BOUND}"
        old = interface.vrf_source
        file = interface.source.file
        if old is not None and old.path is not None and old.path != leaf:
            return None  # its families are bound one by one
        if not instance:
            return (DataEdit(self.device.chassis, file, leaf),)
        return (DataEdit(self.device.chassis, file, leaf, None, instance),)

    def static_into(self, route: StaticRoute, instance: str) -> Edits | None:
        gone = self.drop_static(route)
        if gone is None or route.gateway is None or route.interface is not None:
            return None
        family = f"ietf-ipv{route.prefix.family}-unicast-routing:ipv{route.prefix.family}"
        path = (
            f"{_protocols(instance)}[type='ietf-routing:static'][name='static']/static-routes/"
            f"{family}/route[destination-prefix='{route.prefix}']/next-hop"
        )
        if self.entry(path):
            return None  # there is one already: which of both is meant is for a person to say
        value = self._hop(route.prefix.family, route.gateway, route.distance)
        return (*gone, DataEdit(self.device.chassis, route.source.file, path, None, value))

    # -- policy -------------------------------------------------------------------------------

    def permit_instead(self, source: Source) -> Edits | None:
        if source.path is None or source.default:
            return None
        entry = re.sub(r"(\])/[^\]/]+$", r"\1", source.path)
        if self.entry(entry).get("action") != "deny":
            return None
        return (DataEdit(source.device, source.file, f"{entry}/action", "deny", "permit"),)

    def list_entry(
        self, kind: str, name: str, old: PrefixRule | None, prefix: Prefix, permit: bool
    ) -> Edits | None:
        if kind != "prefix":
            return None
        if old is not None:
            if old.source.path is None:
                return None
            path = old.source.path
            return (
                DataEdit(old.source.device, old.source.file, path, str(old.prefix), str(prefix)),
            )
        held = self.device.policy.prefix_lists.get((prefix.family, name), ())
        lowest = min((rule.sequence for rule in held), default=10)
        base = f"/ietf-routing:routing/trochos-policy:policy/prefix-list[name='{name}']"
        path = f"{base}/entry[sequence='{max(1, lowest - 1)}']"
        value = {"action": "permit" if permit else "deny", "prefix": str(prefix)}
        return self.set(path, value)
