"""YANG data as XML (RFC 7950) with the line of every value, as the same tree that JSON gives.

Names carry their module as RFC 7951 writes them (`ietf-ip:ipv4` where the module changes), so
one reader serves both encodings. XML does not say whether a value is a number, nor whether one
element is a list's only entry; the nodes answer both ways. Nothing is fetched or expanded:
a document type or an entity of its own is an error.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from xml.parsers import expat

from .located_json import MAX_DEPTH, DataError, Node

_NAMES = "urn:ietf:params:xml:ns:yang:"
_OURS = "urn:trochos:yang:"
_OPEN = "http://openconfig.net/yang/"
_OPEN_MODULES = {
    "interfaces/ip": "openconfig-if-ip",
    "interfaces/ip-ext": "openconfig-if-ip-ext",
    "interfaces/ethernet": "openconfig-if-ethernet",
    "interfaces/aggregate": "openconfig-if-aggregate",
    "interfaces/tunnel": "openconfig-if-tunnel",
    "lldp/types": "openconfig-lldp-types",
    "openconfig-isis": "openconfig-isis",
    "openconfig-if-types": "openconfig-if-types",
}
"""OpenConfig's namespaces that are not `yang/NAME` for the module `openconfig-NAME`."""
_WRAPPERS = ("rpc-reply", "data", "config")
_TAG = re.compile(r"<(?:\"[^\"]*\"|'[^']*'|[^>\"'])*>")
_START = re.compile(r"\s*<[A-Za-z_?!](?!ecret:[0-9a-f]{12}>)")
_IDENTITY = re.compile(r"([A-Za-z_][\w.-]*):([\w.-]+)")
# Lists that often have one entry: a list stays a list, so that its entries have the same path.
_LISTS = frozenset(
    (
        "interface",
        "address",
        "neighbor",
        "control-plane-protocol",
        "route",
        "area",
        "range",
        "virtual-link",
        "acl",
        "ace",
        "acl-set",
        "rib",
        "address-family",
        "network",
        "aggregate",
        "redistribution",
        "prefix-list",
        "entry",
        "as-path-list",
        "community-list",
        "route-map",
        "summary-address",
        "distribute-list",
        "node",
        "link",
    )
)


class XmlError(DataError):
    """The text is not well-formed XML, or holds what is not accepted."""


class XmlNode(Node):
    """An element: its members, or its text."""

    __slots__ = ()

    def text(self, key: str) -> str | None:
        node = self.get(key)
        if node is None:
            return None
        return "" if node.value == {} else node.value if isinstance(node.value, str) else None

    def boolean(self, key: str) -> bool | None:
        node = self.get(key)
        return {"true": True, "false": False}.get(str(node.value)) if node is not None else None

    def items(self, key: str) -> list[Node]:
        node = self.get(key)
        return [] if node is None else node.elements()

    def elements(self) -> list[Node]:
        return self.value if isinstance(self.value, list) else [self]


def looks_like(text: str) -> bool:
    """True if a text begins as XML does; a secret's mark alone is none."""
    return _START.match(text) is not None


def namespace(module: str) -> str:
    """The XML namespace of a YANG module."""
    if module.startswith("openconfig-"):
        named = {name: place for place, name in _OPEN_MODULES.items()}
        return _OPEN + named.get(module, module.removeprefix("openconfig-"))
    return (_OURS if module.startswith("trochos-") else _NAMES) + module


def module_of(uri: str) -> str:
    """The YANG module of a namespace; other namespaces stand for themselves."""
    for head in (_NAMES, _OURS):
        if uri.startswith(head):
            return uri[len(head) :]
    if uri.startswith(_OPEN):
        place = uri[len(_OPEN) :]
        return _OPEN_MODULES.get(place, f"openconfig-{place}")
    return uri


class _Element:
    __slots__ = ("children", "line", "module", "name", "start", "texts")

    def __init__(self, module: str, name: str, line: int, start: int) -> None:
        self.module, self.name, self.line, self.start = module, name, line, start
        self.children: list[tuple[str, XmlNode]] = []
        self.texts: list[str] = []


def parse_xml(text: str) -> XmlNode:
    """Parses one XML document; what NETCONF wraps around the data is taken off.

    Raises:
        XmlError: not well-formed, nested deeper than MAX_DEPTH, or with declarations of its own.
    """
    return _Parser(text).run()


class _Parser:
    def __init__(self, text: str) -> None:
        self.source = text
        self.lead = len(text) - len(text.lstrip())
        self.at = _character_index(text)
        self.parser = expat.ParserCreate(namespace_separator=" ")
        self.parser.StartElementHandler = self.begin
        self.parser.EndElementHandler = self.end
        self.parser.CharacterDataHandler = self.characters
        self.parser.StartNamespaceDeclHandler = self.bind
        self.parser.EndNamespaceDeclHandler = self.unbind
        self.parser.StartDoctypeDeclHandler = self.declared
        self.parser.buffer_text = True
        self.open: list[_Element] = []
        self.bound: dict[str, list[str]] = {}
        self.root: tuple[str, XmlNode] | None = None
        self.wrapped = False

    def run(self) -> XmlNode:
        try:
            self.parser.Parse(self.source.lstrip().encode("utf-8", "replace"), True)
        except expat.ExpatError as error:
            line = error.lineno + self.source[: self.lead].count("\n")
            raise XmlError(f"this is not XML: {expat.ErrorString(error.code)}", line) from error
        assert self.root is not None
        name, node = self.root
        while name.rpartition(":")[2] in _WRAPPERS and isinstance(node.value, dict):
            inner = [key for key in node.value if key.rpartition(":")[2] in _WRAPPERS]
            if not inner:
                return node
            name, node = inner[0], node.value[inner[0]]
        root = XmlNode({name: node}, node.line, node.start, node.end)
        return root

    # -- what the parser tells ---------------------------------------------------------

    def line(self) -> int:
        return self.parser.CurrentLineNumber + self.source[: self.lead].count("\n")

    def declared(self, *_: object) -> None:
        raise XmlError("a document type is not accepted", self.line())

    def bind(self, prefix: str | None, uri: str | None) -> None:
        self.bound.setdefault(prefix or "", []).append(uri or "")

    def unbind(self, prefix: str | None) -> None:
        self.bound[prefix or ""].pop()

    def begin(self, full: str, _attributes: dict[str, str]) -> None:
        if len(self.open) >= MAX_DEPTH:
            raise XmlError(f"elements are nested more than {MAX_DEPTH} deep", self.line())
        uri, _, name = full.rpartition(" ")
        start = self.lead + self.at(self.parser.CurrentByteIndex)
        self.open.append(_Element(module_of(uri), name, self.line(), start))

    def characters(self, data: str) -> None:
        if self.open:
            self.open[-1].texts.append(data)

    def end(self, _full: str) -> None:
        element = self.open.pop()
        tag = _TAG.match(self.source, element.start)
        assert tag is not None
        stop = tag.end()
        if not tag.group().endswith("/>"):
            stop = self.source.index(">", self.lead + self.at(self.parser.CurrentByteIndex)) + 1
        node = XmlNode(self.value(element), element.line, element.start, stop)
        outer = self.open[-1] if self.open else None
        same = outer is not None and outer.module == element.module
        name = element.name if same or not element.module else f"{element.module}:{element.name}"
        if outer is None:
            self.root = name, node
        else:
            outer.children.append((name, node))

    def value(self, element: _Element) -> object:
        text = "".join(element.texts).strip()
        if not element.children:
            match = _IDENTITY.fullmatch(text)
            if match is not None and (uris := self.bound.get(match.group(1))):
                module = module_of(uris[-1])
                if module != uris[-1]:
                    return f"{module}:{match.group(2)}"
            return text or {}
        members: dict[str, Node] = {}
        for name, node in element.children:
            held = members.get(name)
            if held is None:
                members[name] = node
            elif isinstance(held.value, list):
                held.value.append(node)
                held.end = node.end
            else:
                members[name] = _listed([held, node])
        for name, held in members.items():
            bare = name.rpartition(":")[2]
            listed = bare in _LISTS or (bare, element.name) == ("next-hop", "next-hop-list")
            if element.module.startswith("openconfig-"):
                # There every list is alone in a container that bears its name in the plural.
                listed = element.name in (f"{bare}s", f"{bare[:-1]}ies", f"{bare}es") or (
                    element.name,
                    bare,
                ) in (("afi-safi", "af"), ("static-routes", "static"))
            if listed and isinstance(held.value, dict) and held.value:
                members[name] = _listed([held])
        return members


def _listed(nodes: list[Node]) -> XmlNode:
    return XmlNode(nodes, nodes[0].line, nodes[0].start, nodes[-1].end)


def _character_index(text: str) -> Callable[[int], int]:
    """From an offset in bytes, as the parser counts, to one in characters."""
    body = text.lstrip()
    if body.isascii():
        return lambda offset: offset
    data = body.encode("utf-8", "replace")
    return lambda offset: len(data[:offset].decode("utf-8", "replace"))
