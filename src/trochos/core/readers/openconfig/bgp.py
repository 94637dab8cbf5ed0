"""openconfig-bgp: BGP (RFC 4271)."""

from __future__ import annotations

from collections.abc import Callable
from typing import TypeVar

from ...network.addressing import parse_address
from ...network.bgp import BgpFamily, BgpNeighbour, BgpNeighbourFamily, BgpProcess
from ...network.facts import Unmodelled
from ...network.routing import Flag, Number, Word
from .held import Held, bare
from .model import Around, Model
from .policy import ACCEPT

_FAMILIES = {"IPV4_UNICAST": 4, "IPV6_UNICAST": 6}
_CONTAINERS = {4: "ipv4-unicast", 6: "ipv6-unicast"}
_IDLE = (
    "timers", "graceful-restart", "error-handling", "logging-options", "enable-bfd", "description",
    "route-flap-damping", "neighbor-port", "l3vpn-ipv4-unicast", "l3vpn-ipv6-unicast",
    "ipv4-labeled-unicast", "ipv6-labeled-unicast", "l3vpn-ipv4-multicast", "l3vpn-ipv6-multicast",
    "l2vpn-vpls", "l2vpn-evpn",
)  # fmt: skip
_PRIVATE = {"PRIVATE_AS_REMOVE_ALL": "all", "PRIVATE_AS_REPLACE_ALL": "all replace"}

T = TypeVar("T")


def _first(layers: list[Held], get: Callable[[Held], T | None]) -> T | None:
    """What the neighbour itself says of something, or else its group."""
    return next((value for layer in layers if (value := get(layer)) is not None), None)


def _below(layers: list[Held], container: str, get: Callable[[Held], T | None]) -> T | None:
    """The same of a container below."""
    held = [found for layer in layers if (found := layer.inner(container)) is not None]
    return _first(held, get)


def read(held: Held, around: Around) -> tuple[BgpProcess, ...]:
    """The BGP speaker of an instance."""
    return _Reader(held, around).read()


class _Reader:
    def __init__(self, held: Held, around: Around) -> None:
        self.held, self.around = held, around
        self.own = 0
        self.groups: dict[str, Held] = {}
        self.active: dict[int, Flag] = {}

    def read(self) -> tuple[BgpProcess, ...]:
        whole = self.held.inner("global")
        if whole is None:
            return ()
        number = whole.number("as")
        self.own = number.value if number is not None else 0
        whole.ignore(*_IDLE)
        families = self.families(whole)
        found = self.held.inner("peer-groups")
        self.groups = {
            name: entry
            for (name,), entry in (
                found.entries("peer-group", "peer-group-name") if found is not None else []
            )
        }
        options = whole.inner("route-selection-options")

        def on(name: str) -> bool:
            flag = options.flag(name) if options is not None else None
            return flag is not None and flag.value

        if options is not None:
            options.ignore("advertise-inactive-routes", "enable-aigp")
        several = whole.inner("use-multiple-paths")
        relax = several.inner("ebgp") if several is not None else None
        relaxed = relax.flag("allow-multiple-as") if relax is not None else None
        confederation = whole.inner("confederation")
        identifier = members = None
        if confederation is not None:
            confederation.ignore("enabled")
            identifier = confederation.number("identifier")
            members = confederation.words("member-as")
        listed = self.held.inner("neighbors")
        neighbours, clusters = [], []
        for (text,), entry in (
            listed.entries("neighbor", "neighbor-address") if listed is not None else []
        ):
            address = parse_address(text)
            if address is not None:
                neighbours.append(self.neighbour(entry, text))
                clusters += self.clusters(entry)
        for group in self.groups.values():
            for path, node in group.node.leaves():
                if node.seen == 0 and node.value not in ({}, []) and path.endswith("-name"):
                    node.seen = 1
        return (
            BgpProcess(
                self.own,
                number.source if number is not None else self.held.source(),
                router_id=whole.router_id("router-id") or self.around.identity,
                neighbours=tuple(neighbours),
                families=families,
                ipv4_default=False,
                cluster_id=clusters[0] if clusters else None,
                always_compare_med=on("always-compare-med"),
                compare_router_id=on("external-compare-router-id"),
                as_path_ignore=on("ignore-as-path-length"),
                multipath_relax=relaxed is not None and relaxed.value,
                confederation=identifier,
                members=frozenset(int(w.value) for w in members or () if w.value.isdigit()),
                members_source=members[0].source if members else None,
            ),
        )

    # -- families ---------------------------------------------------------------------------

    def families(self, whole: Held) -> dict[int, BgpFamily]:
        out: dict[int, BgpFamily] = {}
        several = self.paths(whole)
        distances = whole.inner("default-route-distance")
        distance = None
        if distances is not None:
            external = distances.number("external-route-distance")
            internal = distances.number("internal-route-distance")
            distance = (
                external.value if external else 20,
                internal.value if internal else 200,
                internal.value if internal else 200,
            )
        listed = whole.inner("afi-safis")
        for (name,), entry in (
            listed.entries("afi-safi", "afi-safi-name") if listed is not None else []
        ):
            family = _FAMILIES.get(bare(name))
            entry.ignore(*_IDLE)
            flag = entry.flag("enabled")
            if family is None:
                continue
            self.active[family] = flag or Flag(True, entry.source("afi-safi-name"))
            outer, inner = self.paths(entry)
            out[family] = self.family(family, outer or several[0], inner or several[1], distance)
            for below in _CONTAINERS.values():
                self.limit(entry.inner(below))
        for family in (4, 6):
            out.setdefault(family, self.family(family, *several, distance))
        return out

    def family(
        self,
        family: int,
        external: int | None,
        internal: int | None,
        distance: tuple[int, int, int] | None,
    ) -> BgpFamily:
        told = tuple(c.what for c in self.around.told if c.family == family)
        return BgpFamily((), (), told, external, internal, distance)

    @staticmethod
    def paths(held: Held) -> tuple[int | None, int | None]:
        """How many paths share traffic (external, internal)."""
        several = held.inner("use-multiple-paths")
        if several is None:
            return None, None
        on = several.flag("enabled")
        found = []
        for side in ("ebgp", "ibgp"):
            inner = several.inner(side)
            number = inner.number("maximum-paths") if inner is not None else None
            inner.flag("allow-multiple-as") if inner is not None else None
            found.append(number.value if number is not None else None)
        return (found[0], found[1]) if on is None or on.value else (1, 1)

    # -- neighbours -------------------------------------------------------------------------

    def layers(self, entry: Held) -> list[Held]:
        """A neighbour, and the group that it belongs to."""
        named = entry.word("peer-group")
        group = self.groups.get(named.value) if named is not None else None
        return [entry] if group is None else [entry, group]

    def clusters(self, entry: Held) -> list[Number]:
        out = []
        for layer in self.layers(entry):
            held = layer.inner("route-reflector")
            word = held.word("route-reflector-cluster-id") if held is not None else None
            if word is not None:
                address = parse_address(word.value)
                value = address.value if address is not None else int(word.value or 0)
                out.append(Number(value, word.source))
        return out

    def neighbour(self, entry: Held, text: str) -> BgpNeighbour:
        layers = self.layers(entry)
        for layer in layers:
            layer.ignore(*_IDLE, "send-community-type")

        peer = _first(layers, lambda layer: layer.number("peer-as"))
        kind = _first(layers, lambda layer: layer.identity("peer-type"))
        group = entry.word("peer-group")
        remote = Word(str(peer.value), peer.source) if peer is not None else None
        if remote is None and kind is not None:
            remote = Word(kind.value.lower(), kind.source)
        local = _first(layers, lambda layer: layer.number("local-as"))
        own = local.value if local is not None else self.own
        external = peer is None or peer.value != own
        if kind is not None and peer is None:
            external = kind.value == "EXTERNAL"
        enabled = entry.flag("enabled")
        on = _below(layers, "ebgp-multihop", lambda held: held.flag("enabled"))
        hops = _below(layers, "ebgp-multihop", lambda held: held.number("multihop-ttl"))
        if on is not None and not on.value:
            hops = None
        elif on is not None and hops is None:
            hops = Number(255, on.source)
        source = _below(layers, "transport", lambda held: held.word("local-address"))
        if source is not None:
            head, dot, tail = source.value.rpartition(".")
            if dot and tail.isdigit() and parse_address(source.value) is None:
                named = self.around.names.get((head, int(tail)), source.value)
                source = Word(named, source.source)
        passive = _below(layers, "transport", lambda held: held.flag("passive-mode"))
        for layer in layers:
            held = layer.inner("transport")
            if held is not None:
                held.ignore("tcp-mss", "mtu-discovery")
        address = parse_address(text)
        where = entry.source("neighbor-address")._replace(path=entry.path)
        return BgpNeighbour(
            where,
            address,
            remote_as=remote,
            local_as=local,
            update_source=source,
            password=_first(layers, lambda layer: layer.word("auth-password")),
            shutdown=Flag(not enabled.value, enabled.source) if enabled is not None else None,
            passive=passive,
            multihop=hops,
            families=self.spoken(layers, external),
            group=group.value if group is not None else None,
        )

    def spoken(self, layers: list[Held], external: bool) -> dict[int, BgpNeighbourFamily]:
        """The families that are exchanged with a neighbour."""
        client = _below(layers, "route-reflector", lambda held: held.flag("route-reflector-client"))
        allow = _below(layers, "as-path-options", lambda held: held.number("allow-own-as"))
        override = _below(layers, "as-path-options", lambda held: held.flag("replace-peer-as"))
        private = _first(layers, lambda layer: layer.identity("remove-private-as"))
        sends = _first(layers, lambda layer: layer.identity("send-community"))
        out: dict[int, BgpNeighbourFamily] = {}
        for family in (4, 6):
            held = [found for layer in layers if (found := self.entry(layer, family)) is not None]
            active = next((f for one in held if (f := one.flag("enabled")) is not None), None)
            if active is None and held:
                active = Flag(True, held[0].source("afi-safi-name"))
            active = active or self.active.get(family)
            if active is None:
                continue
            incoming, _ = self.policy([*held, *layers], "import", external)
            outgoing, own = self.policy([*held, *layers], "export", external)
            maximum, warns, default = None, False, None
            for one in held:
                one.ignore(*_IDLE, "send-community-type", "use-multiple-paths", "add-paths")
                inner = one.inner(_CONTAINERS[family])
                number, only = self.limit(inner)
                if maximum is None and number is not None:
                    maximum, warns = number, only
                flag = inner.flag("send-default-route") if inner is not None else None
                default = default if default is not None else flag
            out[family] = BgpNeighbourFamily(
                active=active,
                next_hop_self=own,
                reflector_client=client,
                route_map_in=incoming,
                route_map_out=outgoing,
                default_originate=Word("", default.source)
                if default is not None and default.value
                else None,
                maximum=maximum,
                maximum_warns=warns,
                allow_own_as=allow.value if allow is not None else 0,
                as_override=override is not None and override.value,
                remove_private=_PRIVATE.get(private.value) if private is not None else None,
                send_community=sends.value != "NONE" if sends is not None else None,
            )
        return out

    def entry(self, layer: Held, family: int) -> Held | None:
        listed = layer.inner("afi-safis")
        for (name,), one in (
            listed.entries("afi-safi", "afi-safi-name") if listed is not None else []
        ):
            if _FAMILIES.get(bare(name)) == family:
                return one
        return None

    @staticmethod
    def limit(held: Held | None) -> tuple[Number | None, bool]:
        """(how many prefixes are taken, whether more than that only warns)."""
        for name in ("prefix-limit", "prefix-limit-received"):
            limit = held.inner(name) if held is not None else None
            if limit is None:
                continue
            limit.ignore("shutdown-threshold-pct", "warning-threshold-pct", "restart-timer")
            number, warns = limit.number("max-prefixes"), limit.flag("prevent-teardown")
            if number is not None:
                return number, warns is not None and warns.value
        return None, False

    def policy(
        self, layers: list[Held], side: str, external: bool
    ) -> tuple[Word | None, Flag | None]:
        """(the chain of one direction, whether it makes this device the next hop).

        Without a chain and a default, what another system sends or gets is refused (RFC 8212), and
        what stays inside goes through (RFC 4271).
        """
        for layer in layers:
            held = layer.inner("apply-policy")
            if held is None:
                continue
            names = held.words(f"{side}-policy")
            default = held.identity(f"default-{side}-policy")
            if not names and default is None:
                continue
            where = (names[0] if names else default).source  # type: ignore[union-attr]
            word = default.value if default is not None else None
            if not names and word == ACCEPT and not external:
                return None, None
            chain = self.around.policies.chain(names, word or "REJECT_ROUTE", where, self.own)
            own = self.around.policies.sets_self(names) if side == "export" else False
            if own is None:
                self.around.draft.unmodelled.append(
                    Unmodelled(
                        where, "a policy that sets the next hop of some routes to itself is not "
                        "computed", told=True,
                    )
                )  # fmt: skip
            return Word(chain, where), Flag(True, where) if own else None
        return None, None


MODELS = {"BGP": Model(BgpProcess.protocol, "bgp", read)}
