"""What a routing protocol reported of itself: recognised, kept, and never computed with.

Engineers gather neighbour tables and databases beside the configuration. They say what was,
not what the configuration implies, so they are listed as such and set aside.
"""

from __future__ import annotations

import re

from .located_json import Node

KIND = "what a routing protocol reported"

_TEXT = re.compile(
    r"^\s*(?:OSPF Router with ID|OSPF6? Process|[A-Z]{3,} (?:interfaces|neighbors|Topology Table)\b"
    r"|Routing Protocol is \"|Codes: R - RIP|BGP (?:table version|router identifier)"
    r"|Area Scoped Link State Database|Area \S+:\n(?:IS-IS L|IS-IS paths to |  System Id )"
    r"|% [A-Z][\w-]+ (?:is not enabled|instance not found))",
    re.M,
)
_TOP = frozenset(("routerId", "neighbors", "ipv4Unicast", "ipv6Unicast", "warning"))
_ENTRY = frozenset(
    ("ospfIfType", "timerMsecs", "bgpState", "remoteAs", "routeType", "ipv4Unicast", "vrfId")
)
_AREAS = "circuits"
"""What each area has in a list of a daemon's interfaces."""


def looks_like_text(text: str) -> bool:
    """True for a protocol's report as plain text."""
    return _TEXT.search(text[:4000]) is not None


def looks_like_json(root: Node) -> bool:
    """True for a protocol's report as JSON: by its own members, or by those of its entries."""
    members = root.members()
    if any(key in members for key in _TOP):
        return True
    entries = list(members.values())
    if set(members) == {"interfaces"}:
        entries = list(members["interfaces"].members().values())
    if "areas" in members:
        return any(_AREAS in area.members() for area in members["areas"].elements())
    return any(key in entry.members() for entry in entries[:3] for key in _ENTRY)
