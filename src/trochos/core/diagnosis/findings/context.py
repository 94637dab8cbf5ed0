"""What findings look at: the network, its tables, its forwarding view and all pairs."""

from __future__ import annotations

from collections import deque
from dataclasses import dataclass, field

from ...forwarding.reach import Reach
from ...forwarding.view import Forwarding
from ...network.facts import Device, Network
from ...protocols.tables import Tables


@dataclass(slots=True)
class Context:
    """The computed survey, with what several families of findings need."""

    network: Network
    tables: Tables
    forwarding: Forwarding
    reach: Reach
    of_trial: bool = False
    """True for a changed copy whose findings are asked for remedies only: what nobody has a remedy
    for and takes long to see is left out."""
    _distance: dict[str, dict[str, int]] = field(default_factory=dict)

    def certain(self, device: Device, family: int) -> bool:
        """False if something that is not computed could add routes to the device, or if rules may
        lead packets past its table."""
        return self.known(device, family) and not self.forwarding.ruled(device.name, family)

    def known(self, device: Device, family: int) -> bool:
        """False if something that is not computed could add routes to the device's table."""
        forwarding = self.forwarding
        if forwarding.strangers.lessons(device.name, family):
            return False
        return not forwarding.not_computed(device.name, family, None)

    def distance_to(self, device: str) -> dict[str, int]:
        """Links between every device and this one, over wired segments, whatever their state."""
        known = self._distance.get(device)
        if known is not None:
            return known
        touching: dict[str, list[set[str]]] = {}
        for segment in self.network.segments:
            names = {end.device for end in segment.ends}
            for name in names:
                touching.setdefault(name, []).append(names)
        found = {device: 0}
        queue = deque([device])
        while queue:
            here = queue.popleft()
            for names in touching.get(here, ()):
                for name in names:
                    if name not in found:
                        found[name] = found[here] + 1
                        queue.append(name)
        self._distance[device] = found
        return found
