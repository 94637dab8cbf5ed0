"""The mends that only OSPF knows, made into edits."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from ....change.writers.base import Edits
from ....change.writers.ospf import OspfPart
from ....network.addressing import dotted
from ....protocols.ospf.interfaces import OspfEnd
from ....protocols.ospf.mends import Dead, LikeArea, ListNeighbour, OtherArea, RunVirtual
from ....protocols.ospf.virtual import VirtualEnd
from ..bench import Bench
from .mends import Made


def _dead(bench: Bench, mend: Dead, me: OspfEnd) -> Made | None:
    writer, family, name = bench.writer(me.device), me.process.family, me.interface.name
    edits = writer.of("ospf").interface_setting(family, name, "dead", str(mend.seconds))
    if edits is None:
        return None
    if mend.beside:
        edits = (*writer.speaks(OspfPart).beside_dead(family, name), *edits)
    return f"set the dead interval of {name} to {mend.seconds} s", edits


def _like_area(bench: Bench, mend: LikeArea, me: OspfEnd) -> Made | None:
    writer, there, instead = bench.writer(me.device), mend.area, mend.instead
    edits = writer.speaks(OspfPart).area_kind(
        me.process.family, there.id, there.kind, there.summaries
    )
    if edits is None:
        return None
    words = f"make area {dotted(there.id)} {there.kind} as {mend.of} has it"
    if instead is not None and instead.kind_source is not None:
        edits = (*(writer.drop(instead.kind_source) or ()), *edits)
        words += f", not area {dotted(instead.id)}, in which it has nothing"
    return words, edits


def _list_neighbour(bench: Bench, mend: ListNeighbour, me: OspfEnd) -> Made | None:
    name = me.interface.name
    edits = bench.writer(me.device).speaks(OspfPart).list_neighbour(name, mend.address)
    return None if edits is None else (f"list {mend.address} on {name}", edits)


def _run_virtual(bench: Bench, mend: RunVirtual, me: VirtualEnd) -> Made | None:
    edits = bench.writer(me.device).speaks(OspfPart).virtual_link(me.process.family, mend.link)
    words = (
        f"run the virtual link over area {dotted(mend.link.area)} to {mend.of} as {mend.of} has it"
    )
    return None if edits is None else (words, edits)


def _other_area(bench: Bench, mend: OtherArea, me: OspfEnd) -> Made | None:
    """Another area for an interface that a network statement put into its area."""
    assert me.area is not None and me.fact is not None
    area = mend.area
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


MAKERS: dict[type, Callable[[Bench, Any, Any], Made | None]] = {
    Dead: _dead,
    LikeArea: _like_area,
    ListNeighbour: _list_neighbour,
    RunVirtual: _run_virtual,
    OtherArea: _other_area,
}
