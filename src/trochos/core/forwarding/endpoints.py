"""What people mean by FROM and TO: a device, an address, a prefix, an interface."""

from __future__ import annotations

from dataclasses import dataclass

from ..network.addressing import Address, Prefix, format_address, parse_address, parse_prefix
from ..network.facts import Device
from ..step.sources import usable_addresses
from .view import Forwarding


class EndpointError(ValueError):
    """FROM or TO names nothing that the survey knows; the message says what to do."""


@dataclass(frozen=True, slots=True)
class Endpoint:
    """A resolved end.

    `device` is None for an address that nobody in the survey owns. `addresses` holds one
    address per family that can be asked about; `explicit` says the address was named.
    """

    text: str
    device: str | None
    addresses: dict[int, Address]
    explicit: bool


def resolve(
    forwarding: Forwarding,
    text: str,
    target: bool,
    instance: str = "",
    asker: str | None = None,
) -> Endpoint:
    """Finds what `text` stands for.

    Args:
        forwarding: the network's forwarding view.
        text: a device's name, device/instance, an address, a prefix, or device:interface.
        target: True for TO, which may be an address outside the survey.
        instance: the routing instance that is meant, where it lives in several; "": none said.
        asker: the device that asks for TO: of several that hold an address, what links join with
            it comes first.

    Raises:
        EndpointError: nothing in the survey is meant, or one of several and not which.
    """
    text = text.strip()
    device = forwarding.devices.get(text)
    if device is not None:
        return _of_device(text, _inside(forwarding, device, instance))
    address = parse_address(text)
    if address is not None:
        return _of_address(forwarding, text, address, target, instance, asker)
    prefix = parse_prefix(text)
    if prefix is not None:
        return _of_prefix(forwarding, text, prefix, target)
    name, colon, port = text.partition(":")
    if colon and name in forwarding.devices:
        nodes = _nodes(forwarding, forwarding.devices[name])
        holding = next((node for node in nodes if node.interface(port) is not None), nodes[0])
        return _of_interface(text, holding, port)
    near = sorted(
        name
        for name, held in forwarding.devices.items()
        if (text[:3].lower() == name[:3].lower() or text in name)
        and any(interface.addresses for interface in held.interfaces)
    )
    hint = f" Did you mean {', '.join(near[:4])}?" if near else ""
    raise EndpointError(f"The survey knows no device, address or interface called {text!r}.{hint}")


def _nodes(forwarding: Forwarding, device: Device) -> list[Device]:
    """A device and its routing instances; an instance alone if one was named."""
    if device.instance:
        return [device]
    inside = [d for d in forwarding.devices.values() if d.instance and d.chassis == device.name]
    return [device, *sorted(inside, key=lambda node: node.name)]


def _inside(forwarding: Forwarding, device: Device, instance: str) -> Device:
    """The routing instance of a device that is meant: the one that is named, else the one that has
    addresses, if only one does."""
    nodes = _nodes(forwarding, device)
    if len(nodes) == 1:
        return device
    if instance:
        named = next((node for node in nodes if node.instance == instance), None)
        if named is not None:
            return named
        listed = ", ".join(node.instance for node in nodes[1:])
        raise EndpointError(f"{device.name} has no routing instance {instance!r}. It has {listed}.")
    with_addresses = [node for node in nodes if any(usable_addresses(node, f) for f in (4, 6))]
    if device in with_addresses or not with_addresses:
        return device
    if len(with_addresses) == 1:
        return with_addresses[0]
    listed = ", ".join(node.name for node in with_addresses)
    raise EndpointError(
        f"{device.name} has its addresses in several routing instances. Name one: {listed}."
    )


def _meant(forwarding: Forwarding, owners: list[str], instance: str, asker: str | None) -> str:
    """Which holder of an address is meant."""
    near = forwarding.near
    if asker is not None:
        joined = [name for name in owners if near.meet(name, asker)]
        return (joined or owners)[0]
    if instance:
        there = [d.name for d in forwarding.devices.values() if d.instance == instance]
        for name in owners:
            if forwarding.devices[name].instance == instance or any(
                near.meet(name, node) for node in there
            ):
                return name
    return owners[0]


def main_address(device: Device, family: int) -> Address | None:
    """The address people mean by a device's name: a host's own, a router's loopback, else
    its lowest."""
    usable = [
        (interface, fact.address)
        for interface, fact in usable_addresses(device, family)
        if not fact.address.is_link_local
    ]
    if not usable:
        return None
    loopbacks = [address for interface, address in usable if interface.loopback]
    if loopbacks and not device.is_host:
        return loopbacks[0]
    if device.is_host:
        outside = [address for interface, address in usable if not interface.loopback]
        return (outside or loopbacks)[0]
    return min(address for _, address in usable)


def _of_device(text: str, device: Device) -> Endpoint:
    addresses = {
        family: address
        for family in (4, 6)
        if (address := main_address(device, family)) is not None
    }
    if not addresses and device.role != "unread":
        raise EndpointError(
            f"{device.name} has no address that is in use, so nothing can be asked about it."
        )
    if not addresses:
        raise EndpointError(
            f"{device.name} could not be read, so its addresses are not known. Name an address."
        )
    return Endpoint(text, device.name, addresses, False)


def _of_address(
    forwarding: Forwarding,
    text: str,
    address: Address,
    target: bool,
    instance: str,
    asker: str | None,
) -> Endpoint:
    plain = format_address(address.family, address.value)
    owners = forwarding.near.owner_devices(address)
    if not owners and target:
        owners = [owner.end.device for owner in forwarding.near.led.get(address, ())]
    if not owners:
        idle = forwarding.near.owners.get(address)
        if idle and not target:
            raise EndpointError(
                f"{plain} is configured on {idle[0].end}, which is down, so nothing can be sent "
                "from it."
            )
        if not target:
            raise EndpointError(
                f"No device of the survey has the address {plain}. Name the device that sends."
            )
        if idle:
            return Endpoint(text, idle[0].end.device, {address.family: address}, True)
        return Endpoint(text, None, {address.family: address}, True)
    if len(owners) > 1 and forwarding.near.has_instances:
        if asker is None and not instance and not target:
            listed = ", ".join(owners)
            raise EndpointError(
                f"{plain} lives in several routing instances ({listed}). Name the device, or the "
                "instance."
            )
        owners = [_meant(forwarding, owners, instance, asker)]
    return Endpoint(text, owners[0], {address.family: address}, True)


def _of_prefix(forwarding: Forwarding, text: str, prefix: Prefix, target: bool) -> Endpoint:
    owned = [
        (forwarding.devices[owner.end.device], address)
        for address, owners in forwarding.near.owners.items()
        for owner in owners
        if owner.active and prefix.contains(address)
    ]
    if owned:
        # A prefix stands for the hosts in it; its routers come second.
        owned.sort(key=lambda item: (not item[0].is_host, item[1]))
        device, address = owned[0]
        return Endpoint(text, device.name, {prefix.family: address}, True)
    if not target:
        raise EndpointError(f"No device of the survey has an address in {prefix}.")
    first = prefix.network + (0 if prefix.is_host else 1)
    return Endpoint(text, None, {prefix.family: Address(prefix.family, first)}, True)


def _of_interface(text: str, device: Device, port: str) -> Endpoint:
    if device.interface(port) is None:
        names = ", ".join(interface.name for interface in device.interfaces) or "none"
        raise EndpointError(f"{device.name} has no interface {port!r}. It has {names}.")
    addresses: dict[int, Address] = {}
    for family in (4, 6):
        for interface, fact in usable_addresses(device, family):
            if interface.name == port and not fact.address.is_link_local:
                addresses.setdefault(family, fact.address)
    if not addresses:
        raise EndpointError(f"{device.name} {port} has no address that is in use.")
    return Endpoint(text, device.name, addresses, True)
