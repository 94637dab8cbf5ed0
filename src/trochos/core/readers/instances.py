"""Routing instances: each is set apart as a node of its own beside its device.

An instance has interfaces and tables of its own, so for every question it is another router. It
is called DEVICE/INSTANCE, and evidence keeps naming the device that holds its lines.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

from ..network.facts import Device, End, Inside, Segment
from ..network.filters import NO_SERVICES


def node_name(device: str, instance: str | None) -> str:
    """What the node of an instance is called; the device itself without one."""
    return f"{device}/{instance}" if instance else device


def set_apart(devices: Mapping[str, Device]) -> dict[str, Device]:
    """The devices, each without what is its instances', and these as nodes."""
    out: dict[str, Device] = {}
    for name, device in devices.items():
        instances = sorted({i.vrf for i in device.interfaces if i.vrf} | device.instances.keys())
        out[name] = device
        if not instances or device.instance:
            continue
        own = tuple(i for i in device.interfaces if not i.vrf)
        out[name] = replace(device, interfaces=own, instances={})
        for instance in instances:
            node = node_name(name, instance)
            held = tuple(replace(i, vrf=None) for i in device.interfaces if i.vrf == instance)
            said = device.instances.get(instance, Inside())
            if not device.configured:
                # What a system shows of an instance's links does not say what its tables hold.
                out[node] = Device(
                    node, held, profile=device.profile, role="unread", instance=instance
                )
                continue
            out[node] = replace(
                device,
                name=node,
                instance=instance,
                instances={},
                interfaces=held,
                statics=said.statics,
                routing=said.routing,
                unmodelled=said.unmodelled,
                gathered=said.gathered,
                heard=(),
                resolved=(),
                probes=(),
                unstored=None,
                shared=tuple(s for s in device.shared if any(i.name == s.interface for i in held)),
                rules=(),
                tables={},
                services=NO_SERVICES,
            )
    return out


def ends_apart(segments: list[Segment], devices: Mapping[str, Device]) -> list[Segment]:
    """The segments with the ends of instances at their nodes."""
    node_of = {
        End(device.chassis, interface.name): End(device.name, interface.name)
        for device in devices.values()
        if device.instance
        for interface in device.interfaces
    }
    return [
        replace(
            segment,
            ends=(ends := tuple(sorted(node_of.get(end, end) for end in segment.ends))),
            unread=tuple(
                sorted(
                    {
                        *segment.unread,
                        *(
                            e.device
                            for e in ends
                            if e.device not in segment.unread
                            and devices[e.device].instance
                            and devices[e.device].role == "unread"
                        ),
                    }
                )
            ),
        )
        if any(end in node_of for end in segment.ends)
        else segment
        for segment in segments
    ]
