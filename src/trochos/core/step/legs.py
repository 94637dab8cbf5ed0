"""A leg as it was walked: its branches, their hops, and what each device did."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field

from ..network.addressing import Address
from ..network.facts import Source, Tunnel, Unmodelled
from ..network.filters import ACCEPT
from ..network.rules import Rule
from ..network.translation import DESTINATION, SOURCE
from .filters import Decision
from .packet import Packet
from .routes import Route
from .rules import Asked
from .translate import Rewritten
from .verdicts import DELIVERED, RANK, leg_state, worst


@dataclass(slots=True)
class Wrap:
    """A packet wrapped in another: the tunnel, and the outer packet's own journey."""

    tunnel: Tunnel
    under: Leg | None

    def as_json(self) -> dict[str, object]:
        return {
            "do": "wrap",
            "mode": self.tunnel.mode,
            "local": str(self.tunnel.local),
            "remote": str(self.tunnel.remote),
            "under": self.under.as_json() if self.under else None,
        }


_RESULTS = {ACCEPT: "permit"}


def _filtered(decision: Decision) -> dict[str, object]:
    return {
        "do": "filter",
        "entry": decision.entry.as_json() if decision.entry else None,
        "says": decision.says,
        "result": _RESULTS.get(decision.verdict, decision.verdict),
    }


@dataclass(slots=True)
class Hop:
    """A device that has the packet, and what it does with it."""

    device: str
    arrived: str | None
    route: Route | None
    out: str | None = None
    next_hop: Address | None = None
    mtu: int | None = None
    reason: str | None = None
    wrap: Wrap | None = None
    filters: tuple[Decision, ...] = ()
    tag: int | None = None
    """The VLAN whose tag its frames leave with."""
    rule: Rule | None = None
    """The rule that led to a table other than the main one."""
    ends: tuple[Address | None, Address] | None = None
    """Source and target of the packet as it came."""
    rewritten: tuple[Rewritten, ...] = ()
    """What the device rewrote, in order."""
    crosses: tuple[str, str, Source] | None = None
    """The routing instances from which and into which it leads the packet, and the line."""
    asked: Callable[[], list[Asked]] | None = None
    """Tells what each rule of the device did with the packet, where it has rules."""
    connection_mark: tuple[str, int | None] | None = None
    """The mark that the device keeps for the connection, where its chains set marks."""

    def copy(self) -> Hop:
        """The same, to be changed on another branch; written out because walks make many."""
        return Hop(
            self.device,
            self.arrived,
            self.route,
            self.out,
            self.next_hop,
            self.mtu,
            self.reason,
            self.wrap,
            self.filters,
            self.tag,
            self.rule,
            self.ends,
            self.rewritten,
            self.crosses,
            self.asked,
            self.connection_mark,
        )

    def as_json(self) -> dict[str, object]:
        actions = [_filtered(decision) for decision in self.filters]
        # Destinations are rewritten before the filters, sources after them.
        actions[:0] = [item.as_json() for item in self.rewritten if item.what == DESTINATION]
        actions += [item.as_json() for item in self.rewritten if item.what == SOURCE]
        if self.rule is not None:
            entry = self.rule.line.as_json()
            actions.insert(0, {"do": "rule", "entry": entry, "table": self.rule.table})
        if self.wrap is not None:
            actions.append(self.wrap.as_json())
        if self.tag is not None:
            actions.append({"do": "tag", "vlan": self.tag})
        if self.crosses is not None:
            here, there, line = self.crosses
            actions.append({"do": "instance", "from": here, "to": there, "by": line.as_json()})
        rules = {}
        if self.asked is not None and (self.route is None or self.route.protocol != "local"):
            rules = {"rules": [item.as_json() for item in self.asked()]}
        return {
            **rules,
            "device": self.device,
            "in": self.arrived,
            "route": self.route.as_json() if self.route else None,
            "out": self.out,
            "next_hop": str(self.next_hop) if self.next_hop else None,
            "actions": actions,
            "mtu": self.mtu,
            "reason": self.reason,
        }


@dataclass(slots=True)
class Branch:
    """One way a flow may take, and how it ends. `loop` names the members of a circle."""

    hops: list[Hop]
    verdict: str
    reason: str
    loop: tuple[str, ...] = ()
    packet: Packet | None = None
    """The packet as it was in the end."""

    @property
    def last(self) -> Hop:
        return self.hops[-1]

    def as_json(self) -> dict[str, object]:
        out: dict[str, object] = {
            "verdict": self.verdict,
            "reason": self.reason,
            "hops": [hop.as_json() for hop in self.hops],
        }
        if self.loop:
            out["loop"] = list(self.loop)
        return out


@dataclass(slots=True)
class Leg:
    """One direction: all its branches (the listed ones) and the verdict that counts."""

    branches: list[Branch]
    branch_count: int
    caveats: list[Unmodelled] = field(default_factory=list)
    start: str = ""
    """The device that sends."""

    @property
    def verdict(self) -> str:
        return worst(branch.verdict for branch in self.branches)

    @property
    def state(self) -> str:
        return leg_state(branch.verdict for branch in self.branches)

    @property
    def decisive(self) -> Branch:
        """The branch that the leg's verdict and reason come from."""
        return min(self.branches, key=lambda branch: RANK[branch.verdict])

    @property
    def delivered_at(self) -> list[str]:
        return list(dict.fromkeys(b.last.device for b in self.branches if b.verdict == DELIVERED))

    def as_json(self) -> dict[str, object]:
        return {
            "verdict": self.verdict,
            "reason": self.decisive.reason,
            "branch_count": self.branch_count,
            "branches": [branch.as_json() for branch in self.branches],
        }


def passed_by(leg: Leg) -> frozenset[str]:
    """The devices that saw a request, and so know the reply for one."""
    return frozenset(hop.device for branch in leg.branches for hop in branch.hops)
