"""What a gate's row says would mend an end (`network.mends`), made into edits of its language."""

from __future__ import annotations

from typing import Any

from ....network.mends import (
    Fits,
    Fitting,
    IntoSubnet,
    Mend,
    OwnRouterId,
    Restate,
    SameKeys,
    Say,
    Speak,
    TakeIn,
)
from ..addresses import move_address
from ..bench import Bench
from . import bgp, ospf
from .mends import Made, covered, own_router_id, speaks_again

_OWN = {**ospf.MAKERS, **bgp.MAKERS}
"""What makes the mends that only one protocol knows."""


def made(bench: Bench, mend: Mend, me: Any) -> Made | None:
    """The edits that a mend means at an end; None if the end's language cannot say it."""
    maker = _OWN.get(type(mend))
    if maker is not None:
        return maker(bench, mend, me)
    process = me.process
    protocol, family = process.protocol, process.family
    whose = me.device if isinstance(me.device, str) else me.device.name
    match mend:
        case Fits():
            return "", ()
        case TakeIn(area):
            return covered(bench, protocol, me.device, family, me.interface, me.fact, area)
        case IntoSubnet(other):
            return move_address(bench, me.device, me.interface, me.fact, other)
        case Speak(passive, source, excepted):
            writer = bench.writer(me.device)
            return speaks_again(writer, protocol, family, me.interface, passive, source, excepted)
        case Fitting(mtu):
            edits = bench.writer(me.device).mtu(me.interface, mtu)
            words = f"set the MTU of {me.interface.name} to {mtu}"
            return None if edits is None else (words, edits)
        case Restate():
            return None  # shared addresses have remedies of their own: no process says them
        case OwnRouterId():
            return own_router_id(bench, protocol, family, bench.devices[whose])
        case SameKeys():
            return _same_keys(bench, mend, me)
        case Say():
            return _said(bench, mend, me, protocol, family)
    return None


def _same_keys(bench: Bench, mend: SameKeys, me: Any) -> Made | None:
    mine = bench.devices[me.device].policy.key_chains.get(mend.chain)
    theirs = bench.devices[mend.device].policy.key_chains.get(mend.other)
    if mine is None or theirs is None or len(mine.strings) != len(theirs.strings):
        return None
    edits: list[Any] = []
    for line, wanted in zip(mine.strings, theirs.strings):
        if line.text != wanted.text:
            found = bench.writer(me.device).swap(line, wanted.text)
            if found is None:
                return None
            edits += found
    words = f"use the keys of {mend.device} in the chain {mend.chain}"
    return (words, tuple(edits)) if edits else None


def _said(bench: Bench, mend: Say, me: Any, protocol: str, family: int) -> Made | None:
    writer = bench.writer(me.device if isinstance(me.device, str) else me.device.name)
    part = writer.of(protocol)
    edits: list[Any] = []
    for source in mend.gone:
        edits += writer.drop(source) or ()
    for setting in mend.settings:
        found = (
            part.whole_setting(family, setting.what, setting.value)
            if setting.whole
            else part.interface_setting(family, me.interface.name, setting.what, setting.value)
        )
        if found is None:
            return None
        edits += found
    return (mend.words, tuple(dict.fromkeys(edits))) if edits else None
