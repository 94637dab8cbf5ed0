"""Which network namespace, and so which routing instance, an interface of a Linux router is in:
`{"red": {"netns": "/run/netns/red", "interfaces": ["eth1", "eth3"]}}`."""

from __future__ import annotations

from ..network.facts import Source
from .drafts import CaptureDraft, InterfaceDraft, interface_key
from .located_json import Document, Node

KIND = "routing instances of a Linux device"


def looks_like(root: Node) -> bool:
    """True for an object of instances, each with its namespace and interfaces."""
    held = root.members().values()
    return bool(held) and all({"netns", "interfaces"} <= node.members().keys() for node in held)


def read(device: str, file: str, document: Document) -> CaptureDraft:
    """Reads which interfaces are in which instance."""
    draft = CaptureDraft(file)
    for instance, node in document.root.members().items():
        node.text("netns")
        for position, item in enumerate(node.items("interfaces")):
            name = item.value
            if not isinstance(name, str):
                continue
            item.seen = 1
            path = f"/{instance}/interfaces/{position}"
            source = Source(device, file, item.line, document.quote(item), path)
            held = InterfaceDraft(name, source, order=10_000, vrf=instance)
            draft.interfaces[interface_key(name, instance)] = held
    return draft
