"""What devices send as XML: parsed within bounds, with nothing fetched or expanded."""

from __future__ import annotations

from typing import Any

from lxml import etree

from ..problems import Garbled

BASE = "urn:ietf:params:xml:ns:netconf:base:1.0"
Element = Any
"""lxml's element; the package has no types of its own."""


def parse(data: bytes, what: str) -> Element:
    """The root element.

    Raises:
        Garbled: it is not well-formed, or declares a document type.
    """
    parser = etree.XMLParser(
        resolve_entities=False, no_network=True, load_dtd=False, remove_blank_text=True
    )
    try:
        root = etree.fromstring(data.strip(), parser)
    except etree.XMLSyntaxError as error:
        raise Garbled(f"{what} is not XML ({str(error).split(', line')[0][:100]}).") from error
    if root.getroottree().docinfo.internalDTD is not None:
        raise Garbled(f"{what} declares a document type, which NETCONF does not allow.")
    return root


def local(element: Element) -> str:
    """The name without its namespace."""
    return str(etree.QName(element).localname)


def children(element: Element) -> list[Element]:
    """The elements below, without comments and processing instructions."""
    return [child for child in element if isinstance(child.tag, str)]


def document(elements: list[Element], wrapper: str = "data", space: str = BASE) -> str:
    """Elements as one indented document, so that every value has a line of its own."""
    root = etree.Element(f"{{{space}}}{wrapper}", nsmap={None: space})
    for element in elements:
        root.append(element)
    etree.indent(root, "  ")
    return str(etree.tostring(root, encoding="unicode")) + "\n"
