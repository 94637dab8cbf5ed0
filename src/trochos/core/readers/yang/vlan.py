"""VLAN interfaces, bridges and their ports: our module trochos-vlan (yang/trochos-vlan.yang)."""

from __future__ import annotations

from collections.abc import Callable

from ...network.facts import Carried, Source
from ..drafts import InterfaceDraft
from ..located_json import Node

MODULE = "trochos-vlan"
Where = Callable[[Node, str], Source]


def read(entry: Node, interface: InterfaceDraft, path: str, source: Where) -> None:
    """What an entry of the interfaces list says of VLANs."""
    vlan = entry.get(f"{MODULE}:vlan")
    if vlan is not None:
        interface.parent, interface.tag = vlan.text("parent"), vlan.integer("tag")
        tag = vlan.peek("tag")
        if tag is not None:
            interface.tag_source = source(tag, f"{path}/{MODULE}:vlan/tag")
    bridge = entry.get(f"{MODULE}:bridge")
    if bridge is not None:
        interface.bridge = True
        interface.filtering = bridge.boolean("vlan-filtering") is not False
    port = entry.get(f"{MODULE}:bridge-port")
    if port is not None:
        interface.master = port.text("bridge")
        interface.carried = _carried(port, f"{path}/{MODULE}:bridge-port", source)


def _carried(port: Node, path: str, source: Where) -> list[Carried]:
    own = port.integer("port-vlan")
    out: list[Carried] = []
    for form in ("untagged", "tagged"):
        for number, item in enumerate(port.items(form)):
            item.seen = 1
            if isinstance(item.value, int) and 0 < item.value < 4095:
                where = source(item, f"{path}/{form}/{number}")
                out.append(Carried(item.value, form == "untagged", item.value == own, where))
    node = port.peek("port-vlan")
    if own is not None and node is not None and not any(c.vlan == own for c in out):
        # Frames of it come in, and leave in no form: the port carries it one way.
        out.append(Carried(own, True, True, source(node, f"{path}/port-vlan")))
    return out
