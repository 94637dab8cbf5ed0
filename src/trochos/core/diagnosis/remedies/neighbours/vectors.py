"""The gates of RIP and EIGRP: what makes one end fit the other."""

from __future__ import annotations

from typing import Any

from ....change.writers.base import Writer
from ....protocols.eigrp import EigrpEnd
from ....protocols.gates import Judged
from ....protocols.rip import RipEnd
from ..addresses import move_address
from ..bench import Bench
from .mends import Mend, covered, speaks_again


def mend_rip(
    bench: Bench,
    gate: Judged,
    me: RipEnd,
    other: RipEnd,
    mine: str | None,
    theirs: str | None,
) -> Mend | None:
    writer = bench.writer(me.device)
    family, name = me.process.family, me.interface.name
    if gate.gate == "enabled":
        if me.enabled is not None:
            return "", ()
        return covered(bench, "rip", me.device, family, me.interface, me.fact)
    if gate.gate == "subnet":
        return move_address(bench, me.device, me.interface, me.fact, other.fact)
    if gate.gate == "not passive":
        excepted = any(not flag.value for flag in me.process.passive.values())
        return speaks_again(
            writer, "rip", family, me.interface, me.passive, me.passive_source, excepted
        )
    if gate.gate == "version":
        edits: list[Any] = []
        for what in ("receive", "send"):
            own, given = getattr(me.settings, what), getattr(other.settings, what)
            if own is not None and given is None:
                edits += writer.drop(own.source) or ()
            elif given is not None and own is None:
                edits += writer.interface_setting("rip", family, name, what, given.value) or ()
        mine_v, theirs_v = me.process.version, other.process.version
        if not edits and mine_v is not None and theirs_v is None:
            edits += writer.drop(mine_v.source) or ()
        elif not edits and theirs_v is not None and (mine_v is None or mine_v != theirs_v):
            edits += writer.rip_version(theirs_v.value) or ()
        if not edits:
            return None
        return f"speak the same version on {name} as {other.device}", tuple(edits)
    if gate.gate in ("authentication type", "authentication key"):
        return _adopt_vector_keys(writer, "rip", family, me, other)
    return None


def mend_eigrp(
    bench: Bench,
    gate: Judged,
    me: EigrpEnd,
    other: EigrpEnd,
    mine: str | None,
    theirs: str | None,
) -> Mend | None:
    writer = bench.writer(me.device)
    family = me.process.family
    if gate.gate == "enabled":
        if me.enabled is not None:
            return "", ()
        return covered(bench, "eigrp", me.device, family, me.interface, me.fact)
    if gate.gate == "subnet":
        return move_address(bench, me.device, me.interface, me.fact, other.fact)
    if gate.gate == "not passive":
        excepted = any(not flag.value for flag in me.process.passive.values())
        return speaks_again(
            writer, "eigrp", family, me.interface, me.passive, me.passive_source, excepted
        )
    if gate.gate == "autonomous system":
        edits = writer.system_number(other.process.number)
        words = f"put EIGRP into autonomous system {other.process.number}"
        return None if edits is None else (words, edits)
    if gate.gate == "K values":
        edits = writer.weights(other.weights if other.process.weights is not None else None)
        return None if edits is None else (f"use the K values of {other.device}", edits)
    if gate.gate in ("authentication type", "authentication key"):
        return _adopt_vector_keys(writer, "eigrp", family, me, other)
    return None


def _adopt_vector_keys(
    writer: Writer, protocol: str, family: int, me: Any, other: Any
) -> Mend | None:
    edits: list[Any] = []
    for what, leaf in (
        ("authentication", "authentication"),
        ("key", "key"),
        ("key chain", "key_chain"),
    ):
        own, given = getattr(me.settings, leaf, None), getattr(other.settings, leaf, None)
        if given is None and own is not None:
            edits += writer.drop(own.source) or ()
        elif given is not None and (own is None or own.value != given.value):
            value = given.value
            found = writer.interface_setting(protocol, family, me.interface.name, what, value)
            if found is None:
                return None
            edits += found
    if not edits:
        return None
    return f"authenticate on {me.interface.name} as {other.device} does", tuple(
        dict.fromkeys(edits)
    )
