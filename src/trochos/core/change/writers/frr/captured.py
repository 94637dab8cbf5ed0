"""What a router's system showed of an interface's routing instance, edited along with its text: a
rehearsal is to compute the network as it would be, not as it was when somebody looked."""

from __future__ import annotations

from collections.abc import Mapping

from ....network.edits import DataEdit
from ....network.facts import Device, Source
from ....readers import namespaces
from ....readers.located import DataError, parse_data
from ....readers.located_json import Node
from ..base import Edits


def moved(
    device: Device, files: Mapping[str, str], interface: str, instance: str
) -> tuple[DataEdit, ...]:
    """The edits of captured files that put an interface into another instance ("": the main)."""
    out: list[DataEdit] = []
    for file, text in sorted(files.items()):
        if text.lstrip()[:1] not in ("{", "["):
            continue
        try:
            root = parse_data(text)
        except DataError:
            continue
        if not isinstance(root, Node):
            continue
        if namespaces.looks_like(root):
            out += _between_namespaces(device, file, root, interface, instance)
        else:
            out += _between_links(device, file, root, interface, instance)
    return tuple(out)


def _between_namespaces(
    device: Device, file: str, root: Node, interface: str, instance: str
) -> list[DataEdit]:
    out: list[DataEdit] = []
    for name, node in root.members().items():
        listed = node.peek("interfaces")
        items = [item.value for item in listed.elements()] if listed is not None else []
        if name == device.instance and interface in items and name != instance:
            path = f"/{name}/interfaces/{items.index(interface)}"
            out.append(DataEdit(device.chassis, file, path, interface, None))
        if name == instance and interface not in items:
            path = f"/{name}/interfaces/{len(items)}"
            out.append(DataEdit(device.chassis, file, path, None, interface))
    return out


def _between_links(
    device: Device, file: str, root: Node, interface: str, instance: str
) -> list[DataEdit]:
    """Of `ip -j addr` and `ip -j -d link`: the mark of a namespace, or the master of a link."""
    out: list[DataEdit] = []
    for position, entry in enumerate(root.elements()):
        name = entry.peek("ifname")
        if name is None or name.value != interface:
            continue
        for key in ("vrf", "master"):
            held = entry.peek(key)
            if held is not None and held.value == device.instance:
                path = f"/{position}/{key}"
                out.append(DataEdit(device.chassis, file, path, held.value, instance or None))
    return out


def switched_on(source: Source) -> Edits | None:
    """An interface that is on again, where only its system shows that it was off."""
    if source.path is None or not source.path.endswith("/flags"):
        return None
    return (DataEdit(source.device, source.file, source.path, None, ["UP", "LOWER_UP"]),)
