"""What a device shows of itself against what its configuration implies.

Gathered tables are never computed with; they are set beside the computed ones, prefix by
prefix, each difference with its likely reason.
"""

from __future__ import annotations

from typing import NamedTuple

from ..network.addressing import Prefix
from ..network.facts import Device, End, GatheredRoute
from ..network.protocols import names
from ..protocols.tables import Tables
from ..step.routes import Route

SAME, MISSING, EXTRA, DIFFERENT = "same", "missing", "extra", "different"


class Compared(NamedTuple):
    """One prefix: what is computed and what the device shows."""

    prefix: Prefix
    state: str
    """`same`, `missing` (only the device has it), `extra` (only computed) or `different`."""
    computed: Route | None
    gathered: GatheredRoute | None
    reason: str | None
    """Why they may differ; None where they do not."""


def _hops(route: Route) -> list[tuple[str, str | None, str | None]]:
    return sorted(
        (
            (
                "discard" if hop.action == "reject" else hop.action,
                str(hop.address) if hop.address else None,
                hop.interface,
            )
            for hop in route.next_hops
        ),
        key=str,
    )


def compare_table(tables: Tables, device: Device, family: int) -> list[Compared]:
    """The selected routes of one family, side by side; empty if the device gave no table."""
    own = {f.address for i in device.interfaces for f in i.addresses if f.address.family == family}
    real = {
        route.prefix: route
        for route in device.gathered.get(family, ())
        if route.selected
        and not (family == 6 and route.prefix.network >> 118 == 0x3FA)
        # Some devices list their own addresses among what is connected.
        and not (
            route.protocol in ("connected", "local")
            and route.prefix.is_host
            and any(address.value == route.prefix.network for address in own)
        )
    }
    if not device.gathered.get(family):
        return []
    ours = {
        r.prefix: r
        for r in tables.of(device.name, family).everything()
        if r.selected and r.protocol != "local"
    }
    out = []
    for prefix in sorted(real.keys() | ours.keys()):
        mine, theirs = ours.get(prefix), real.get(prefix)
        if mine is None:
            state = MISSING
        elif theirs is None:
            if prefix.is_host and mine.protocol == "connected":
                continue
            state = EXTRA
        else:
            hops = sorted(
                (("discard" if a == "reject" else a, b, c) for a, b, c in theirs.next_hops),
                key=str,
            )
            same = hops == _hops(mine) and (
                theirs.protocol == mine.protocol
                or (theirs.protocol == "kernel" and mine.protocol == "connected")
            )
            state = SAME if same else DIFFERENT
        reason = None if state == SAME else _reason(tables, device, mine, theirs)
        out.append(Compared(prefix, state, mine, theirs, reason))
    return out


def _reason(
    tables: Tables, device: Device, mine: Route | None, theirs: GatheredRoute | None
) -> str:
    """The likeliest reason for one difference, most certain first."""
    if device.unmodelled:
        line = device.unmodelled[0].source.line
        return f"line {line} of its text is not computed" if line else "a part is not computed"
    for _, _, port in theirs.next_hops if theirs is not None else ():
        interface = device.interface(port) if port else None
        if interface is not None and not tables.links.is_up(End(device.name, interface.name)):
            return f"{port} is down now, and was up when the device was asked"
    if theirs is not None and mine is None:
        if theirs.protocol in names():
            unread = sorted(d.name for d in tables.network.devices if d.role == "unread")
            if unread:
                return f"it may have learned it from {unread[0]}, which could not be read"
            return "it may have learned it from a neighbour that the survey does not hold"
        if theirs.protocol in ("static", "kernel"):
            return "it was entered on the device and does not stand in its configuration"
    if mine is not None and theirs is None and mine.protocol in names():
        return "the device was asked before its neighbours had told it, or they had stopped"
    if mine is not None and theirs is not None and mine.protocol != theirs.protocol:
        return f"the device prefers what {theirs.protocol} told it"
    return "the configuration was changed between the two answers, or this is a limit of Trochos"
