"""A file of data, JSON or XML, as one kind of tree with the line of every value."""

from __future__ import annotations

from .located_json import DataError, Node, parse
from .located_xml import looks_like, parse_xml

__all__ = ["DataError", "Node", "parse_data"]


def parse_data(text: str) -> Node:
    """Parses a document by what it begins with.

    Raises:
        DataError: it is damaged; the error knows the line.
    """
    return parse_xml(text) if looks_like(text) else parse(text)
