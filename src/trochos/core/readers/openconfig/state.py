"""What an OpenConfig device shows of itself: neighbours on its links (openconfig-lldp) and its
forwarding tables (openconfig-aft), which are only ever set beside the computed ones."""

from __future__ import annotations

from ...network.addressing import parse_address, parse_prefix
from ...network.facts import GatheredRoute, Heard
from ...network.protocols import computed_as
from ..drafts import CaptureDraft
from .held import Held, bare

_ORIGINS = {"DIRECTLY_CONNECTED": "connected", "LOCAL_AGGREGATE": "static"}


def heard(held: Held, names: dict[tuple[str, int], str], capture: CaptureDraft) -> None:
    """Who is at the other end of each link."""
    listed = held.inner("interfaces")
    for (name,), entry in listed.entries("interface", "name") if listed is not None else []:
        neighbours = entry.inner("neighbors")
        for _, one in neighbours.entries("neighbor", "id") if neighbours is not None else []:
            shown = one.inner("state")
            system = shown.word("system-name") if shown is not None else None
            port = shown.word("port-id") if shown is not None else None
            label = shown.word("port-description") if shown is not None else None
            if system is None or port is None:
                continue
            capture.heard.append(
                Heard(
                    names.get((name, 0), name),
                    system.value,
                    port.value,
                    label.value if label is not None else None,
                    system.source,
                )
            )
    held.node.ignore_rest()


def tables(instance: Held, capture: CaptureDraft) -> None:
    """The forwarding tables of an instance (openconfig-aft)."""
    held = instance.inner("afts")
    if held is None:
        return
    kind = instance.identity("type")
    name = instance.word("name")
    main = kind is not None and kind.value == "DEFAULT_INSTANCE"
    main = main or name is None or name.value == "default"
    hops: dict[str, tuple[str, str | None, str | None]] = {}
    listed = held.inner("next-hops")
    for (index,), entry in listed.entries("next-hop", "index") if listed is not None else []:
        shown = entry.inner("state")
        address = shown.word("ip-address") if shown is not None else None
        ref = entry.inner("interface-ref", "state")
        port = ref.word("interface") if ref is not None else None
        gateway = parse_address(address.value) if address is not None else None
        hops[index] = (
            "forward",
            str(gateway) if gateway is not None else None,
            port.value if port is not None else None,
        )
    groups: dict[str, list[str]] = {}
    listed = held.inner("next-hop-groups")
    for (group,), entry in listed.entries("next-hop-group", "id") if listed is not None else []:
        inner = entry.inner("next-hops")
        groups[group] = [
            index
            for (index,), _ in (inner.entries("next-hop", "index") if inner is not None else [])
        ]
    for family in (4, 6):
        listed = held.inner(f"ipv{family}-unicast")
        for (text,), entry in (
            listed.entries(f"ipv{family}-entry", "prefix") if listed is not None else []
        ):
            shown = entry.inner("state")
            prefix = parse_prefix(text)
            if shown is None or prefix is None:
                continue
            origin = shown.identity("origin-protocol")
            word = origin.value if origin is not None else "?"
            group_ = shown.word("next-hop-group")
            found = tuple(
                hops[i] for i in groups.get(group_.value if group_ else "", ()) if i in hops
            )
            route = GatheredRoute(
                prefix, _ORIGINS.get(word) or computed_as(word.lower()), None, None, True, found
            )
            into = capture.gathered
            if not main and name is not None:
                into = capture.instances.setdefault(bare(name.value), {})
            into.setdefault(family, []).append(route)
    held.node.ignore_rest()
