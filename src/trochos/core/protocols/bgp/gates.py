"""Every precondition of a session, read at both ends (RFC 4271, 8 and 6.2; RFC 5082).

One side that can open the connection is enough.
"""

from __future__ import annotations

from typing import NamedTuple

from ...network.addressing import Address
from ...step.filters import DROP, REJECT, Decision, Filters, Flow, Passage
from ..gates import FILTERED, ROUTES, Gate, Judged, Later, Reading
from . import mends
from .ends import COUNTERPARTS, BgpEnd, has_policy, requires_policy, role
from .reaching import OWN

IDLE, CONNECT, ACTIVE, ESTABLISHED = "idle", "connect", "active", "established"


def _configured(end: BgpEnd, other: BgpEnd) -> Reading:
    if end.neighbour is None:
        called = str(other.source or other.name)
        if other.link is not None and other.neighbour is not None and other.neighbour.far:
            called = f"{other.neighbour.far[1]} interface"
        missing = end.process.source._replace(
            line=None,
            text=f"neighbor {called} remote-as {other.local_as}",
            missing=True,
            after=end.process.source.line,
        )
        return Reading("no neighbour statement", (missing,), False)
    return Reading(f"neighbour {end.peer}", (end.neighbour.source,), True)


def _switched_on(end: BgpEnd, _: BgpEnd) -> Reading:
    off = end.neighbour.shutdown if end.neighbour else None
    off = off or end.process.shutdown
    if off is not None and off.value:
        return Reading("shut down", (off.source,), False)
    return Reading("on", (), True)


def _address(end: BgpEnd, other: BgpEnd) -> Reading:
    owned = end.peer is not None and any(
        fact.address == end.peer for i in other.device.interfaces for fact in i.addresses
    )
    text = f"talks to {end.peer}" + ("" if owned else f", which {other.name} does not have")
    lines = (end.neighbour.source,) if end.neighbour else ()
    return Reading(text, lines, owned)


class _Ways(NamedTuple):
    """Whether an end's packets come through, and how much speaks for it as the one that opens."""

    opens: bool
    answers: bool
    calls: int

    def less(self, other: _Ways) -> _Ways:
        return _Ways(self.opens and other.opens, self.answers and other.answers, self.calls)


def _come_through(left: _Ways, right: _Ways) -> bool:
    """True if whoever opens the session is heard, and hears the answer."""
    most = max(left.calls, right.calls)
    return any(
        one.calls == most and one.opens and other.answers
        for one, other in ((left, right), (right, left))
    )


def _reachable(end: BgpEnd, other: BgpEnd) -> Reading:
    lines = (end.neighbour.source,) if end.neighbour is not None else ()
    ways = _Ways(*end.arrives, end.calls(other))
    if end.hops is None:
        return Reading(f"cannot reach {end.peer}", lines, ways)
    if not any(end.arrives) or all(end.arrives):
        return Reading(f"reaches {end.peer}", lines, ways)
    opens, answers = "what it opens a session with", "its answers"
    kept = (opens, answers) if end.arrives[0] else (answers, opens)
    return Reading(f"reaches {end.peer} with {kept[0]}, and not with {kept[1]}", lines, ways)


def _source(end: BgpEnd, other: BgpEnd) -> Reading:
    expected = other.peer
    text = f"talks from {end.source}"
    if end.source != expected:
        text += f", {other.name} expects {expected}"
    return Reading(
        text,
        (end.source_line,) if end.source_line else (),
        (end.source == expected, end.can_open),
    )


def _one_side_opens(left: Reading, right: Reading) -> bool:
    # One side whose source the other expects, and that may open the connection, is enough.
    return any(all(reading.value) for reading in (left, right))


def _opens(end: BgpEnd, _: BgpEnd) -> Reading:
    n = end.neighbour
    lines = (n.passive.source,) if n and n.passive and n.passive.value else ()
    return Reading("may open" if end.can_open else end.why_not, lines, end.can_open)


def stopping(end: BgpEnd, other: BgpEnd, flow: Flow) -> Decision | None:
    """What stops the other side's packets where they come in at this one."""
    if end.source is None or other.source is None:
        return None
    arrived = next(
        (
            i.name
            for i in end.device.interfaces
            if any(f.connected.contains(other.source) for f in i.addresses)
        ),
        "",
    )
    passage = Passage(end.name, other.source, end.source, arrived, None, flow)
    found = Filters(end.device).judge(passage)
    return found[-1] if found and found[-1].verdict in (DROP, REJECT) else None


def _filter(end: BgpEnd, other: BgpEnd) -> Reading:
    """Whether the other may open the session, and whether its answers come in (port 179)."""
    opens, answers = other.on_the_way
    if end.device.filters and end.link is not None:
        opens = opens or stopping(end, other, OWN)
        answers = answers or stopping(end, other, OWN.back(frozenset((end.name,))))
    lines = tuple(d.entry for d in (opens, answers) if d is not None and d.entry is not None)
    stop = opens or answers
    text = "lets it pass" if end.device.filters or any(other.on_the_way) else "no filter"
    if stop is not None:
        where = stop.entry.device if stop.entry is not None else end.name
        on = "" if where == end.name else f" on {where}"
        text = f"stops it in {stop.chain}{on}"
    found = _Ways(*other.arrives, other.calls(end))
    passed = _Ways(opens is None, answers is None, other.calls(end))
    return Reading(text, tuple(dict.fromkeys(lines)), (found, passed))


def _let_through(left: Reading, right: Reading) -> bool:
    """True if filters stop nobody who opens the session, of those that find their way."""
    (found, passed), (also_found, also_passed) = left.value, right.value
    if not _come_through(found, also_found):
        return _come_through(passed, also_passed)
    return _come_through(found.less(passed), also_found.less(also_passed))


def _hop_limit(end: BgpEnd, other: BgpEnd) -> Reading:
    n = end.neighbour
    lines = tuple(s.source for s in ((n.multihop, n.ttl_security) if n else ()) if s is not None)
    far = end.hops if end.hops is not None else 0
    security = n.ttl_security if n else None
    fits = end.ttl() >= far
    if security is not None and other.hops is not None:
        fits = fits and other.ttl() - max(0, other.hops - 1) >= 256 - security.value
    return Reading(f"hop limit {end.ttl()}, distance {far}", lines, fits)


def _password(end: BgpEnd, _: BgpEnd) -> Reading:
    word = end.neighbour.password if end.neighbour else None
    return Reading(word.value if word else "none", (word.source,) if word else ())


def _as_number(end: BgpEnd, other: BgpEnd) -> Reading:
    expected = end.expected_as()
    line = end.neighbour.remote_as if end.neighbour else None
    lines = (line.source,) if line else ()
    shown = "any other AS" if expected == -1 else f"AS {expected}"
    text = f"is AS {end.local_as}, expects {shown}"
    holds = other.local_as == expected or (expected == -1 and other.local_as != end.local_as)
    return Reading(text, (*lines, end.process.source), holds)


def _role(end: BgpEnd, other: BgpEnd) -> Reading:
    word = end.neighbour.role if end.neighbour is not None else None
    mine, theirs = role(end), role(other)
    strict = end.neighbour is not None and end.neighbour.role_strict
    fits = not strict if theirs is None else mine is None or COUNTERPARTS.get(mine) == theirs
    return Reading(mine or "not said", (word.source,) if word else (), fits)


def _identity(end: BgpEnd, _: BgpEnd) -> Reading:
    found = end.router_id
    if found is None:
        return Reading("none", (), -1)
    return Reading(str(Address(4, found.value)), (found.source,), found.value)


def _prefix_limit(end: BgpEnd, _: BgpEnd) -> Reading:
    lines = tuple(
        f.maximum.source
        for f in (end.neighbour.families.values() if end.neighbour else ())
        if f.maximum is not None
    )
    return Reading("exceeded" if end.down else "not exceeded", lines, not end.down)


def _true(left: Reading, right: Reading) -> bool:
    return bool(left.value) and bool(right.value)


def _waits(end: BgpEnd) -> str:
    """The state of a side that gets no answer."""
    return CONNECT if end.can_open and end.hops is not None else ACTIVE


def _unanswered(left: BgpEnd, right: BgpEnd) -> tuple[str, str]:
    return _waits(left), _waits(right)


def _refused_by_stranger(left: BgpEnd, right: BgpEnd) -> tuple[str, str]:
    """One side is not configured: it turns the other away, which tries again and again."""
    return (ACTIVE if left.neighbour else IDLE), (ACTIVE if right.neighbour else IDLE)


def _switched_off(left: BgpEnd, right: BgpEnd) -> tuple[str, str]:
    on = [_switched_on(end, end).value for end in (left, right)]
    return (ACTIVE if on[0] else IDLE), (ACTIVE if on[1] else IDLE)


def _refused(left: BgpEnd, right: BgpEnd) -> tuple[str, str]:
    def state(end: BgpEnd) -> str:
        dynamic = end.neighbour is not None and end.neighbour.dynamic
        return IDLE if end.can_open or dynamic else ACTIVE

    return state(left), state(right)


def _limited(left: BgpEnd, right: BgpEnd) -> tuple[str, str]:
    return (IDLE if left.down else ACTIVE), (IDLE if right.down else ACTIVE)


def _ids_differ(left: Reading, right: Reading) -> bool:
    return left.value != right.value and -1 not in (left.value, right.value)


GATES: tuple[Gate[BgpEnd], ...] = (
    Gate("configured", _configured, _true, stuck=_refused_by_stranger, mend=mends.configure),
    Gate("switched on", _switched_on, _true, stuck=_switched_off, mend=mends.switch_on),
    Gate("peer address", _address, _true, stuck=_unanswered, mend=mends.right_peer),
    Gate(
        "reachable",
        _reachable,
        lambda a, b: _come_through(a.value, b.value),
        stuck=_unanswered,
        mend=mends.reach,
    ),
    Gate(
        "opens the session",
        _opens,
        lambda a, b: a.value or b.value,
        stuck=_unanswered,
        mend=mends.open_it,
    ),
    Gate(
        "source address",
        _source,
        _one_side_opens,
        stuck=_unanswered,
        mend=mends.right_source,
    ),
    Gate(
        "filter",
        _filter,
        _let_through,
        stuck=_unanswered,
        no_mend=FILTERED,
        applies=lambda a, b: bool(
            a.device.filters or b.device.filters or any(a.on_the_way) or any(b.on_the_way)
        ),
    ),
    Gate("hop limit", _hop_limit, _true, stuck=_unanswered, mend=mends.cross),
    Gate("password", _password, stuck=_unanswered, mend=mends.same_password),
    Gate("AS number", _as_number, _true, stuck=_refused, mend=mends.right_system),
    Gate(
        "role",
        _role,
        _true,
        stuck=_refused,
        applies=lambda a, b: role(a) is not None or role(b) is not None,
        mend=mends.fitting_role,
    ),
    Gate(
        "router ids differ",
        _identity,
        _ids_differ,
        stuck=_refused,
        applies=lambda a, b: a.local_as == b.local_as,
        mend=mends.own_router_id,
    ),
    Gate("prefix limit", _prefix_limit, _true, stuck=_limited, mend=mends.lift_limit),
)
LATER: tuple[Later[BgpEnd], ...] = (
    Later("IPv4 family", mends.carry(4)),
    Later("IPv6 family", mends.carry(6)),
    Later("external policy", mends.have_policy),
    Later("peer near", mends.come_near),
)
"""What keeps routes from passing over a session that stands."""


def family_gate(left: BgpEnd, right: BgpEnd, family: int) -> Judged:
    def text(end: BgpEnd) -> str:
        return "on" if end.active_in(family) else "off"

    lines = tuple(
        setting.source
        for end in (left, right)
        if (setting := end.family(family).active) is not None
    )
    both = left.active_in(family) and right.active_in(family)
    return Judged(f"IPv{family} family", text(left), text(right), both, ROUTES, lines)


def policy_gate(left: BgpEnd, right: BgpEnd, family: int) -> Judged:
    """RFC 8212: without a policy, nothing crosses between different systems."""

    def lacks(end: BgpEnd) -> list[str]:
        if not requires_policy(end):
            return []
        held = end.family(family)
        return [direction for direction in ("in", "out") if not has_policy(held, direction)]

    def text(end: BgpEnd) -> str:
        missing = lacks(end)
        if not missing:
            return "present" if requires_policy(end) else "not required"
        return "missing for " + " and ".join(missing)

    lines = tuple(
        end.process.requires_policy.source
        if end.process.requires_policy
        else end.process.source._replace(default=True, text="bgp ebgp-requires-policy")
        for end in (left, right)
        if lacks(end)
    )
    holds = not lacks(left) and not lacks(right)
    return Judged("external policy", text(left), text(right), holds, ROUTES, lines)


def near_gate(left: BgpEnd, right: BgpEnd) -> Judged:
    """Routes of an external peer that is to be one hop away need it on a connected network:
    the session may stand all the same, opened by the other side, and its routes stay unused."""

    def text(end: BgpEnd) -> str:
        return "fine" if end.near else f"{end.peer} is on no connected network"

    lines = tuple(
        end.neighbour.source for end in (left, right) if not end.near and end.neighbour is not None
    )
    return Judged("peer near", text(left), text(right), left.near and right.near, ROUTES, lines)
