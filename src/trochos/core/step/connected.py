"""Routes to the subnets of a device's own interfaces, and to its own addresses."""

from __future__ import annotations

from ..network.addressing import host_prefix
from ..network.facts import AddressFact, Device, End, Interface, Source
from .links import Links
from .routes import NextHop, Route


def address_is_active(device: Device, interface: Interface, fact: AddressFact) -> bool:
    """True if the device answers for this address in the state its interface is in.

    A capture of the shut interface decides. Without one the device's profile does: Linux
    keeps the IPv4 addresses of a shut interface and drops its IPv6 addresses.
    """
    if interface.enabled:
        return True
    if fact.survives_shut is not None:
        return fact.survives_shut
    if fact.address.family == 4:
        return device.profile.shut_keeps_ipv4
    return device.profile.shut_keeps_ipv6


def connected_routes(device: Device, family: int, links: Links) -> list[Route]:
    """Connected and local candidates, in the order of the interfaces.

    An interface that is down yields unusable candidates that say why.
    """
    routes: list[Route] = []
    seen: set[tuple[object, str]] = set()
    for interface in device.interfaces:
        end = End(device.name, interface.name)
        for fact in interface.addresses:
            address = fact.address
            if address.family != family or (family == 6 and address.is_link_local):
                continue
            prefix = fact.connected
            hop = NextHop("forward", None, interface.name)
            if (prefix, interface.name) not in seen:
                seen.add((prefix, interface.name))
                if links.usable_for_routes(end):
                    routes.append(Route(prefix, "connected", 0, 0, (hop,), because=(fact.source,)))
                else:
                    reason = links.why_down(end) or "the line is down"
                    because: tuple[Source, ...] = (fact.source,)
                    if interface.enabled_source is not None and not interface.enabled:
                        because = (*because, interface.enabled_source)
                    routes.append(
                        Route(
                            prefix,
                            "connected",
                            0,
                            0,
                            (),
                            because=because,
                            problem="interface-down",
                            why=f"{prefix} is on {interface.name}: {reason}.",
                            wanted=(hop,),
                            kept_by_kernel=interface.enabled
                            and device.profile.down_keeps_connected,
                        )
                    )
            own = host_prefix(address)
            if own != prefix and address_is_active(device, interface, fact):
                routes.append(
                    Route(
                        own,
                        "local",
                        0,
                        0,
                        (NextHop("deliver", None, interface.name),),
                        because=(fact.source,),
                    )
                )
    return routes
