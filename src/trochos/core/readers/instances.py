"""Routing instances: each is set apart as a node of its own beside its device.

An instance has interfaces and tables of its own, so for every question it is another router. It
is called DEVICE/INSTANCE, and evidence keeps naming the device that holds its lines.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

from ..network.facts import Device, End, Inside, Segment, StaticRoute
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


def with_leaks(devices: Mapping[str, Device]) -> dict[str, Device]:
    """The devices, with static routes that lead from one routing instance into another.

    Such a route leaves by an interface of the other instance; what comes back arrives there, and is
    that instance's. A gateway that is on no link of the other instance leads nowhere.
    """
    out = dict(devices)
    for name, device in devices.items():
        if not any(static.hop_in is not None for static in device.statics):
            continue
        lent = dict(device.lent)
        statics = []
        for static in device.statics:
            there = (
                devices.get(node_name(device.chassis, static.hop_in))
                if static.hop_in is not None
                else None
            )
            exit_ = _exit(there, static) if there is not None else None
            if there is not None and exit_ is not None:
                lent[exit_] = there.name
                onlink = static.gateway is not None
                static = replace(static, interface=exit_, onlink=onlink)
            elif static.hop_in is not None:
                # No interface is called so: the route is there, and is not used.
                static = replace(static, interface=static.interface or f"of {static.hop_in}")
            statics.append(static)
        out[name] = replace(device, statics=tuple(statics), lent=lent)
    return out


def _exit(there: Device, static: StaticRoute) -> str | None:
    """The interface of another node by which a route leaves."""
    if static.interface is not None:
        return static.interface if there.interface(static.interface) is not None else None
    for interface in there.interfaces:
        for fact in interface.addresses:
            gateway = static.gateway
            if gateway is not None and fact.connected.contains(gateway):
                return interface.name
    return None


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
