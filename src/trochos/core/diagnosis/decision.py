"""One router's decision about one target: every route that covers it, and what is missing."""

from __future__ import annotations

from ..forwarding.view import Forwarding
from ..network.addressing import Address
from ..protocols.tables import Tables
from .why import describe, explain_prefix, missing_prefix


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
    missing = None
    prefix = missing_prefix(tables, forwarding, device, target)
    if prefix is not None and not own:
        held = tables.of(device, target.family).winner(prefix)
        # A host is not expected to know more than its gateway.
        enough = forwarding.devices[device].is_host and obeyed is not None
        if held is None and not enough and (obeyed is None or not prefix.covers(obeyed.prefix)):
            missing = explain_prefix(tables, forwarding, device, prefix)
    return {
        "device": device,
        "target": str(target),
        "own": own,
        "candidates": candidates,
        "missing": missing,
        "uncertain": _unsure(forwarding, device, target) if not own else None,
        "ruled": not own and forwarding.ruled(device, target.family),
        "forwards": forwarding.devices[device].forwarding[target.family == 6],
    }


def _unsure(forwarding: Forwarding, device: str, target: Address) -> str | None:
    """Why the main table alone does not tell; None if it does."""
    found = forwarding.not_computed(
        device, target.family, forwarding.matching(device, target), target
    )
    return found[0].as_seen_from(device) if found else None
