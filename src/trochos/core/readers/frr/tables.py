"""FRR's route tables as JSON: gathered, shown beside the computed ones, never used."""

from __future__ import annotations

from ...network.addressing import format_address, parse_address, parse_prefix
from ...network.facts import GatheredRoute
from ...network.protocols import computed_as
from ..drafts import CaptureDraft
from ..located_json import Document, Node

KIND = "route table of an FRR router"


def looks_like(root: Node) -> bool:
    """An object whose keys are prefixes and whose values list entries with next hops."""
    members = root.members()
    if not members:
        return False
    return all(
        "/" in key and parse_prefix(key) is not None and isinstance(node.value, list)
        for key, node in list(members.items())[:50]
    )


def read(device: str, file: str, document: Document) -> CaptureDraft:
    """Reads the routes of a table, with the ways of each that are in use."""
    draft = CaptureDraft(file)
    for key, node in document.root.members().items():
        prefix = parse_prefix(key)
        if prefix is None:
            continue
        for entry in node.elements():
            protocol = entry.text("protocol") or "unknown"
            hops: list[tuple[str, str | None, str | None]] = []
            for hop in entry.items("nexthops"):
                if hop.boolean("recursive"):
                    continue
                if hop.boolean("blackhole") or hop.boolean("unreachable") or hop.boolean("reject"):
                    hops.append(("reject" if hop.boolean("reject") else "discard", None, None))
                    continue
                gateway = parse_address(hop.text("ip") or "")
                text = None if gateway is None else format_address(*gateway)
                hops.append(("forward", text, hop.text("interfaceName")))
            instance = entry.text("vrfName")
            tables = draft.gathered
            if instance and instance != "default":
                tables = draft.instances.setdefault(instance, {})
            tables.setdefault(prefix.family, []).append(
                GatheredRoute(
                    prefix,
                    computed_as(protocol),
                    entry.integer("distance"),
                    entry.integer("metric"),
                    # What the kernel refused is chosen, and not used.
                    bool(entry.boolean("selected")) and not entry.boolean("failed"),
                    tuple(sorted(hops, key=str)),
                )
            )
    for node in document.root.walk():
        node.seen = node.seen or 2
    return draft
