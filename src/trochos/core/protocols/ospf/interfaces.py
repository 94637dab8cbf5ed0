"""Which interfaces take part in OSPF, and the settings in force on each."""

from __future__ import annotations

from dataclasses import dataclass, fields, replace

from ...network.addressing import Address, Prefix
from ...network.facts import AddressFact, Device, End, Interface
from ...network.ospf import OspfArea, OspfHabits, OspfInterface, OspfProcess
from ...network.routing import NetworkStatement, Number, Word
from ...network.source import Source
from ...step.filters import Filters
from ...step.links import Links
from ..identity import link_local, router_id, statement_covers

BROADCAST, POINT_TO_POINT = "broadcast", "point-to-point"
POINT_TO_MULTIPOINT, NON_BROADCAST, LOOPBACK = "point-to-multipoint", "non-broadcast", "loopback"
SHARED = (BROADCAST, NON_BROADCAST)
"""Types of networks that many routers share, with a designated router."""
_NO_AREA = OspfArea(0)
ONE_OF_MANY = 65535
"""The cost that says "not through me" (RFC 2328, B: LSInfinity of a router link)."""


@dataclass(frozen=True, slots=True)
class OspfEnd:
    """One interface of one router as OSPF sees it; `area` None if it takes no part."""

    device: str
    process: OspfProcess
    interface: Interface
    settings: OspfInterface
    router_id: Number | None
    area: Number | None
    network_type: str
    address: Address | None
    """What neighbours see: the IPv4 address, or the link-local one of version 3."""
    fact: AddressFact | None
    prefixes: tuple[tuple[Prefix, Source], ...]
    cost: int
    cost_source: Source | None
    hello: int
    dead: int
    passive: bool
    passive_source: Source | None
    up: bool
    why_deaf: str | None
    """Why no neighbour is heard; None if one can be. An interface that is up and deaf (a tunnel
    whose outer packets are lost) is announced all the same."""
    filters: Filters | None = None
    hears_own_subnet_only: bool = False

    @property
    def unnumbered(self) -> bool:
        """True for a point-to-point link without a subnet: its address is a host's."""
        held = self.fact
        return (
            self.network_type == POINT_TO_POINT and held is not None and held.value.prefix.is_host
        )

    @property
    def end(self) -> End:
        return End(self.device, self.interface.name)

    @property
    def area_facts(self) -> OspfArea:
        if self.area is None:
            return _NO_AREA
        return self.process.areas.get(self.area.value) or OspfArea(self.area.value)

    @property
    def priority(self) -> int:
        return self.settings.priority.value if self.settings.priority else 1

    @property
    def active(self) -> bool:
        """True if it is up and takes part."""
        return self.up and self.area is not None and self.router_id is not None

    @property
    def speaks(self) -> bool:
        """True if hellos are sent and heard here."""
        quiet = self.passive or self.why_deaf is not None
        return self.active and not quiet and self.network_type != LOOPBACK

    def default(self, text: str) -> Source:
        """Evidence for a value that nobody wrote: the interface's own line."""
        source = self.interface.source or self.process.source
        return source._replace(text=text, default=True)


def ends_of(device: Device, process: OspfProcess, links: Links) -> list[OspfEnd]:
    """All interfaces of a router, whether they take part or not, one per address in version 2."""
    habits = device.profile.habit(OspfHabits)
    identity = router_id(device, process.router_id, links)
    out: list[OspfEnd] = []
    for interface in device.interfaces:
        settings = process.interfaces.get(interface.name) or OspfInterface(interface.name)
        end = End(device.name, interface.name)
        passive = settings.passive or process.passive_default
        hello = settings.hello.value if settings.hello else habits.hello
        if settings.dead is not None:
            dead = settings.dead.value
        else:
            dead = habits.dead_factor * hello
        cost, cost_source = _cost(interface, settings, process, device)
        if settings.network_type is not None and not interface.loopback:
            kind = settings.network_type.value
        elif interface.loopback:
            kind = LOOPBACK
        else:
            kind = POINT_TO_POINT if interface.point_to_point else BROADCAST
        base = OspfEnd(
            device.name,
            process,
            interface,
            settings,
            identity,
            settings.area,
            kind,
            None,
            None,
            (),
            cost,
            cost_source,
            hello,
            dead,
            bool(passive and passive.value),
            passive.source if passive else None,
            links.is_up(end),
            links.why_deaf(end),
            links.filters.get(device.name),
            habits.hears_own_subnet_only,
        )
        if process.version == 3:
            prefixes = tuple(
                (fact.connected, fact.source)
                for fact in interface.addresses
                if fact.address.family == 6 and not fact.address.is_link_local
            )
            out.append(replace(base, address=link_local(interface), prefixes=prefixes))
            continue
        facts = [f for f in interface.addresses if f.address.family == 4]
        for fact in facts:
            narrow = process.by_address.get((interface.name, fact.address))
            if narrow is not None:
                own = _narrowed(settings, narrow)
                out.append(_of_address(base, own, fact, process, device))
                continue
            out.append(
                replace(
                    base,
                    area=settings.area or _by_statement(fact, process.networks, device),
                    address=fact.address,
                    fact=fact,
                    prefixes=((fact.connected, fact.source),),
                )
            )
        if not facts and settings.area is not None:
            out.append(replace(base, area=None))
    return out


def _narrowed(settings: OspfInterface, narrow: OspfInterface) -> OspfInterface:
    """The settings of an interface, with those that one of its addresses has of its own."""
    given = {
        item.name: value
        for item in fields(OspfInterface)
        if (value := getattr(narrow, item.name)) not in (None, ())
    }
    return replace(settings, **given)


def _of_address(
    base: OspfEnd, settings: OspfInterface, fact: AddressFact, process: OspfProcess, device: Device
) -> OspfEnd:
    """The end of an address that has settings of its own."""
    hello = settings.hello.value if settings.hello else base.hello
    dead = (
        settings.dead.value
        if settings.dead
        else device.profile.habit(OspfHabits).dead_factor * hello
    )
    cost, cost_source = _cost(base.interface, settings, process, device)
    passive = settings.passive
    return replace(
        base,
        settings=settings,
        area=settings.area or _by_statement(fact, process.networks, device),
        address=fact.address,
        fact=fact,
        prefixes=((fact.connected, fact.source),),
        hello=hello,
        dead=dead,
        cost=cost,
        cost_source=cost_source,
        passive=base.passive if passive is None else passive.value,
        passive_source=base.passive_source if passive is None else passive.source,
    )


def _by_statement(
    fact: AddressFact, statements: tuple[NetworkStatement, ...], device: Device
) -> Number | None:
    """The area that a `network` statement puts an address into."""
    habits = device.profile.habit(OspfHabits)
    found: NetworkStatement | None = None
    for statement in statements:
        if not statement_covers(statement, fact, habits.statement_ignores_mask):
            continue
        assert statement.prefix is not None
        longer = (
            found is None
            or found.prefix is None
            or (statement.prefix.length >= found.prefix.length)
        )
        if habits.last_statement_wins or longer:
            found = statement
    return None if found is None else Number(found.area, found.source)


def _cost(
    interface: Interface, settings: OspfInterface, process: OspfProcess, device: Device
) -> tuple[int, Source | None]:
    if settings.cost is not None:
        return settings.cost.value, settings.cost.source
    habits = device.profile.habit(OspfHabits)
    if interface.loopback:
        return 0 if process.version == 2 else 10, None
    bandwidth = interface.bandwidth or habits.default_bandwidth
    reference = process.reference_bandwidth
    total = reference.value if reference else habits.reference_bandwidth
    cost = int(total / bandwidth + 0.5)
    source = interface.bandwidth_source or (reference.source if reference else None)
    return max(1, min(cost, ONE_OF_MANY)), source


def authentication(end: OspfEnd) -> Word:
    """The authentication in force: the interface's, else the area's, else none."""
    if end.settings.authentication is not None:
        return end.settings.authentication
    area = end.area_facts.authentication
    return area or Word("none", end.default("no authentication"))
