"""Filters and reverse-path checks as suspects: what they stop on the way of a complaint."""

from __future__ import annotations

from collections.abc import Iterator

from ...network.addressing import Address, Prefix
from ...step.filters import Flow, reverse_path
from ...step.legs import Branch, Hop
from ..finding import BREAKS, Finding
from ..remedies import filters as remedies
from ..remedies.bench import Bench
from .suspect import LIKELY, SURE, Suspect, home_of


def stopped(
    bench: Bench, branch: Branch, hop: Hop, source: Address | None, target: Address, flow: Flow
) -> Iterator[Suspect]:
    """The filter or the check that ends a branch here."""
    if hop is not branch.last or branch.verdict not in ("filtered", "refused"):
        return
    decision = hop.filters[-1] if hop.filters else None
    if decision is not None and decision.verdict in ("drop", "reject") and source is not None:
        wide = home_of(bench, source)
        near = wide if wide is not None and not wide.is_default else _host(source)
        if flow.is_reply:
            near = _host(source)
        found = remedies.unblock(bench, hop.device, decision, flow, near, target)
        yield Suspect(
            Finding(
                "filter-stops",
                BREAKS,
                hop.device,
                f"The filter {decision.chain} on {hop.device} stops what {source} sends to "
                f"{target}.",
                f"It is stopped by the entry for {decision.says}."
                if not decision.why
                else f"{decision.why[:1].upper()}{decision.why[1:]}, and what is left is stopped.",
                (decision.entry,) if decision.entry else (),
                hop.out or hop.arrived,
                key=f"{decision.chain}-{source}-{target}",
                remedies=tuple(found),
            ),
            SURE if found else LIKELY,
        )
        return
    device = bench.devices[hop.device]
    check = reverse_path(device, hop.arrived) if hop.arrived and device.reverse_path else None
    if check is not None and decision is None and branch.verdict == "filtered":
        yield Suspect(
            Finding(
                "reverse-path-stops",
                BREAKS,
                hop.device,
                f"{hop.device} drops what comes in by {hop.arrived} from {source}, because its own "
                "way back leads elsewhere.",
                "The two directions take different ways, which a strict check takes for forgery "
                "(RFC 3704). Either the ways or the check have to change.",
                (check[1],),
                hop.arrived,
                key=str(source),
                remedies=tuple(remedies.unchecked(hop.device, check[1])),
            ),
            LIKELY,
        )


def _host(address: Address) -> Prefix:
    return Prefix(address.family, address.value, 32 if address.family == 4 else 128)
