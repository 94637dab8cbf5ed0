"""What two ends have to agree on before they are neighbours, and before routes pass."""

from __future__ import annotations

from ...network.isis import (
    KINDS,
    IsisProcess,
)
from ...network.mends import Fits, Fitting, Mend, Say, Setting, Speak, TakeIn
from ...network.routing import Word
from .. import vectors
from ..gates import ROUTES, Gate, Reading
from .ends import DOWN, INITIALIZING, POINT_TO_POINT, IsisEnd


def _both_down(left: IsisEnd, right: IsisEnd) -> tuple[str, str]:
    return DOWN, DOWN


def _circuit(end: IsisEnd, _: IsisEnd) -> Reading:
    if end.circuit is not None:
        return Reading(end.circuit.text, (end.circuit,), True)
    if end.settings.refused is not None:
        return Reading("refused with its metric", (end.settings.refused,), False)
    word = "ip" if end.process.family == 4 else "ipv6"
    text = f"{word} router isis {end.process.tag}".strip()
    source = end.interface.source or end.process.source
    missing = source._replace(line=None, text=text, missing=True, after=source.line)
    return Reading("not in IS-IS", (missing,), False)


def _take_in(end: IsisEnd, _: IsisEnd) -> Mend:
    if end.circuit is None and end.settings.refused is not None:
        return Say(f"leave the metric of {end.interface.name} out", gone=(end.settings.refused,))
    return Fits() if end.circuit is not None else TakeIn()


def _family(end: IsisEnd, _: IsisEnd) -> Reading:
    label = "IPv4" if end.process.family == 4 else "IPv6"
    if end.enabled is not None:
        return Reading(f"carries {label}", (end.enabled,), True)
    word = "ip" if end.process.family == 4 else "ipv6"
    source = end.circuit or end.process.source
    text = f"{word} router isis {end.process.tag}".strip()
    missing = source._replace(line=None, text=text, missing=True, after=source.line)
    return Reading(f"does not carry {label}", (missing,), False)


def _carry(end: IsisEnd, _: IsisEnd) -> Mend:
    return Fits() if end.enabled is not None else TakeIn()


def _passive(end: IsisEnd, _: IsisEnd) -> Reading:
    lines = (end.passive_source,) if end.passive and end.passive_source else ()
    return Reading("passive" if end.passive else "not passive", lines, not end.passive)


def _speak(end: IsisEnd, _: IsisEnd) -> Mend:
    return Speak(end.passive, end.passive_source, False)


def _network(end: IsisEnd, _: IsisEnd) -> Reading:
    word = end.settings.network
    return Reading(end.network, (word.source,) if word else (end.default("broadcast"),))


def _same_network(end: IsisEnd, other: IsisEnd) -> Mend | None:
    words = f"make {end.interface.name} {other.network}"
    if other.network == POINT_TO_POINT:
        return Say(words, (Setting("network type", POINT_TO_POINT),))
    word = end.settings.network
    return None if word is None else Say(words, gone=(word.source,))


def _levels(end: IsisEnd, _: IsisEnd) -> Reading:
    lines = [w.source for w in (end.kind, end.process.kind) if w is not None]
    text = " and ".join(f"level {level}" for level in sorted(end.levels)) or "no level"
    return Reading(text, tuple(lines) or (end.default("level-1-2"),), end.levels)


def _level_stuck(left: IsisEnd, right: IsisEnd) -> tuple[str, str]:
    # On a LAN each level has hellos of its own, which the other level does not hear.
    both = INITIALIZING if left.network == POINT_TO_POINT else DOWN
    return both, both


def _same_level(end: IsisEnd, other: IsisEnd) -> Mend | None:
    """What the other end says of its levels, where this one says something else: of the circuit,
    or of the whole router."""
    circuit, kind = end.kind, end.process.kind
    if circuit is not None and not KINDS[circuit.value] & other.levels:
        return Say(f"let {end.interface.name} speak as {other.device} does", gone=(circuit.source,))
    if kind is None or KINDS[kind.value] & other.levels:
        return None
    wanted = other.process.kind.value if other.process.kind else None
    if wanted is None or not KINDS[wanted] & other.levels:
        wanted = "level-2-only" if 2 in other.levels else "level-1"
    words = f"speak {wanted} as {other.device} does"
    return Say(words, (Setting("kind", wanted, whole=True),))


def _area(end: IsisEnd, _: IsisEnd) -> Reading:
    net = end.process.net
    return Reading(end.process.area, (net.source,) if net else (), end.process.area)


def _only_level_1(left: IsisEnd, right: IsisEnd) -> bool:
    if left.process.net is None or right.process.net is None:
        return False  # who has no name has no area: that is said of the name
    return left.levels & right.levels == {1}


def _area_stuck(left: IsisEnd, right: IsisEnd) -> tuple[str, str]:
    if left.network != POINT_TO_POINT:
        return DOWN, DOWN
    if (left.process.levels == {1}) != (right.process.levels == {1}):
        return (DOWN, INITIALIZING) if left.process.levels == {1} else (INITIALIZING, DOWN)
    return DOWN, DOWN


def _same_area(end: IsisEnd, other: IsisEnd) -> Mend | None:
    net, area = end.process.net, other.process.area
    if net is None or area is None:
        return None
    rest = ".".join(net.value.split(".")[-4:])
    words = f"join {other.device}'s area {area}"
    return Say(words, (Setting("net", f"{area}.{rest}", whole=True),))


def _system(end: IsisEnd, _: IsisEnd) -> Reading:
    net = end.process.net
    if net is not None:
        return Reading(end.process.system, (net.source,))
    text = f"net {end.process.area or '49.0001'}..."
    source = end.process.source
    missing = source._replace(line=None, text=text, missing=True, after=source.line)
    return Reading("none", (missing,), "")


def _named(end: IsisEnd, other: IsisEnd) -> Mend | None:
    """A name for a system that has none, made of its loopback's address as is the custom."""
    if end.process.net is not None:
        return Fits() if other.process.net is None else None
    address = end.loopback or (end.address if end.process.family == 4 else None)
    if address is None or address.family != 4:
        return None
    digits = "".join(f"{part:03}" for part in address.value.to_bytes(4, "big"))
    system = ".".join(digits[at : at + 4] for at in (0, 4, 8))
    area = other.process.area or "49.0001"
    net = f"{area}.{system}.00"
    return Say(f"name the system {net}", (Setting("net", net, whole=True),))


def _hello_key(end: IsisEnd, _: IsisEnd) -> Reading:
    kind, key = end.settings.authentication, end.settings.key
    if kind is None or key is None:
        return Reading("no password", (end.default("no password"),), None)
    return Reading(f"{kind.value} {key.value}", (kind.source,), (kind.value, key.value))


def _key_stuck(left: IsisEnd, right: IsisEnd) -> tuple[str, str]:
    if left.network != POINT_TO_POINT and left.settings.key and right.settings.key:
        return DOWN, DOWN
    if (left.settings.key is None) == (right.settings.key is None):
        return DOWN, DOWN
    # Whoever asks for a password hears nobody; the other hears it, and is not heard.
    return (DOWN, INITIALIZING) if left.settings.key is not None else (INITIALIZING, DOWN)


def _same_hello_key(end: IsisEnd, other: IsisEnd) -> Mend | None:
    words = f"authenticate on {end.interface.name} as {other.device} does"
    kind, key = other.settings.authentication, other.settings.key
    if kind is None or key is None:
        mine = end.settings.authentication
        return None if mine is None else Say(words, gone=(mine.source,))
    return Say(words, (Setting("password", f"{kind.value} {key.value}"),))


def _mtu(end: IsisEnd, _: IsisEnd) -> Reading:
    source = end.interface.mtu_source
    return Reading(str(end.interface.mtu), (source,) if source else (), end.interface.mtu)


def _padded(left: IsisEnd, right: IsisEnd) -> bool:
    pads = [e.settings.padding is None or e.settings.padding.value for e in (left, right)]
    known = left.interface.mtu is not None and right.interface.mtu is not None
    return known and all(pads)


def _mtu_stuck(left: IsisEnd, right: IsisEnd) -> tuple[str, str]:
    small = (left.interface.mtu or 0) < (right.interface.mtu or 0)
    return (DOWN, INITIALIZING) if small else (INITIALIZING, DOWN)


def _same_mtu(end: IsisEnd, other: IsisEnd) -> Mend | None:
    return None if other.interface.mtu is None else Fitting(other.interface.mtu)


def _topology(end: IsisEnd, _: IsisEnd) -> Reading:
    flag = end.process.own_topology
    if flag is not None and flag.value:
        return Reading("of its own", (flag.source,))
    return Reading("the common one", (end.default("one topology"),))


def _same_topology(end: IsisEnd, other: IsisEnd) -> Mend | None:
    mine, theirs = end.process.own_topology, other.process.own_topology
    words = f"compute IPv6 as {other.device} does"
    if theirs is not None and theirs.value:
        return Say(words, (Setting("topology", "ipv6-unicast", whole=True),))
    return None if mine is None else Say(words, gone=(mine.source,))


def _style(end: IsisEnd, _: IsisEnd) -> Reading:
    word = end.process.style
    line = word.source if word is not None else end.default(end.style)
    if end.uses_no_ipv6:
        return Reading("narrow metrics, with which it uses no IPv6", (line,), False)
    return Reading(f"{end.style} metrics", (line,), end.style)


def _styles_fit(left: Reading, right: Reading) -> bool:
    if not left.value or not right.value:
        return False
    return left.value == right.value or "transition" in (left.value, right.value)


def _same_style(end: IsisEnd, other: IsisEnd) -> Mend | None:
    if end.uses_no_ipv6:
        words = "understand wide metrics, with which it uses IPv6"
        return Say(words, (Setting("metric style", "transition", whole=True),))
    words = f"say metrics as {other.device} does"
    if other.process.style is not None:
        return Say(words, (Setting("metric style", other.style, whole=True),))
    mine = end.process.style
    return None if mine is None else Say(words, gone=(mine.source,))


def _announcement_key(end: IsisEnd, other: IsisEnd) -> Reading:
    word = level_key(end.process, min(end.levels & other.levels, default=1))
    return Reading(word.value if word else "no password", (word.source,) if word else ())


def level_key(process: IsisProcess, level: int) -> Word | None:
    return process.area_key if level == 1 else process.domain_key


def _same_announcement_key(end: IsisEnd, other: IsisEnd) -> Mend | None:
    level = min(end.levels & other.levels, default=1)
    mine, theirs = level_key(end.process, level), level_key(other.process, level)
    words = f"protect what it announces as {other.device} does"
    if theirs is None:
        return None if mine is None else Say(words, gone=(mine.source,))
    what = "area password" if level == 1 else "domain password"
    return Say(words, (Setting(what, theirs.value, whole=True),))


def _circuits(left: IsisEnd, right: IsisEnd) -> bool:
    return left.circuit is not None and right.circuit is not None


GATES: tuple[Gate[IsisEnd], ...] = (
    Gate("line", vectors.line, vectors.both, stuck=_both_down, no_mend=vectors.NO_LINE),
    Gate("enabled", _circuit, vectors.both, stuck=_both_down, mend=_take_in),
    Gate("not passive", _passive, vectors.both, stuck=_both_down, mend=_speak),
    Gate("network type", _network, stuck=_both_down, applies=_circuits, mend=_same_network),
    Gate(
        "level",
        _levels,
        lambda left, right: bool(left.value & right.value),
        stuck=_level_stuck,
        applies=_circuits,
        mend=_same_level,
    ),
    Gate("area", _area, stuck=_area_stuck, applies=_only_level_1, mend=_same_area),
    Gate(
        "system id",
        _system,
        lambda left, right: bool(left.value and right.value) and left.value != right.value,
        stuck=_both_down,
        mend=_named,
    ),
    Gate("hello password", _hello_key, stuck=_key_stuck, mend=_same_hello_key),
    Gate("hello size", _mtu, stuck=_mtu_stuck, applies=_padded, mend=_same_mtu),
    Gate("address family", _family, vectors.both, stops=ROUTES, applies=_circuits, mend=_carry),
    Gate(
        "topology",
        _topology,
        stops=ROUTES,
        applies=lambda left, right: left.process.family == 6,
        mend=_same_topology,
    ),
    Gate("metric style", _style, _styles_fit, stops=ROUTES, mend=_same_style),
    Gate(
        "announcement password",
        _announcement_key,
        stops=ROUTES,
        mend=_same_announcement_key,
    ),
)
