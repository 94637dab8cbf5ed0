"""Answers as documents: what the contract says, and what screens show.

Inside, a routing instance of a device is a node of its own, called DEVICE/INSTANCE (decision
0026). Documents name the two apart; screens, which link to nodes, keep them together.
"""

from __future__ import annotations

from typing import Any

from .addressing import parse_prefix
from .facts import place_of


class Document:
    """An answer with a document of its own: `as_nodes` gives it as it is inside, `as_json` in the
    shape of the contract."""

    __slots__ = ()

    def as_nodes(self) -> dict[str, object]:
        """The document, in which a routing instance is one name with its device."""
        raise NotImplementedError

    def as_json(self) -> dict[str, Any]:
        """The document of the contract."""
        out: dict[str, Any] = apart(self.as_nodes())
        return out


def apart(document: Any) -> Any:
    """A document with routing instances named beside their devices: what is one node inside,
    DEVICE/INSTANCE, is two words in documents."""
    if isinstance(document, list | tuple):
        return [apart(item) for item in document]
    if not isinstance(document, dict):
        return document
    out: dict[str, object] = {}
    for key, value in document.items():
        node = isinstance(value, str) and "/" in value and parse_prefix(value) is None
        if node and key == "device":
            out |= place_of(value)
        elif node and key == "from":
            out[key] = place_of(value)["device"]
        else:
            out[key] = apart(value)
    return out
