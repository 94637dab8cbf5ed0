"""The gates of OSPF: what makes one end fit the other."""

from __future__ import annotations

from typing import Any

from ....change.writers.base import Edits, Writer
from ....change.writers.ospf import OspfPart
from ....network.addressing import dotted
from ....network.ospf import OspfArea
from ....protocols.gates import Judged
from ....protocols.ospf.interfaces import OspfEnd
from ....protocols.ospf.neighbours import authentication
from ....protocols.ospf.virtual import VirtualEnd
from ..addresses import move_address
from ..bench import Bench
from .mends import Made, covered, own_router_id, speaks_again


def mend_ospf(
    bench: Bench,
    gate: Judged,
    me: OspfEnd | VirtualEnd,
    other: OspfEnd | VirtualEnd,
    mine: str | None,
    theirs: str | None,
) -> Made | None:
    """One gate of an OSPF relation."""
    if isinstance(me, VirtualEnd) or isinstance(other, VirtualEnd):
        assert isinstance(me, VirtualEnd) and isinstance(other, VirtualEnd)
        return _mend_virtual(bench, gate, me, other)
    writer = bench.writer(me.device)
    family, name = me.process.family, me.interface.name

    def setting(what: str, value: str | None, words: str) -> Made | None:
        edits = writer.of("ospf").interface_setting(family, name, what, value)
        return None if edits is None else (words, edits)

    if gate.gate == "enabled":
        if me.area is not None and me.router_id is not None:
            return "", ()
        if other.area is None:
            return None
        return covered(bench, "ospf", me.device, family, me.interface, me.fact, other.area.value)
    if gate.gate == "not passive":
        excepted = any(
            s.passive is not None and not s.passive.value for s in me.process.interfaces.values()
        )
        return speaks_again(
            writer, "ospf", family, me.interface, me.passive, me.passive_source, excepted
        )
    if gate.gate in ("area", "area type") and (me.area is None or other.area is None):
        return "", ()  # where it does not run at all, running it in the right area is the mend
    if gate.gate == "area" and me.area is not None and other.area is not None:
        shown = dotted(other.area.value)
        if me.settings.area is not None:
            return setting("area", str(other.area.value), f"put {name} into area {shown}")
        return _other_area(bench, me, other.area.value)
    if gate.gate in ("subnet", "mask"):
        return move_address(bench, me.device, me.interface, me.fact, other.fact)
    if gate.gate in ("authentication type", "authentication key"):
        return _adopt_ospf_keys(writer, me, other)
    if gate.gate in ("hello interval", "dead interval"):
        what = gate.gate.split()[0]
        given, own = getattr(other.settings, what), getattr(me.settings, what)
        words = f"set the {gate.gate} of {name} to {theirs}"
        follows = what == "dead" and other.hello != me.hello
        if given is None and own is None and follows:
            return "", ()  # it follows from the hello interval, which has a gate of its own
        alike = what == "hello" or (other.settings.hello is None) == (me.settings.hello is None)
        if given is None and own is not None and alike:
            # The other end lives by the default, so the line here is what differs.
            edits = writer.drop(own.source)
            return None if edits is None else (words, edits)
        made = setting(what, str(getattr(other, what)), words)
        if made is not None and what == "dead" and me.hello == other.hello:
            beside = writer.speaks(OspfPart).beside_dead(family, name)
            made = (words, (*beside, *made[1]))
        return made
    if gate.gate == "area type" and other.area is not None:
        there = other.area_facts
        here = me.process.areas.get(there.id)
        if me.area != other.area and here is not None and here.kind == there.kind:
            return "", ()  # in the right area, which it knows, the type is right too
        edits = writer.speaks(OspfPart).area_kind(family, there.id, there.kind, there.summaries)
        words = f"make area {dotted(there.id)} {there.kind} as {other.device} has it"
        idle = idle_area(me)
        if edits is not None and idle is not None and idle.kind_source and idle.kind == there.kind:
            edits = (*(writer.drop(idle.kind_source) or ()), *edits)
            words += f", not area {dotted(idle.id)}, in which it has nothing"
        return None if edits is None else (words, edits)
    if gate.gate == "router ids differ":
        return own_router_id(bench, "ospf", family, bench.devices[me.device])
    if gate.gate == "MTU" and other.interface.mtu:
        edits = writer.mtu(me.interface, other.interface.mtu)
        return None if edits is None else (f"set the MTU of {name} to {other.interface.mtu}", edits)
    if gate.gate == "network type":
        own_type = me.settings.network_type
        if other.settings.network_type is None and own_type is not None:
            edits = writer.drop(own_type.source)
            words = f"make {name} {other.network_type} as {other.device} has it"
            return None if edits is None else (words, edits)
        return setting(
            "network type",
            other.network_type,
            f"make {name} {other.network_type} as {other.device} has it",
        )
    if gate.gate == "instance":
        given = other.settings.instance
        if given is None:
            edits = writer.drop(me.settings.instance.source) if me.settings.instance else None
            return None if edits is None else (f"take the instance id off {name}", edits)
        return setting("instance", str(given.value), f"set the instance of {name} to {given.value}")
    if gate.gate == "designated router" and me.settings.priority is not None:
        edits = writer.drop(me.settings.priority.source)
        words = f"let {name} become the designated router"
        return None if edits is None else (words, edits)
    if gate.gate == "neighbour listed" and other.address is not None:
        edits = writer.speaks(OspfPart).list_neighbour(name, other.address)
        return None if edits is None else (f"list {other.address} on {name}", edits)
    if gate.gate == "one neighbour" and me.settings.network_type is not None:
        edits = writer.drop(me.settings.network_type.source)
        return None if edits is None else (f"make {name} a broadcast network again", edits)
    return None


def _mend_virtual(bench: Bench, gate: Judged, me: VirtualEnd, other: VirtualEnd) -> Made | None:
    """This side of a virtual link said as the other side says it."""
    if gate.gate in ("transit area type", "way through the area"):
        return None  # nothing that is said of the link itself helps
    if other.link is None:
        return ("", ()) if me.link is not None and gate.gate == "virtual link" else None
    wanted = other.link._replace(neighbour=me.peer)
    edits = bench.writer(me.device).speaks(OspfPart).virtual_link(me.process.family, wanted)
    words = (
        f"run the virtual link over area {dotted(wanted.area)} to {other.device} "
        f"as {other.device} has it"
    )
    return None if edits is None else (words, edits)


def _adopt_ospf_keys(writer: Writer, me: OspfEnd, other: OspfEnd) -> Made | None:
    """The other end's authentication, type and keys together."""
    family, name = me.process.family, me.interface.name
    wanted, held = authentication(other), authentication(me)
    edits: list[Any] = []
    if wanted.value != held.value:
        if wanted.value == "none" and me.settings.authentication is not None:
            edits += writer.drop(me.settings.authentication.source) or ()
        else:
            found = writer.of("ospf").interface_setting(
                family, name, "authentication", wanted.value
            )
            if found is None:
                return None
            edits += found
    stale = [word.source for _, word in me.settings.digests]
    if me.settings.key is not None:
        stale.append(me.settings.key.source)
    keep: set[str] = set()
    if wanted.value == "message-digest":
        for number, word in other.settings.digests:
            if (number, word.value) in {(n, w.value) for n, w in me.settings.digests}:
                keep.add(word.value)
                continue
            found = writer.of("ospf").interface_setting(
                family, name, f"digest {number}", word.value
            )
            if found is None:
                return None
            edits += found
            same = [w.source for n, w in me.settings.digests if n == number]
            stale = [source for source in stale if source not in same]
        stale = [s for s in stale if not any(k in s.text for k in keep)]
    elif wanted.value == "simple" and other.settings.key is not None:
        key = other.settings.key.value
        if me.settings.key is None or me.settings.key.value != key:
            found = writer.of("ospf").interface_setting(family, name, "key", key)
            if found is None:
                return None
            edits += found
        if me.settings.key is not None:
            stale.remove(me.settings.key.source)
    for source in stale:
        edits += writer.drop(source) or ()
    return f"authenticate on {name} as {other.device} does", tuple(dict.fromkeys(edits))


def _other_area(bench: Bench, me: OspfEnd, area: int) -> Made | None:
    """Another area for an interface that a network statement put into its area."""
    assert me.area is not None and me.fact is not None
    writer = bench.writer(me.device)
    source = me.area.source
    mates = [
        fact
        for interface in bench.devices[me.device].interfaces
        if interface.name != me.interface.name
        for fact in interface.addresses
        for statement in me.process.networks
        if statement.source == source and statement.prefix is not None
        if statement.prefix.contains(fact.address)
    ]
    words = f"put {me.interface.name} into area {dotted(area)}"
    gone: Edits = ()
    statement = next((s for s in me.process.networks if s.source == source), None)
    if not mates and statement is not None:
        gone = writer.drop(source) or ()
    prefix = me.fact.connected
    if statement is not None and statement.prefix == prefix and not mates:
        gone = ()  # the new line takes the place of the old one
    if mates and statement is not None and statement.prefix == prefix:
        return None
    if not mates and statement is not None and statement.prefix is not None:
        prefix = statement.prefix
    edits = writer.of("ospf").cover(me.process.family, me.interface, prefix, area)
    return None if edits is None else (words, (*gone, *edits))


def idle_area(end: OspfEnd) -> OspfArea | None:
    """An area whose type a router states and in which it has nothing: a mistyped number."""
    return next(
        (
            facts
            for area, facts in end.process.areas.items()
            if facts.kind_source is not None
            and (end.area is None or area != end.area.value)
            and not in_area(end, area)
        ),
        None,
    )


def in_area(end: OspfEnd, area: int) -> bool:
    """True if a statement or another interface of the router is in an area."""
    others = [i for n, i in end.process.interfaces.items() if n != end.interface.name]
    stated = end.area.source if end.area is not None else None
    return any(i.area is not None and i.area.value == area for i in others) or any(
        s.area == area and s.source != stated for s in end.process.networks
    )
