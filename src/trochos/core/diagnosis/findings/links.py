"""Findings about links: ends that do not fit together, and interfaces that are off."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Mapping

from ...network.addressing import Address, InterfaceAddress, Prefix
from ...network.bgp import BgpProcess
from ...network.facts import AddressFact, Device, End, Interface, Network, Segment
from ..finding import BREAKS, NOTES, RISKS, Finding
from .context import Context

KINDS = {
    "mtu-differs": "The two ends of a link do not take packets of the same size.",
    "source-without-address": "BGP sessions are to talk from an interface without an address.",
    "address-missing": "An interface has no address, though its link is addressed and in use.",
    "addresses-swapped": "Two interfaces of a device have each other's address.",
    "subnets-differ": "The ends of a link have addresses that lie in different subnets.",
    "masks-differ": "The ends of a link disagree about the size of their subnet.",
    "interface-shut": "An interface is shut down that addresses or routes depend on.",
    "no-carrier": "An interface is switched on at both ends and still has no carrier.",
}


def find(context: Context) -> Iterator[Finding]:
    yield from _swapped(context)
    yield from _unset(context)
    yield from _sources_unset(context)
    for segment in context.network.segments:
        for family in (4, 6):
            yield from _subnets(context, segment, family)
        yield from _sizes(context, segment)
    for device in context.network.devices:
        for interface in device.interfaces:
            if not interface.enabled and not interface.loopback:
                yield from _shut(context, device, interface)
            elif interface.enabled and interface.carrier is False:
                yield from _carrier(context, device, interface)


def _sizes(context: Context, segment: Segment) -> Iterator[Finding]:
    """Two ends of one link that do not take packets of the same size."""
    links = context.tables.links
    if len(segment.ends) != 2 or not all(links.is_up(end) for end in segment.ends):
        return
    ends = sorted(
        ((i.mtu, end, i) for end in segment.ends if (i := links.interface(end)) and i.mtu),
        key=lambda item: item[:2],
    )
    if len(ends) != 2 or ends[0][0] == ends[1][0] or ends[0][2].tunnel is not None:
        return
    (small, here, one), (large, there, other) = ends
    yield Finding(
        "mtu-differs",
        RISKS,
        here.device,
        f"{here} takes packets of {small} bytes, and {there} at the other end sends {large}.",
        f"What is larger than {small} bytes is lost without a message on its way to "
        f"{here.device}, while small packets pass.",
        tuple(s for s in (one.mtu_source, other.mtu_source) if s is not None),
        here.interface,
        there,
        subject=(one, large),
    )


def _facts(context: Context, end: End, family: int) -> list[AddressFact]:
    interface = context.tables.links.interface(end)
    if interface is None:
        return []
    return [
        fact
        for fact in interface.addresses
        if fact.address.family == family
        and not fact.address.is_link_local
        and not fact.value.prefix.is_host
        and fact.peer is None
    ]


def _too_narrow(
    context: Context, end: End, family: int, others: Mapping[End, list[AddressFact]]
) -> list[AddressFact]:
    """The addresses of a router's port that have a host's mask, where the others on the link have
    a subnet around them: a port without a subnet of its own is meant so on both ends."""
    interface, device = context.tables.links.interface(end), context.network.device(end.device)
    if interface is None or device is None or device.is_host or interface.loopback:
        return []
    wide = [fact.connected for found in others.values() for fact in found]
    return [
        fact
        for fact in interface.addresses
        if fact.address.family == family
        and fact.value.prefix.is_host
        and fact.peer is None
        and any(prefix.contains(fact.address) for prefix in wide)
    ]


def _subnets(context: Context, segment: Segment, family: int) -> Iterator[Finding]:
    facts = {end: found for end in segment.ends if (found := _facts(context, end, family))}
    for end in segment.ends:
        if end not in facts:
            narrow = _too_narrow(context, end, family, facts)
            facts |= {end: narrow} if narrow else {}
    if len(facts) < 2:
        return
    counts = Counter(fact.connected for found in facts.values() for fact in found)
    for end, found in facts.items():
        others = {other: theirs for other, theirs in facts.items() if other != end}
        shared = any(
            fact.connected == other.connected
            for fact in found
            for theirs in others.values()
            for other in theirs
        )
        if shared:
            continue
        # Of two ends the one that fewer agree with is named; between equals, the router.
        rival = max(
            others,
            key=lambda o: max(counts[fact.connected] for fact in others[o]),
        )
        votes = max(counts[fact.connected] for fact in others[rival])
        if votes == 1 and not _named_first(context, end, rival):
            continue
        mine, theirs = found[0], others[rival][0]
        sees = any(fact.connected.contains(t.address) for fact in found for t in others[rival])
        seen = any(t.connected.contains(fact.address) for fact in found for t in others[rival])
        evidence = (mine.source, theirs.source)
        if mine.connected.overlaps(theirs.connected):
            outside = not (sees and seen)
            yield Finding(
                "masks-differ",
                BREAKS if outside else RISKS,
                end.device,
                f"{end} has {mine.value} and {rival} has {theirs.value}: the masks differ.",
                (
                    f"For {end.device if not sees else rival.device} the other one lies outside "
                    "the link's subnet, so it looks for a route instead of asking on the link."
                    if outside
                    else "The two see each other, but they disagree about who else is on the link."
                ),
                evidence,
                end.interface,
                rival,
                f"ipv{family}",
                family,
            )
        else:
            yield Finding(
                "subnets-differ",
                BREAKS,
                end.device,
                f"{end} has {mine.value} and {rival} has {theirs.value}: different subnets on one "
                "link.",
                "Neither end can reach the other directly, so every route over this link is dead.",
                evidence,
                end.interface,
                rival,
                f"ipv{family}",
                family,
            )


def _named_first(context: Context, end: End, rival: End) -> bool:
    """Which of two disagreeing ends carries the finding: router before host, then by name."""
    here, there = context.network.device(end.device), context.network.device(rival.device)
    rank = (bool(here and here.is_host), end)
    return rank < (bool(there and there.is_host), rival)


def _needed_by(context: Context, device: Device, interface: Interface) -> list[object]:
    """Static routes and hosts that depend on this interface."""
    out: list[object] = []
    own = {fact.address for fact in interface.addresses}
    for route in device.statics:
        if route.interface == interface.name or (
            route.gateway is not None
            and any(fact.connected.contains(route.gateway) for fact in interface.addresses)
        ):
            out.append(route)
    for other in context.network.devices:
        if other.name != device.name:
            out += [route for route in other.statics if route.gateway in own]
    return out


def _shut(context: Context, device: Device, interface: Interface) -> Iterator[Finding]:
    end = End(device.name, interface.name)
    needed = _needed_by(context, device, interface)
    segment = context.tables.links.segment_of.get(end)
    company = [other for other in segment.ends if other != end] if segment else []
    source = interface.enabled_source or interface.source
    evidence = tuple(s for s in (source, *(f.source for f in interface.addresses)) if s)
    far = context.tables.links.far_end(end)
    if needed and (interface.addresses or company):
        lines = [getattr(item, "source") for item in needed]  # noqa: B009
        what = f"{len(needed)} route{'s need' if len(needed) != 1 else ' needs'} it"
        yield Finding(
            "interface-shut",
            BREAKS,
            device.name,
            f"{end} is shut down, and {what}.",
            "Nothing passes an interface that is shut down, and every route over it is gone.",
            (*evidence, *lines[:6]),
            interface.name,
            far,
        )
    elif company and any(not f.address.is_link_local for f in interface.addresses):
        yield Finding(
            "interface-shut",
            BREAKS,
            device.name,
            f"{end} is shut down, and {', '.join(sorted({str(o) for o in company})[:3])} "
            f"{'is' if len(company) == 1 else 'are'} on its link.",
            "Its subnet is not connected any more, so nobody reaches what is on that link.",
            evidence,
            interface.name,
            far,
        )
    else:
        yield Finding(
            "interface-shut",
            NOTES,
            device.name,
            f"{end} is shut down.",
            "Nothing in the survey depends on it.",
            evidence,
            interface.name,
            far,
        )


def _carrier(context: Context, device: Device, interface: Interface) -> Iterator[Finding]:
    end = End(device.name, interface.name)
    far = context.tables.links.far_end(end)
    other = context.tables.links.interface(far) if far else None
    if interface.captured_enabled is False or (other is not None and not other.enabled):
        return
    if other is not None and other.captured_enabled is False:
        return
    if interface.loopback or not interface.addresses or interface.source is None:
        return
    if far is not None and other is not None and other.carrier is False and far < end:
        return
    used = any(not fact.address.is_link_local for fact in interface.addresses)
    segment = context.tables.links.segment_of.get(end)
    yield Finding(
        "no-carrier",
        BREAKS if used and segment else NOTES,
        device.name,
        f"{end} is switched on and has no carrier.",
        "The cable, the port at the other end, or the device there is not working.",
        (interface.source,),
        interface.name,
        far,
    )


def _swapped(context: Context) -> Iterator[Finding]:
    """Addresses of two interfaces of one device that would fit if they were exchanged."""
    links = context.tables.links

    def fits(end: End, fact: AddressFact) -> bool | None:
        """Whether an address shares its subnet with anybody on a link; None if nobody is there."""
        segment = links.segment_of.get(end)
        others = [other for other in segment.ends if other != end] if segment else []
        facts = [f for other in others for f in _facts(context, other, fact.address.family)]
        if not facts:
            return None
        return any(
            f.connected.contains(fact.address) and fact.connected.contains(f.address) for f in facts
        )

    for device in context.network.devices:
        for family in (4, 6):
            held = [
                (interface, End(device.name, interface.name), found[0])
                for interface in device.interfaces
                if (found := _facts(context, End(device.name, interface.name), family))
            ]
            for position, (here, end, mine) in enumerate(held):
                for there, other, theirs in held[position + 1 :]:
                    as_is = fits(end, mine), fits(other, theirs)
                    exchanged = fits(end, theirs), fits(other, mine)
                    if as_is == (False, False) and exchanged == (True, True):
                        yield Finding(
                            "addresses-swapped",
                            BREAKS,
                            device.name,
                            f"{device.name} has {mine.value} on {here.name} and {theirs.value} on "
                            f"{there.name}: exchanged, both would fit their links.",
                            "Neither fits the ends it is linked with now.",
                            (mine.source, theirs.source),
                            here.name,
                            key=f"{there.name}-ipv{family}",
                            subject=(here, there, family),
                        )


def _unset(context: Context) -> Iterator[Finding]:
    """Interfaces without an address on links where others name or need one."""
    links = context.tables.links
    for family in (4, 6):
        named = named_addresses(context.network, family)
        for segment in context.network.segments:
            held = {end: found for end in segment.ends if (found := _facts(context, end, family))}
            bare = [end for end in segment.ends if end not in held]
            if not held:
                continue
            facts = [fact for found in held.values() for fact in found]
            prefix = Counter(fact.connected for fact in facts).most_common(1)[0][0]
            near = context.forwarding.near
            first = next(iter(held)).device
            wanted = [
                a
                for a in named
                if prefix.contains(a)
                # Where instances have addresses of their own, only who is joined with it counts.
                and not any(
                    not near.has_instances or near.meet(first, owner.end.device)
                    for owner in near.owners.get(a, ())
                )
            ]
            for end in bare:
                interface = links.interface(end)
                device = context.network.device(end.device)
                if interface is None or device is None or not interface.enabled:
                    continue
                routed = len(segment.ends) == 2 and segment.lan is None
                routed = routed and not any(
                    (d := context.network.device(e.device)) is None or d.is_host
                    for e in segment.ends
                )
                empty = not any(not f.address.is_link_local for f in interface.addresses)
                others = any(
                    f.address.family == family
                    for i in device.interfaces
                    for f in i.addresses
                    if not f.address.is_link_local and not f.address.is_loopback
                )
                settings = [p for p in device.routing.processes if p.serves(family)]
                meant = empty or any(p.spoken_on(interface.name) for p in settings)
                meant = meant or interface.name in _named_interfaces(device, family)
                # On a LAN, too, where others of it speak what the router is told to speak there.
                spoken = {p.protocol for p in settings if p.spoken_on(interface.name)}
                routed = routed or any(
                    p.protocol in spoken and p.spoken_on(other.interface)
                    for other in held
                    if (d := context.network.device(other.device)) is not None and not d.is_host
                    for p in d.routing.processes
                    if p.serves(family)
                )
                # A statement about this very subnet says that the router was to be in it.
                stated = empty and prefix in _stated(device)
                wants = bool(wanted) or stated or (routed and meant)
                if device.is_host or not (wants and others):
                    continue
                yield Finding(
                    "address-missing",
                    BREAKS,
                    end.device,
                    f"{end} has no IPv{family} address, and its link is {prefix}"
                    + (f", where others expect {wanted[0]}." if wanted else "."),
                    "Without an address in the subnet it neither routes to that link nor answers.",
                    tuple(s for s in (interface.source, facts[0].source) if s is not None),
                    end.interface,
                    next(iter(held)),
                    f"ipv{family}",
                    (interface, prefix, tuple(wanted), facts[0]),
                )


def _named_interfaces(device: Device, family: int) -> set[str]:
    """The interfaces that network statements of a device call by name."""
    processes = [p for p in device.routing.processes if p.serves(family)]
    return {s.interface for p in processes for s in p.statements if s.interface is not None}


def _stated(device: Device) -> set[Prefix]:
    """The prefixes that network statements of a device name."""
    statements = [s for process in device.routing.processes for s in process.statements]
    return {s.prefix for s in statements if s.prefix is not None}


def _sources_unset(context: Context) -> Iterator[Finding]:
    """Interfaces that BGP sessions are to talk from, and that have no address."""
    owners = context.forwarding.near.owners
    for device in context.network.devices:
        process = device.routing.one(BgpProcess)
        for neighbour in process.neighbours if process is not None else ():
            word = neighbour.update_source
            interface = device.interface(word.value) if word is not None else None
            if word is None or interface is None or neighbour.address is None:
                continue
            family = neighbour.address.family
            if any(f.address.family == family for f in interface.addresses):
                continue
            named = [a for a in named_addresses(context.network, family) if not owners.get(a)]
            own = process.router_id.value if process is not None and process.router_id else None
            named.sort(key=lambda a: a.value != own)
            if not named:
                continue
            source = interface.source or word.source
            like = AddressFact(InterfaceAddress(named[0], 32 if family == 4 else 128), source)
            yield Finding(
                "source-without-address",
                BREAKS,
                device.name,
                f"{device.name} is to talk to its BGP neighbours from {interface.name}, which has "
                f"no IPv{family} address; others expect {named[0]}.",
                "Without an address to talk from, no session comes up.",
                (word.source, source),
                interface.name,
                key=f"ipv{family}",
                subject=(interface, like.value.prefix, tuple(named[:1]), like),
            )
            break


def named_addresses(network: Network, family: int) -> list[Address]:
    """Addresses that routes and BGP neighbours name, most often named first."""
    count: Counter[Address] = Counter()
    for device in network.devices:
        for route in device.statics:
            if route.gateway is not None and route.gateway.family == family:
                count[route.gateway] += 1
        for process in device.routing.processes:
            count.update(a for a in process.named_neighbours() if a.family == family)
    return [address for address, _ in count.most_common()]
