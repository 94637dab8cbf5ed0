"""openconfig-network-instance: which interface is in which instance, its static routes, what its
tables tell each other, and its protocols."""

from __future__ import annotations

from ...network.addressing import parse_address, parse_prefix
from ...network.facts import StaticRoute, Unmodelled
from ...network.protocols import names as protocol_names
from ...network.routing import Process, Redistribution, Routing
from ...network.source import Source
from ..drafts import ConfigDraft, InsideDraft
from ..protocols import OPENCONFIG as MODELS
from .held import Held, bare, place
from .model import Around, Connection, unused
from .policy import ACCEPT, Policies, default_of

_OWN = {"DIRECTLY_CONNECTED": "connected", "STATIC": "static", "LOCAL_AGGREGATE": "static"}
_IDLE = (
    "fdb", "mpls", "segment-routing", "vlans", "tables", "connection-points", "encapsulation",
    "description", "enabled", "mtu", "route-distinguisher", "afts", "enabled-address-families",
    "ethernet-segments", "evpn-idle",
)  # fmt: skip


def read(
    held: Held, draft: ConfigDraft, names: dict[tuple[str, int], str], policies: Policies
) -> None:
    """All network instances into the draft."""
    for (name,), entry in held.entries("network-instance", "name"):
        _Instance(name, entry, draft, names, policies).read()


class _Instance:
    def __init__(
        self,
        name: str,
        held: Held,
        draft: ConfigDraft,
        names: dict[tuple[str, int], str],
        policies: Policies,
    ) -> None:
        self.held, self.draft, self.names, self.policies = held, draft, names, policies
        kind = held.identity("type")
        main = name == "default" or (kind is not None and kind.value == "DEFAULT_INSTANCE")
        self.name = None if main else name
        self.layer_2 = kind is not None and kind.value in ("L2VSI", "L2P2P")
        self.inside = InsideDraft()

    def read(self) -> None:
        self.held.ignore(*_IDLE)
        if self.layer_2:
            where = self.held.source("type")
            self.draft.unmodelled.append(
                Unmodelled(where, "an instance that switches is not computed", told=True)
            )
            return
        self.interfaces()
        identity = self.held.router_id("router-id")
        connections = self.connections()
        found: list[Process] = []
        statics: list[StaticRoute] = []
        unmodelled: list[Unmodelled] = []
        protocols = self.held.inner("protocols")
        for (kind, _), entry in (
            protocols.entries("protocol", "identifier", "name") if protocols is not None else []
        ):
            word = bare(kind)
            off = entry.flag("enabled")
            entry.ignore("default-metric") if word in _OWN else None
            if off is not None and not off.value:
                entry.node.ignore_rest()
                continue
            if word == "STATIC":
                self.statics(entry, statics, unmodelled)
            elif word in MODELS:
                model = MODELS[word]
                container = entry.inner(model.container)
                if container is None:
                    continue
                told = tuple(connections.get(word, ()))
                around = Around(self.names, self.policies, identity, told, self.draft)
                found += model.read(container, around)
                unmodelled += unused(container, word)
            elif word != "DIRECTLY_CONNECTED":
                where = entry.source("identifier")
                why = f"{word or 'a protocol without a name'} runs here, and what it teaches this "
                unmodelled.append(Unmodelled(where, f"{why}router is not computed", told=True))
        self.policies_between(unmodelled)
        order = protocol_names()
        found.sort(key=lambda process: order.index(process.protocol))
        if self.name is None:
            self.draft.statics += statics
            self.draft.unmodelled += unmodelled
            self.draft.routing = Routing((*self.draft.routing.processes, *found))
        else:
            self.draft.instances[self.name] = InsideDraft(
                statics, Routing(tuple(found)), unmodelled
            )

    def interfaces(self) -> None:
        listed = self.held.inner("interfaces")
        for (key,), entry in listed.entries("interface", "id") if listed is not None else []:
            entry.ignore("associated-address-families")
            name = entry.word("interface")
            below = entry.number("subinterface")
            index = below.value if below is not None else 0
            local = self.names.get((name.value, index)) if name is not None else None
            local = local or place(entry, self.names, key)
            held = self.draft.interfaces.get(local)
            if held is not None and self.name is not None:
                held.vrf, held.vrf_source = self.name, entry.source("interface")

    # -- what tables tell each other -------------------------------------------------------

    def connections(self) -> dict[str, list[Connection]]:
        """Destination -> what its protocol announces of others (`table-connections`)."""
        out: dict[str, list[Connection]] = {}
        held = self.held.inner("table-connections")
        keys = ("src-protocol", "dst-protocol", "address-family")
        for (source, target, family), entry in (
            held.entries("table-connection", *keys) if held is not None else []
        ):
            entry.ignore("disable-metric-propagation")
            word, to = bare(source), bare(target)
            protocol = _OWN.get(word) or (MODELS[word].protocol if word in MODELS else None)
            if protocol is None or to not in MODELS:
                where = entry.source()
                what = word if protocol is None else to
                self.draft.unmodelled.append(
                    Unmodelled(where, f"routes of or to {what} are not computed", told=True)
                )
                continue
            listed = entry.words("import-policy")
            default = default_of(entry, "default-import-policy")
            where = entry.source("src-protocol")
            where = where._replace(path=entry.path)
            if not listed and default != ACCEPT:
                continue  # nothing is let through
            name = self.policies.chain(listed, default, where) if listed else None
            number = 6 if bare(family) == "IPV6" else 4
            metric = entry.number("metric")
            what_ = Redistribution(protocol, where, metric.value if metric else None, None, name)
            levels = self.policies.levels(word.value for word in listed)
            out.setdefault(to, []).append(Connection(number, what_, levels))
        return out

    def policies_between(self, unmodelled: list[Unmodelled]) -> None:
        held = self.held.inner("inter-instance-policies")
        for path, node in held.node.leaves() if held is not None else ():
            if node.value not in ({}, []) and node.seen == 0 and held is not None:
                where = held.source_of(node, f"{held.path}{path}")
                unmodelled.append(
                    Unmodelled(where, "routes between instances are not computed", told=True)
                )

    # -- static routes ------------------------------------------------------------------

    def statics(self, held: Held, out: list[StaticRoute], unmodelled: list[Unmodelled]) -> None:
        listed = held.inner("static-routes")
        for (text,), entry in listed.entries("static", "prefix") if listed is not None else []:
            prefix = parse_prefix(text)
            if prefix is None:
                continue
            entry.ignore("set-tag", "description")
            shared = entry.number("preference")
            hops = entry.inner("next-hops")
            for _, hop in hops.entries("next-hop", "index") if hops is not None else []:
                hop.ignore("index", "recurse", "enable-bfd")
                word = hop.word("next-hop")
                ref = hop.inner("interface-ref")
                exit = place(hop, self.names, "") if ref is not None else None
                metric = hop.number("metric")
                own = hop.number("preference") or shared
                distance = own.value if own is not None else self.draft.profile.static_distance
                if own is None and metric is not None and metric.value:
                    # Older revisions have one number for both (openconfig-local-routing).
                    distance = metric.value
                where = hop.source("next-hop" if word is not None else None)
                where = where._replace(path=hop.path)
                route = self.static(prefix, word.value if word else None, exit, distance, where)
                if route is not None:
                    out.append(route)
                elif word is not None:
                    why = f"the next hop {bare(word.value)!r} is not computed"
                    unmodelled.append(Unmodelled(where, why, prefix.family))

    def static(  # type: ignore[no-untyped-def]
        self, prefix, word: str | None, exit: str | None, distance: int, where: Source
    ) -> StaticRoute | None:
        special = None
        gateway = parse_address(word.partition("%")[0]) if word is not None else None
        if word is not None and gateway is None:
            special = {"DROP": "discard", "BLACKHOLE": "discard", "REJECT": "reject"}.get(
                bare(word)
            )
            if special is None and bare(word) == "LOCAL_LINK" and exit is not None:
                pass
            elif special is None and any(name == word for name in self.names.values()):
                exit = word
            elif special is None:
                return None
        if gateway is not None and gateway.family != prefix.family:
            return None
        if gateway is None and exit is None and special is None:
            return None
        return StaticRoute(prefix, where, gateway, exit or None, special, distance, 1)
