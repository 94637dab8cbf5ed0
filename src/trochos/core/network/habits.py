"""How a kind of device fills in what the routing protocols' standards leave open.

The defaults here are those of the standards; a dialect's profile overrides what its
routers do differently. Protocols read these values and never ask what kind of device
they compute for.
"""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class OspfHabits:
    """RFC 2328 and RFC 5340, with the usual choices where they leave one."""

    reference_bandwidth: int = 100_000
    """Megabits per second: the cost of an interface is this divided by its bandwidth."""
    default_bandwidth: int = 10_000
    hello: int = 10
    dead_factor: int = 4
    distance: int = 110
    border_type: str = "cisco"
    """`cisco`: a border has an active backbone interface and another area; `standard`: two
    areas with interfaces suffice (RFC 2328, 3.3); `ibm`: a configured backbone and two."""
    statement_ignores_mask: bool = False
    """A `network` statement compares its own length only, not the interface's mask."""
    last_statement_wins: bool = False
    """Of several matching statements the last one counts, not the longest."""
    redistribute_metric: int = 20
    default_metric_found: int = 10
    """Metric of a default route that is announced because the table holds one."""
    default_metric_always: int = 1
    range_discards: bool = True
    """A border holds a discard route for each active range."""
    hidden_range_discards: bool = True
    """Also for a range that is not announced."""
    loopback_is_host: bool = True
    """A loopback is announced as host routes with cost 0."""
    ranges_hide_others: bool = False
    """A border ignores summaries of other borders that fall into a range of its own
    (version 2 alone)."""
    own_stub_blinds_to_transit: bool = False
    """A router whose own subnet is a network that others share without it ends up with no
    route to it at all, and as a border announces none (seen on real routers)."""
    hears_own_subnet_only: bool = False
    """Also on a point-to-point link packets are taken from the own subnet only, unless the
    link is unnumbered (RFC 2328, 8.2, does not ask for that; seen on real routers)."""
    virtual_link_makes_border: bool = False
    """A configured virtual link counts as a backbone interface even while it is down."""
    translation_resets_metric: bool = False
    """A border that passes an NSSA's externals on gives them the default metric of
    redistribution instead of theirs (RFC 3101, 3.2, keeps it)."""
    translation_takes_over: bool = False
    """Version 3: a border that passes an NSSA's externals on lets them lead to itself."""
    asks_for_external: bool = False
    """Version 3: an external with a forwarding address on a link of the router's own is taken to
    be on that link itself (seen on real routers)."""
    own_subnet_keeps_name: bool = False
    """Of two subnets with one address, a border that has the longer one itself announces
    that one alone into other areas."""
    range_keeps_lowest_cost: bool = False
    """A range costs as much as its nearest part (RFC 1583), not its farthest (RFC 2328)."""


@dataclass(frozen=True, slots=True)
class RipHabits:
    """RFC 2453 and RFC 2080."""

    distance: int = 120
    version: int = 1
    redistribute_metric: int = 1
    shares_equal_cost: bool = True
    """Equal hop counts share traffic without being told to."""


@dataclass(frozen=True, slots=True)
class EigrpHabits:
    """RFC 7868."""

    weights: tuple[int, ...] = (1, 0, 1, 0, 0, 0)
    bandwidth: int = 100_000
    """Kilobits per second."""
    delay: int = 10
    """Tens of microseconds."""
    distance_internal: int = 90
    distance_external: int = 170
    max_paths: int = 4
    statement_ignores_mask: bool = False
    fixed_metrics: bool = False
    """Configured delays and bandwidths never reach the topology."""
    ignores_passive: bool = False
    ignores_redistribution: bool = False
    ignores_summaries: bool = False


@dataclass(frozen=True, slots=True)
class BgpHabits:
    """RFC 4271 and RFC 8212."""

    distance_external: int = 20
    distance_internal: int = 200
    distance_local: int = 200
    requires_policy: bool = True
    """RFC 8212: without a policy nothing is announced to or accepted from other systems."""
    max_paths: int = 1
