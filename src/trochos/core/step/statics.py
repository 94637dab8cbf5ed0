"""Static routes: which configured next hops are usable, given the table so far.

The rules are those of the route manager of the open-source routers that Trochos is
held against: a gateway is looked up in the table; a connected route gives the exit, any
other route but the default lends its own next hops; a route never resolves through
itself. What is configured and not usable keeps its reason.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from ..network.addressing import BITS, Address, Prefix
from ..network.facts import Device, End, StaticRoute
from .links import Links
from .nexthops import UNRESOLVED, route_to
from .routes import NextHop, Route
from .rows import Winners

UNUSABLE_DISTANCE = 255
DOWN = "interface-down"


@dataclass(frozen=True, slots=True)
class Resolution:
    """Either next hops (and the gateway they stand for), or a problem with its sentence."""

    hops: tuple[NextHop, ...] = ()
    via: Address | None = None
    problem: str | None = None
    why: str | None = None
    exit: str | None = None
    """The interface whose state is the problem."""


class StaticResolver:
    """Resolves the static routes of one device and family against a changing table."""

    def __init__(self, device: Device, family: int, links: Links) -> None:
        self.device, self.family, self.links = device, family, links
        self.own = {
            fact.address: interface.name
            for interface in device.interfaces
            for fact in interface.addresses
            if fact.address.family == family
            and links.usable_for_routes(End(device.name, interface.name))
        }
        self.interfaces = {i.name: i for i in device.interfaces}
        for name in device.lent:
            interface = links.interface(End(device.name, name))
            if interface is not None:
                self.interfaces.setdefault(name, interface)
        self.broadcast = {
            Address(4, fact.connected.last): fact.connected
            for interface in device.interfaces
            for fact in interface.addresses
            if fact.address.family == 4 and family == 4 and fact.connected.length < 31
        }
        self.connected: dict[Prefix, list[str]] = {}
        self.down: list[tuple[Prefix, str]] = []
        groups: dict[tuple[Prefix, int, int], list[StaticRoute]] = {}
        for route in device.statics:
            if route.prefix.family == family:
                key = (route.prefix, route.distance, route.entry if route.kernel else 0)
                groups.setdefault(key, []).append(route)
        self.groups = groups
        self._found: dict[tuple[object, ...], Resolution] = {}
        self._asked: dict[tuple[object, ...], StaticRoute] = {}
        self._own_cover: list[tuple[StaticRoute, Resolution]] = []

    def learn_connected(self, routes: Iterable[Route]) -> None:
        """Takes note of every connected subnet, up and down."""
        for route in routes:
            if route.protocol != "connected":
                continue
            for hop in route.next_hops:
                self.connected.setdefault(route.prefix, []).append(hop.interface or "")
            for hop in route.wanted:
                self.down.append((route.prefix, hop.interface or ""))

    def candidates(self, best: Winners) -> list[Route]:
        """All static candidates if `best` is the table: usable ones and the others."""
        lengths = best.lengths
        self._found.clear()
        self._asked.clear()
        self._own_cover.clear()
        out = []
        for (prefix, distance, _), members in self.groups.items():
            hops: list[NextHop] = []
            via: list[Address] = []
            because = []
            with_exit = {s.gateway for s in members if s.gateway and s.interface}
            for static in sorted(members, key=_path_order):
                found = self.resolve(static, best, lengths)
                if (
                    self.device.profile.exit_hides_plain_gateway
                    and static.interface is None
                    and static.gateway in with_exit
                ):
                    found = Resolution(
                        problem=UNRESOLVED,
                        why=f"another line names the same gateway {static.gateway} with an "
                        "interface, and this router then obeys that line alone.",
                    )
                if found.problem is not None:
                    wanted = NextHop(
                        "forward" if static.special is None else static.special,
                        static.gateway,
                        static.interface or found.exit,
                        static.weight,
                    )
                    out.append(
                        Route(
                            prefix,
                            "static",
                            distance,
                            0,
                            (),
                            (static.source,),
                            problem=found.problem,
                            why=found.why,
                            wanted=(wanted,),
                        )
                    )
                    continue
                ways = found.hops
                if static.preferred_source is not None:
                    ways = tuple(hop._replace(source=static.preferred_source) for hop in ways)
                hops += [hop for hop in dict.fromkeys(ways) if hop not in hops]
                if found.via is not None and found.via not in via:
                    via.append(found.via)
                because.append(static.source)
            because.sort(key=lambda source: (source.file, source.line or 0))
            mixed = len({hop.action == "forward" for hop in hops}) == 2
            if mixed and hops[0].action == "forward":
                out.append(
                    Route(
                        prefix,
                        "static",
                        distance,
                        0,
                        (),
                        tuple(because),
                        problem=UNRESOLVED,
                        why="one of its ways forwards and another discards, and no kernel "
                        "takes such a route.",
                        wanted=tuple(hops),
                    )
                )
            elif hops:
                if not mixed:
                    hops.sort(key=_hop_order)
                out.append(
                    Route(prefix, "static", distance, 0, tuple(hops), tuple(because), tuple(via))
                )
        return out

    def resolve(self, static: StaticRoute, best: Winners, lengths: list[int]) -> Resolution:
        """The next hops of one configured path, or why it has none."""
        if static.special is not None:
            return Resolution((NextHop(static.special, weight=static.weight),))
        if static.interface is not None and static.interface not in self.interfaces:
            return Resolution(
                problem=UNRESOLVED,
                why=f"{self.device.name} has no interface {static.interface}.",
            )
        gateway = static.gateway
        if static.interface is not None:
            down = self._down(static)
            if down is not None:
                return down
        if gateway is None:
            return Resolution((NextHop("forward", None, static.interface, static.weight),))
        direct = NextHop("forward", gateway, static.interface, static.weight)
        if gateway in self.own:
            return Resolution(
                problem=UNRESOLVED,
                why=f"the gateway {gateway} is {self.device.name}'s own address on "
                f"{self.own[gateway]}.",
            )
        broadcast = self.broadcast.get(gateway)
        if broadcast is not None and not static.kernel:
            return Resolution(
                problem=UNRESOLVED,
                why=f"the gateway {gateway} is the broadcast address of {broadcast}, which no "
                "system takes as a next hop.",
            )
        if gateway.family == 6 and gateway.is_link_local:
            if static.interface is None:
                return Resolution(
                    problem=UNRESOLVED,
                    why=f"the gateway {gateway} is link-local, and no interface is named.",
                )
            return Resolution((direct,))
        if static.onlink and static.interface is not None:
            return Resolution((direct,))
        if static.prefix.length == BITS[self.family] and static.prefix.network == gateway.value:
            return Resolution(
                problem=UNRESOLVED, why=f"the route to {gateway} names {gateway} as its gateway."
            )
        if static.prefix.contains(gateway):
            answer = self._look_up(static, gateway, best, lengths)
            self._own_cover.append((static, answer))
            return answer
        # Many routes share few gateways, and the answer does not depend on the prefix then.
        key = (gateway, static.interface, static.weight, static.kernel)
        found = self._found.get(key)
        if found is None:
            found = self._found[key] = self._look_up(static, gateway, best, lengths)
            self._asked[key] = static
        return found

    def holds(self, best: Winners) -> bool:
        """True if every gateway that was looked up has the same answer in this table."""
        lengths = best.lengths
        asked = [(static, self._found[key]) for key, static in self._asked.items()]
        return all(
            static.gateway is not None
            and self._look_up(static, static.gateway, best, lengths) == answer
            for static, answer in (*asked, *self._own_cover)
        )

    def _down(self, static: StaticRoute) -> Resolution | None:
        end = End(self.device.name, static.interface or "")
        interface = self.interfaces[static.interface or ""]
        # A Linux host keeps its routes while only the line is down; packets die there.
        stands = interface.enabled if static.kernel else self.links.usable_for_routes(end)
        if stands:
            return None
        return Resolution(
            problem=DOWN, why=f"its exit {interface.name} is down: {self.links.why_down(end)}."
        )

    def _look_up(
        self, static: StaticRoute, gateway: Address, best: Winners, lengths: list[int]
    ) -> Resolution:
        # A route that covers its own gateway hides every shorter way to that gateway.
        own = static.prefix.length if static.prefix.contains(gateway) else -1
        found = route_to(self.device, gateway, own, best, lengths)
        if found is not None:
            return self._through(static, gateway, *found)
        if own > 0 and not any(
            prefix.contains(gateway) and prefix.length > own for prefix, _ in self.down
        ):
            why = f"the gateway {gateway} could only be reached through this very route."
            if static.prefix in self.connected:
                why = f"{static.prefix} is connected, so this route is never used."
            return Resolution(problem=UNRESOLVED, why=why)
        return self._nowhere(gateway, best)

    def _through(
        self, static: StaticRoute, gateway: Address, key: Prefix, route: Route
    ) -> Resolution:
        if route.protocol == "connected":
            exits = self.connected.get(key, [])
            if static.interface is not None and static.interface not in exits:
                return Resolution(
                    problem=UNRESOLVED,
                    why=f"the gateway {gateway} is on {', '.join(exits)}, not on "
                    f"{static.interface} that the route names.",
                )
            interface = static.interface or route.next_hops[0].interface
            return Resolution((NextHop("forward", gateway, interface, static.weight),))
        hops = []
        for hop in route.next_hops:
            if static.interface is not None and hop.interface != static.interface:
                continue
            if static.kernel and hop.address is not None:
                continue
            if hop.action != "forward":
                hops.append(hop)
            else:
                hops.append(NextHop("forward", hop.address or gateway, hop.interface, hop.weight))
        if hops:
            return Resolution(tuple(hops), None if static.kernel else gateway)
        if static.kernel:
            return Resolution(
                problem=UNRESOLVED,
                why=f"the gateway {gateway} is on no subnet of {static.interface}.",
            )
        return Resolution(
            problem=UNRESOLVED,
            why=f"the gateway {gateway} is reached through {key}, which does not leave by "
            f"{static.interface}.",
        )

    def _nowhere(self, gateway: Address, best: Winners) -> Resolution:
        for prefix, interface in self.down:
            if prefix.contains(gateway):
                end = End(self.device.name, interface)
                return Resolution(
                    problem=DOWN,
                    why=f"the gateway {gateway} is on {interface}, which is down: "
                    f"{self.links.why_down(end)}.",
                    exit=interface,
                )
        default = best.get(Prefix(self.family, 0, 0))
        tail = " (the default route does not count)" if default is not None else ""
        return Resolution(
            problem=UNRESOLVED,
            why=f"the gateway {gateway} is on no connected network, and no route leads to it"
            f"{tail}.",
        )


def _path_order(static: StaticRoute) -> tuple[int, int]:
    """The order in which the route manager lists configured paths: by kind, then address.

    It matters only where a way that discards meets one that forwards: the first decides.
    """
    if static.gateway is None:
        return (0 if static.interface is not None else 3, 0)
    return (1 if static.interface is None else 2, static.gateway.value)


def _hop_order(hop: NextHop) -> tuple[int, int, str]:
    if hop.address is not None:
        return (0, hop.address.value, hop.interface or "")
    return (1, 0, hop.interface or "")
