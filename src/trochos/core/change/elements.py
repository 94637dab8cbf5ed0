"""YANG data as XML elements (RFC 7950): what RFC 7951 names become."""

from __future__ import annotations

from typing import Any
from xml.sax.saxutils import escape, quoteattr

from ..readers.located_xml import namespace

_KNOWN = ("ietf-", "iana-", "trochos-", "openconfig-")


def split_name(name: str) -> tuple[str | None, str]:
    """The module and the local part of a name."""
    module, colon, local = name.partition(":")
    return (module, local) if colon else (None, name)


def space_of(module: str | None) -> str:
    """The declaration that a change of module needs."""
    return f" xmlns={quoteattr(namespace(module))}" if module else ""


def scalar(value: Any) -> str:
    """A value as text."""
    if isinstance(value, bool):
        return "true" if value else "false"
    return "" if value is None else str(value)


def leaf(name: str, value: Any, pad: str = "", prefix: str = "") -> str:
    """One leaf. An identity's module is bound as a prefix (RFC 7950, 9.10.3)."""
    module, local = split_name(name)
    text = scalar(value)
    head, colon, _ = text.partition(":")
    identity = colon and head.startswith(_KNOWN) and " " not in text
    bound = f" xmlns:{head}={quoteattr(namespace(head))}" if identity else ""
    mark = "" if module else prefix
    return f"{pad}<{mark}{local}{space_of(module)}{bound}>{escape(text)}</{mark}{local}>"


def elements(name: str, value: Any, pad: str = "", prefix: str = "") -> list[str]:
    """A member of any kind as lines.

    Args:
        name: as RFC 7951 writes it.
        value: its JSON value; `None` and `[None]` are a leaf of type empty.
        pad: spaces in front of each line.
        prefix: what stands before names without a module where no default namespace is in
            force, such as `if:`.
    """
    module, local = split_name(name)
    mark, inner = ("", "") if module else (prefix, prefix)
    out: list[str] = []
    for item in value if isinstance(value, list) else [value]:
        if item is None:
            out.append(f"{pad}<{mark}{local}{space_of(module)}/>")
        elif isinstance(item, dict):
            out.append(f"{pad}<{mark}{local}{space_of(module)}>")
            for key, held in item.items():
                out += elements(key, held, pad + "  ", inner)
            out.append(f"{pad}</{mark}{local}>")
        else:
            out.append(leaf(name, item, pad, prefix))
    return out
