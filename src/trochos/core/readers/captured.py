"""What the files captured on a device are, told by their content, and what each says."""

from __future__ import annotations

from collections.abc import Callable, Collection
from dataclasses import dataclass, replace

from ..network.facts import Device, Interface
from . import hostfiles, iproute, namespaces, nftables
from .drafts import CaptureDraft
from .frr import tables as frr_tables
from .located_json import Document, Node


@dataclass(frozen=True, slots=True)
class Captured:
    """`capture` is None for an empty list, which says nothing; `matters` is whether a value that
    nobody understood may change what is computed."""

    kind: str
    capture: CaptureDraft | None
    matters: bool = False


_Read = Callable[[Document, str, str], CaptureDraft]
_LISTS: dict[str, tuple[_Read, bool]] = {
    "neigh": (iproute.read_neighbours, False),
    "rule": (iproute.read_rules, False),
    "route": (iproute.read_routes, True),
    "vlan": (iproute.read_vlans, True),
    "tunnel": (iproute.read_tunnels, True),
}
"""How each list of iproute2 is read, and whether what is unknown in it matters."""
_OBJECTS: tuple[tuple[Callable[[Node], bool], str, _Read, bool], ...] = (
    (nftables.looks_like, nftables.KIND, nftables.read, True),
    (
        hostfiles.looks_like_settings,
        hostfiles.SYSCTL_KIND,
        hostfiles.read_settings,
        False,
    ),
    (namespaces.looks_like, namespaces.KIND, namespaces.read, False),
    (frr_tables.looks_like, frr_tables.KIND, frr_tables.read, False),
)
"""How everything else is recognised and read."""


def read(
    document: Document, device: str, file: str, tunnels: Collection[str] = ()
) -> Captured | None:
    """What a capture in JSON says; None if it is none that is known.

    `tunnels` are the ports of which a list of tunnels told already.
    """
    root = document.root
    kind = iproute.kind_of(root)
    if kind is None:
        for looks_like, named, reader, matters in _OBJECTS:
            if looks_like(root):
                return Captured(named, reader(document, device, file), matters)
        return None
    if kind in _LISTS:
        reader, matters = _LISTS[kind]
        return Captured(iproute.KINDS[kind], reader(document, device, file), matters)
    if kind in ("addr", "link"):
        links = iproute.read_links(document, device, file, tunnels)
        return Captured(iproute.KINDS[kind], links, True)
    root.ignore_all()
    return Captured(iproute.KINDS[kind], None)


def _switched_on(interface: Interface, before: Interface) -> bool:
    """True if a text no longer switches an interface off: what was captured while it did says
    nothing of it any more."""
    now, then = interface.enabled_source, before.enabled_source
    if interface.enabled or before.enabled or now is None or then is None:
        return False
    return now.path is not None and then.path is None


def as_captured(device: Device, before: Device | None) -> Device:
    """Remembers in which state an interface was when others captured their end of the line."""
    if before is None:
        return device
    interfaces = []
    for interface in device.interfaces:
        held = before.interface(interface.name)
        if held is not None and held.captured_enabled is not None:
            interface = replace(interface, captured_enabled=held.captured_enabled)
        elif interface.captured_enabled is None and held is not None:
            state = held.enabled if held.enabled != interface.enabled else None
            interface = replace(interface, captured_enabled=state)
        if held is not None and _switched_on(interface, held):
            line = held.enabled_source
            assert line is not None
            line = line._replace(text="no shutdown", default=True, line=None)
            interface = replace(interface, enabled=True, enabled_source=line)
        interfaces.append(interface)
    return replace(device, interfaces=tuple(interfaces))
