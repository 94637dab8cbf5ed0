"""The source of a packet of which nobody said it: what the device itself would put there."""

from __future__ import annotations

from ..network.addressing import Address
from .filters import Flow
from .kernel import Kernel
from .sources import choose_source


def source_for(
    kernel: Kernel, device: str, target: Address, flow: Flow | None = None
) -> Address | None:
    """The source that a device would choose itself for a target; None without a route. Where rules
    choose, they ask for the `flow` (a ping without it), which has no mark yet."""
    facts = kernel.devices[device]
    kind = (flow or Flow()).kind(target.family)
    route = kernel.chosen(device, None, target, None, kind).route
    if route is None or ends_unsent(kernel, device, target, flow):
        return None
    hops = route.obeyed_hops or route.wanted
    return choose_source(facts, target, hops[0]) if hops else None


def ends_unsent(kernel: Kernel, device: str, target: Address, flow: Flow | None = None) -> bool:
    """True if the rules of a device end what it sends itself, or lead it nowhere, before there is a
    source: the kernel looks for the way first."""
    if not kernel.ruled(device, target.family):
        return False
    found = kernel.chosen(device, None, target, None, (flow or Flow()).kind(target.family))
    if found.unsure is not None:
        return False
    hops = (found.route.obeyed_hops or found.route.wanted) if found.route is not None else ()
    return all(hop.action != "forward" for hop in hops)
