"""One router's decision about one target: every route that covers it, and what is missing."""

from __future__ import annotations

from ..forwarding.step import Forwarding
from ..network.addressing import Address, Prefix
from ..protocols.routes import Route
from ..protocols.tables import Tables
from .why import describe, explain_prefix


def explain_decision(
    tables: Tables, forwarding: Forwarding, device: str, target: Address
) -> dict[str, object]:
    """The candidates that cover a target, longest first, each with its state and a sentence.

    States: `wins` (the longest usable match), `shorter` (usable, and a longer prefix wins),
    `loses` (beaten for its own prefix), `unusable`. `missing` explains the prefix that the
    target belongs to, if this device has no route of its own for it.
    """
    obeyed = forwarding.matching(device, target)
    own = forwarding.takes(device, target, None)
    candidates = []
    for route in tables.of(device, target.family).covering(target):
        if own and route.protocol == "local":
            state, says = "wins", f"{target} is an address of {device} itself."
        elif route is obeyed and not own:
            state, says = "wins", describe(device, route) if route.usable else route.why or ""
        elif route.problem is not None:
            state, says = "unusable", route.why or ""
        elif not route.selected:
            state, says = "loses", route.why or ""
        else:
            longer = obeyed.prefix if obeyed is not None and not own else "its own address"
            state, says = "shorter", f"{longer} is longer."
        candidates.append(
            {"route": route.as_json(), "state": state, "says": says[:1].upper() + says[1:]}
        )
    unsure = forwarding.not_computed(device, target.family, obeyed)
    missing = None
    prefix = _home(tables, forwarding, target)
    if prefix is not None and not own:
        held = tables.of(device, target.family).best.get(prefix)
        if held is None and (obeyed is None or not prefix.covers(obeyed.prefix)):
            missing = explain_prefix(tables, forwarding, device, prefix)
    return {
        "device": device,
        "target": str(target),
        "own": own,
        "candidates": candidates,
        "missing": missing,
        "uncertain": None if not unsure or own else unsure[0].why,
        "forwards": forwarding.devices[device].forwarding[target.family == 6],
    }


def _home(tables: Tables, forwarding: Forwarding, target: Address) -> Prefix | None:
    """The connected prefix the target lies in, as its owner or a router next to it has it."""
    best: Route | None = None
    for owner in forwarding.near.owners.get(target, ()):
        route = forwarding.matching(owner.end.device, target)
        table = tables.of(owner.end.device, target.family)
        for candidate in table.covering(target):
            if candidate.protocol == "connected" and candidate.selected:
                route = candidate
                break
        if route is not None and route.protocol == "connected":
            best = route
            break
    return best.prefix if best is not None else None
