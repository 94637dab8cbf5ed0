"""Remedies of switched segments: a port carries the VLAN, or an interface takes its tag."""

from __future__ import annotations

from ...network.edits import DataEdit, Remedy
from ...network.fabric import Dropped, Fabric
from ...network.facts import End, Interface
from .bench import Bench

_YANG = "/trochos-vlan:bridge-port"


def remedies(bench: Bench, drop: Dropped, sender: End, listener: End) -> list[Remedy]:
    """What would let frames through where they are dropped, the likeliest first."""
    out: list[Remedy] = []
    interface = bench.tables.links.interface(drop.end)
    if interface is None:
        return out
    fabric = bench.forwarding.near.fabric
    direct = fabric is not None and any(
        end in (sender, listener) and end.device != drop.end.device
        for end in (fabric.cable_of[drop.end].ends if drop.end in fabric.cable_of else ())
    )
    if drop.vlan is None and interface.master is None and fabric is not None:
        out += _tagged(fabric, drop.end)
    elif interface.master is not None:
        if direct:
            # A host hangs there: it belongs into the VLAN of the others.
            out += _port_vlan(drop.end, interface, _wanted(bench, drop, sender, listener))
        out += _carry(drop.end, interface, drop.vlan)
        if not direct:
            out += _port_vlan(drop.end, interface, drop.vlan)
    else:
        out += _tag(bench, drop, sender, listener)
    return out


def _tagged(fabric: Fabric, end: End) -> list[Remedy]:
    """The port that an end is plugged into sends a VLAN without its tag: it is to keep it."""
    out = []
    cable = fabric.cable_of.get(end)
    for port in cable.ends if cable is not None else ():
        facts = fabric.interface(port)
        for carried in facts.carried if facts is not None and port != end else ():
            where = carried.source.path
            if carried.untagged and where is not None and _YANG not in where:
                path = f"{carried.source.path}/flags"
                edit = DataEdit(port.device, carried.source.file, path, None, None)
                title = f"On {port.device}: let {port.interface} carry VLAN {carried.vlan}, tagged."
                out.append(Remedy(title, (edit,)))
    return out


def _wanted(bench: Bench, drop: Dropped, sender: End, listener: End) -> int | None:
    """The VLAN that the others of the subnet are in."""
    if drop.leaving:
        return drop.vlan
    fabric = bench.forwarding.near.fabric
    assert fabric is not None
    near = fabric.cable_of[drop.end].ends
    far = listener if sender in near else sender
    vlans = {v for numbers in fabric.flood(far).vlans.values() for v in numbers}
    return next(iter(vlans), drop.vlan) if len(vlans) == 1 else drop.vlan


def _port_vlan(end: End, interface: Interface, vlan: int | None) -> list[Remedy]:
    own = next((c for c in interface.carried if c.is_port_vlan), None)
    if own is None or vlan is None or own.vlan == vlan or own.source.path is None:
        return []
    path, file = own.source.path, own.source.file
    if _YANG in path:
        head = path.partition(_YANG)[0] + _YANG
        edits: tuple[DataEdit, ...] = (
            DataEdit(end.device, file, f"{head}/port-vlan", own.vlan, vlan),
            DataEdit(end.device, file, path, own.vlan, vlan),
        )
    else:
        edits = (DataEdit(end.device, file, f"{path}/vlan", own.vlan, vlan),)
    title = f"On {end.device}: make {vlan} the port VLAN of {end.interface}, instead of {own.vlan}."
    return [Remedy(title, tuple(dict.fromkeys(edits)))]


def _carry(end: End, interface: Interface, vlan: int | None) -> list[Remedy]:
    if vlan is None or not interface.carried:
        return []
    last = interface.carried[-1].source
    if last.path is None or any(c.vlan == vlan for c in interface.carried):
        return []
    if _YANG in last.path:
        head = last.path.partition(_YANG)[0] + _YANG
        tagged = [c.vlan for c in interface.carried if not c.untagged]
        old = tagged or None
        edit = DataEdit(end.device, last.file, f"{head}/tagged", old, [*tagged, vlan])
    else:
        head, _, number = last.path.rpartition("/")
        edit = DataEdit(end.device, last.file, f"{head}/{int(number) + 1}", None, {"vlan": vlan})
    return [Remedy(f"On {end.device}: let {end.interface} carry VLAN {vlan}, tagged.", (edit,))]


def _tag(bench: Bench, drop: Dropped, sender: End, listener: End) -> list[Remedy]:
    """A VLAN interface that takes another tag; two that took each other's are exchanged."""
    device = bench.devices[drop.end.device]
    mine = listener if listener.device == device.name else sender
    own = device.interface(mine.interface)
    if own is None or own.tag is None or drop.vlan is None or own.tag_source is None:
        return []
    rival = next(
        (i for i in device.interfaces if i.parent == own.parent and i.tag == drop.vlan), None
    )
    first = _retag(device.name, own, drop.vlan)
    if first is None:
        return []
    if rival is None:
        return [Remedy(f"On {device.name}: let {own.name} take the tag {drop.vlan}.", (first,))]
    second = _retag(device.name, rival, own.tag)
    if second is None:
        return []
    title = f"On {device.name}: exchange the tags of {own.name} and {rival.name}."
    return [Remedy(title, (first, second))]


def _retag(device: str, interface: Interface, tag: int) -> DataEdit | None:
    source = interface.tag_source
    if source is None or source.path is None:
        return None
    return DataEdit(device, source.file, source.path, interface.tag, tag)
