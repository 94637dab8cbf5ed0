"""What only OSPF is asked to say."""

from __future__ import annotations

from typing import ClassVar

from ...network.addressing import Address
from ...network.ospf import OspfProcess, VirtualLink
from .base import Edits, Part


class OspfPart(Part):
    """OSPF in a language that says none of it."""

    protocol: ClassVar[str] = OspfProcess.protocol

    def beside_dead(self, family: int, interface: str) -> Edits:
        """What has to be said, too, where a dead interval is, and the hello interval stays."""
        return ()

    def process(self, family: int) -> OspfProcess | None:
        """The process of a family."""
        found = (p for p in self.device.routing.of(OspfProcess) if p.family == family)
        return next(found, None)

    def area_kind(self, family: int, area: int, kind: str, summaries: bool) -> Edits | None:
        """Makes an area `normal`, `stub` or `nssa`."""
        return None

    def list_neighbour(self, interface: str, address: Address) -> Edits | None:
        """Lists a neighbour on a link without multicast."""
        return None

    def virtual_link(self, family: int, link: VirtualLink) -> Edits | None:
        """A virtual link in the place of what is said of it, if anything is."""
        return None
