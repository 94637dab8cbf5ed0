"""The two ends of a link side by side: what must agree before a packet crosses."""

from __future__ import annotations

from ..forwarding.view import Forwarding
from ..network.addressing import Address
from ..network.facts import End, Interface, Source
from ..protocols.tables import Tables


def _row(
    gate: str,
    left: object,
    right: object,
    holds: bool | None,
    stops: str,
    evidence: list[Source | None],
) -> dict[str, object]:
    return {
        "gate": gate,
        "left": None if left is None else str(left),
        "right": None if right is None else str(right),
        "holds": holds,
        "stops": stops,
        "evidence": [source.as_json() for source in evidence if source is not None],
    }


def far_end_of(
    tables: Tables, forwarding: Forwarding, end: End, next_hop: Address | None, toward: str | None
) -> End | None:
    """Which end to compare with: the one that answers, the named device's, or the only one."""
    segment = tables.links.segment_of.get(end)
    others = [other for other in segment.ends if other != end] if segment else []
    for other in others:
        if other.device == toward:
            return other
    if next_hop is not None:
        for taker in forwarding.near.answer(end, next_hop).takers:
            return taker
    return others[0] if len(others) == 1 else None


UNREAD = "could not be read"


def compare_ends(
    tables: Tables, forwarding: Forwarding, end: End, far: End | None, next_hop: Address | None
) -> dict[str, object]:
    """A table of gates for a link, left against right, in the order a packet meets them."""
    links = tables.links
    here = links.interface(end)
    there = links.interface(far) if far is not None else None
    segment = links.segment_of.get(end)
    # Of a device that could not be read nothing is known, not even that it lacks something.
    beyond = forwarding.devices.get(far.device) if far is not None else None
    unread = far is not None and there is None and (beyond is None or beyond.role == "unread")
    rows: list[dict[str, object]] = []
    if here is not None:
        on = here.enabled and (there is None or there.enabled)
        rows.append(
            _row(
                "switched on",
                _on(here),
                UNREAD if unread else _on(there),
                None if on and unread else on,
                "everything",
                [here.enabled_source, there.enabled_source if there else None],
            )
        )
        up = links.is_up(end), far is None or unread or links.is_up(far)
        said = None if far is None else "up" if up[1] else links.why_down(far)
        rows.append(
            _row(
                "line",
                "up" if up[0] else links.why_down(end),
                UNREAD if unread else said,
                None if all(up) and unread else all(up),
                "everything",
                [],
            )
        )
        for family, label in ((4, "IPv4 subnet"), (6, "IPv6 subnet")):
            row = _subnets(here, there, family, label)
            if row is not None:
                rows.append(row)
        mtu = here.mtu, there.mtu if there else None
        if any(mtu):
            agree = None if None in mtu else mtu[0] == mtu[1]
            rows.append(
                _row(
                    "MTU",
                    mtu[0],
                    mtu[1],
                    agree,
                    "large packets",
                    [here.mtu_source, there.mtu_source if there else None],
                )
            )
        if next_hop is not None:
            answer = forwarding.near.answer(end, next_hop)
            who = ", ".join(str(taker) for taker in answer.takers)
            apart = forwarding.near.apart(end, next_hop) if answer.wrong else None
            if apart is not None:
                who = f"{apart[0]} does not hear it: {apart[1].clause()}"
            rows.append(
                _row(
                    "next hop answers",
                    next_hop,
                    who or ("not known" if answer.unknown else "nobody"),
                    None if answer.unknown else bool(answer.takers),
                    "everything",
                    [apart[1].source] if apart is not None else [],
                )
            )
    first = next((row["gate"] for row in rows if row["holds"] is False), None)
    return {
        "left": {"device": end.device, "interface": end.interface},
        "right": None if far is None else {"device": far.device, "interface": far.interface},
        "lan": segment.lan if segment else None,
        "others": [
            {"device": other.device, "interface": other.interface}
            for other in (segment.ends if segment else ())
            if other != end
        ],
        "wired": segment is not None,
        "reason": segment.reason if segment else "The survey does not say what is connected here.",
        "gates": rows,
        "first_failing": first,
    }


def _on(interface: Interface | None) -> str | None:
    if interface is None:
        return None
    return "on" if interface.enabled else "shut down"


def _subnets(
    here: Interface, there: Interface | None, family: int, label: str
) -> dict[str, object] | None:
    mine = [f for f in here.addresses if f.address.family == family and not f.address.is_link_local]
    theirs = [
        f
        for f in (there.addresses if there else ())
        if f.address.family == family and not f.address.is_link_local
    ]
    if not mine and not theirs:
        return None
    holds = None
    if mine and theirs:
        holds = any(a.connected == b.connected for a in mine for b in theirs)
    return _row(
        label,
        ", ".join(str(f.value) for f in mine) or "none",
        (", ".join(str(f.value) for f in theirs) or "none") if there else None,
        holds,
        "everything",
        [f.source for f in (*mine, *theirs)],
    )
