"""Where a leg ends because what it needs lies in another routing instance of the same device."""

from __future__ import annotations

from collections.abc import Iterator

from ...network.addressing import Address, Prefix
from ...network.facts import Device, Interface
from ..finding import BREAKS, Finding
from ..findings.instances import Moved, place
from ..remedies import instances
from ..remedies.bench import Bench
from .suspect import LIKELY, PLAUSIBLE, POSSIBLE, Suspect


def other_instance(
    bench: Bench, device: Device, arrived: str | None, target: Address
) -> Iterator[Suspect]:
    """An interface that another instance of the device has: the one to the target, which this
    instance lacks, or the one by which the packet came, which that instance lacks.

    Nothing in the texts contradicts the one or the other. Which of the two is odd the address plan
    says: an interface belongs to the instance whose subnets are numbered most like its own.
    """
    for there in bench.devices.values():
        if there.chassis != device.chassis or there is device or there.role == "unread":
            continue
        for interface in there.interfaces:
            if not any(fact.connected.contains(target) for fact in interface.addresses):
                continue
            yield from _moved(bench, interface, there, device, target)
            came = device.interface(arrived) if arrived is not None else None
            if came is not None:
                yield from _moved(bench, came, device, there, target)


def _moved(
    bench: Bench, interface: Interface, here: Device, there: Device, target: Address
) -> Iterator[Suspect]:
    if interface.loopback or not interface.enabled:
        return
    remedies = tuple(instances.remedies(bench, Moved(interface, here.name, there.name)))
    if not remedies:
        return
    line = interface.vrf_source or interface.source
    lines = [line] if line is not None else []
    because = (*lines, *(fact.source for fact in interface.addresses[:1]))
    # An instance that somebody made is not to be left without a link.
    last = bool(here.instance) and all(i is interface or i.loopback for i in here.interfaces)
    meant = not last and _alike(interface, there) > _alike(interface, here)
    yield Suspect(
        Finding(
            "instance-holds-link",
            BREAKS,
            here.name,
            f"{here.chassis} {interface.name} is in {place(here)}, and what asks for {target} is "
            f"in {place(there)}.",
            "What is connected in one routing instance is not known in another."
            + (f" Its subnet is numbered like those of {place(there)}." if meant else ""),
            because,
            interface.name,
            key=there.name,
            remedies=remedies,
        ),
        LIKELY if meant else POSSIBLE if last else PLAUSIBLE,
    )


def _alike(interface: Interface, node: Device) -> int:
    """How many bits a subnet of the interface shares with another subnet of a node, at most."""
    mine = [fact.connected for fact in interface.addresses if not fact.address.is_link_local]
    others = [
        fact.connected
        for other in node.interfaces
        if other is not interface and not other.loopback
        for fact in other.addresses
        if not fact.address.is_link_local
    ]
    return max((_common(a, b) for a in mine for b in others if a.family == b.family), default=0)


def _common(one: Prefix, other: Prefix) -> int:
    width = 32 if one.family == 4 else 128
    return min(width - (one.network ^ other.network).bit_length(), one.length, other.length)
