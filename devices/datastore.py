"""YANG data that a simulated device holds: asked by subtree filters, changed by edit-config.

RFC 6241, sections 6 (subtree filtering) and 7.2 (edit-config).
"""

from __future__ import annotations

import copy
from typing import Any

from lxml import etree

from trochos.core.change.elements import elements

BASE = "urn:ietf:params:xml:ns:netconf:base:1.0"
Element = Any
_OPERATION = f"{{{BASE}}}operation"
# What tells the entries of a list apart, per list; other repeated elements are leaf-lists.
KEYS = {
    "interface": ("name",),
    "address": ("ip",),
    "neighbor": ("remote-address", "ip", "address"),
    "control-plane-protocol": ("type", "name"),
    "route": ("destination-prefix",),
    "next-hop": ("index",),
    "area": ("area-id",),
    "range": ("prefix",),
    "network": ("prefix",),
    "aggregate": ("prefix",),
    "redistribution": ("protocol",),
    "acl": ("name",),
    "ace": ("name",),
    "acl-set": ("name",),
    "entry": ("sequence", "seq"),
    "prefix-list": ("name",),
    "route-map": ("name",),
    "as-path-list": ("name",),
    "community-list": ("name",),
    "address-family": ("name", "family", "afi"),
    "summary-address": ("prefix",),
    "key": ("key-id",),
}


class EditRefused(Exception):
    """An edit that cannot be made: the tag and message of an rpc-error."""

    def __init__(self, tag: str, message: str) -> None:
        super().__init__(message)
        self.tag = tag


def from_json(data: dict[str, Any]) -> list[Element]:
    """YANG data as JSON (also wrapped as an instance file) as elements."""
    whole = data.get("ietf-yang-instance-data:instance-data-set", {})
    inner = whole.get("content-data", data)
    text = "\n".join(line for name, value in inner.items() for line in elements(name, value))
    return children(etree.fromstring(f"<data>{text}</data>"))


def children(element: Element) -> list[Element]:
    return [child for child in element if isinstance(child.tag, str)]


def selected(held: Element, wanted: Element) -> Element | None:
    """What of an element a filter node selects; None if it does not match (RFC 6241, 6.2)."""
    below = children(wanted)
    if not below:
        return copy.deepcopy(held)
    for condition in below:
        text = (condition.text or "").strip()
        if text and not children(condition):
            found = [e for e in children(held) if same_name(e, condition)]
            if not any((e.text or "").strip() == text for e in found):
                return None
    only_conditions = all((c.text or "").strip() and not children(c) for c in below)
    if only_conditions:
        return copy.deepcopy(held)
    out = etree.Element(held.tag, nsmap=held.nsmap)
    for element in children(held):
        for node in below:
            if same_name(element, node):
                part = selected(element, node)
                if part is not None:
                    out.append(part)
                break
    return out


def same_name(held: Element, wanted: Element) -> bool:
    one, two = etree.QName(held), etree.QName(wanted)
    return one.localname == two.localname and two.namespace in (None, "", one.namespace)


class Datastore:
    """The configuration of one device, as a tree."""

    def __init__(self, top: list[Element]) -> None:
        self.root = etree.Element("data")
        for element in top:
            self.root.append(element)

    def get(self, wanted: list[Element] | None) -> list[Element]:
        """Everything, or what a subtree filter selects."""
        if wanted is None:
            return [copy.deepcopy(e) for e in children(self.root)]
        out = []
        for element in children(self.root):
            for node in wanted:
                if same_name(element, node):
                    part = selected(element, node)
                    if part is not None and (children(part) or (part.text or "").strip()):
                        out.append(part)
        return out

    def edit(self, config: list[Element]) -> None:
        """Merges a configuration in; an error leaves everything as it was.

        Raises:
            EditRefused: something to be deleted is not there, or to be created is.
        """
        before = copy.deepcopy(self.root)
        try:
            for element in config:
                self._merge(self.root, element)
        except EditRefused:
            self.root = before
            raise

    def _merge(self, parent: Element, change: Element) -> None:
        operation = change.get(_OPERATION, "merge")
        held = self._find(parent, change)
        name = etree.QName(change).localname
        if operation in ("delete", "remove"):
            if held is None:
                if operation == "delete":
                    raise EditRefused("data-missing", f"There is no {name} to delete.")
                return
            parent.remove(held)
            return
        if operation == "create" and held is not None:
            raise EditRefused("data-exists", f"{name} is there already.")
        if operation in ("replace", "create") or held is None:
            fresh = _without_operations(change)
            if held is not None:
                parent.replace(held, fresh)
            else:
                parent.append(fresh)
            return
        if not children(change):
            parent.replace(held, _without_operations(change))
            return
        for child in children(change):
            self._merge(held, child)

    def _find(self, parent: Element, wanted: Element) -> Element | None:
        found = [e for e in children(parent) if same_name(e, wanted)]
        keys = KEYS.get(str(etree.QName(wanted).localname), ())
        named = [k for k in keys if _child_text(wanted, k) is not None]
        if named:
            for element in found:
                if all(_same_key(element, wanted, key) for key in named):
                    return element
            return None
        if len(found) > 1:
            # A leaf-list: an entry is its own key.
            text = (wanted.text or "").strip()
            return next((e for e in found if (e.text or "").strip() == text), None)
        return found[0] if found else None


def _same_key(held: Element, wanted: Element, key: str) -> bool:
    one, two = _child_text(held, key), _child_text(wanted, key)
    if one is None or two is None:
        return False
    return one.rpartition(":")[2] == two.rpartition(":")[2] if key == "type" else one == two


def _child_text(element: Element, name: str) -> str | None:
    for child in children(element):
        if etree.QName(child).localname == name:
            return (child.text or "").strip()
    return None


def _without_operations(element: Element) -> Element:
    fresh = copy.deepcopy(element)
    for node in fresh.iter():
        if isinstance(node.tag, str) and _OPERATION in node.attrib:
            if node.get(_OPERATION) in ("delete", "remove") and node is not fresh:
                node.getparent().remove(node)
            else:
                del node.attrib[_OPERATION]
    return fresh
