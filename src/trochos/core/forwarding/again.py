"""What of a network's forwarding holds for a changed copy of it.

A failed link changes what few devices do and what many have routes to. A device whose own facts
and lines, and those of everybody on its links, are what they were leads each next hop where it
led before (`still_leading`). Where its table is the same too, so is each of its decisions, and
what is left to compute is how packets end that pass others.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from ..network.facts import Device
from .step import Forwarding

if TYPE_CHECKING:
    from .families import FamilyReach


def still_leading(before: Forwarding, after: Forwarding) -> frozenset[str]:
    """The devices whose every next hop leads where it led before a change; none where that is
    not certain without asking each."""
    old, new = before.tables, after.tables
    if (
        old.network.segments != new.network.segments
        or before.strangers
        or after.strangers
        or not before.same_doubts(after)
        or before.may_rewrite != after.may_rewrite
        or before.devices.keys() != after.devices.keys()
    ):
        return frozenset()
    moved = {
        name
        for name, device in after.devices.items()
        if device is not before.devices[name] or not old.links.alike(new.links, device)
    }
    if any(_switches(view.devices[name]) for name in moved for view in (before, after)):
        return frozenset()  # a switch may join and part ends that share no link with it
    beside = set(moved)
    for segment in new.network.segments:
        names = {end.device for end in segment.ends}
        if names & moved:
            beside |= names
    for name, device in after.devices.items():
        if any(interface.tunnel is not None for interface in device.interfaces):
            beside.add(name)  # what becomes of the outer packets is a walk over others
    return frozenset(after.devices.keys() - beside)


def _switches(device: Device) -> bool:
    """True if frames may pass a device from port to port."""
    return any(i.master is not None for i in device.interfaces)


@dataclass(frozen=True, slots=True)
class Earlier:
    """The arrays of one family before a change, with the same rows and columns."""

    reach: FamilyReach
    leads: NDArray[np.bool_]
    """The rows whose next hops lead where they led."""
    same: NDArray[np.bool_]
    """Of those the rows that obey the same table."""

    @classmethod
    def of(cls, before: FamilyReach, after: FamilyReach, leading: frozenset[str]) -> Earlier | None:
        """None if nothing can be taken over."""
        if not leading or before.names != after.names or before.addresses != after.addresses:
            return None
        old, new = before.forwarding.tables.tables, after.forwarding.tables.tables
        leads = np.array([name in leading for name in after.names], dtype=bool)
        same = [old[name, after.family] is new[name, after.family] for name in after.names]
        return cls(before, leads, leads & np.array(same, dtype=bool))
