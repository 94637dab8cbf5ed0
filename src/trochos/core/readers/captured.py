"""What others captured of an interface, once its own device is read anew."""

from __future__ import annotations

from dataclasses import replace

from ..network.facts import Device, Interface


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
