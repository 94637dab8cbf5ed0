"""What one router may hold of the addresses that it shares, whoever holds them."""

from __future__ import annotations

from ..network.addressing import Address
from ..network.facts import Device, End
from ..network.shared import SharedGateway
from .links import Links


def effective_priority(device: Device, gateway: SharedGateway, links: Links) -> int | None:
    """The priority with what is tracked; None if the router does not take part now."""
    if gateway.idle is not None or not links.is_up(End(device.name, gateway.interface)):
        return None
    priority = gateway.priority
    for item in gateway.tracked:
        up = links.is_up(End(device.name, item.interface))
        if item.weight == 0 and not up:
            return None
        if (item.weight < 0 and not up) or (item.weight > 0 and up):
            priority += item.weight
    return max(1, min(priority, 254)) if gateway.priority < 255 else 255


def claims(device: Device, end: End, address: Address, links: Links) -> bool:
    """True if a device may hold a shared address on one of its interfaces, whoever does."""
    return any(
        gateway.place == end.interface
        and gateway.holds(address)
        and (gateway.doubt is not None or effective_priority(device, gateway, links) is not None)
        for gateway in device.shared
    )
