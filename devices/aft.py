"""A device's routing tables as openconfig-aft shows them: entries, groups and next hops."""

from __future__ import annotations

from typing import Any

_ORIGINS = {
    "connected": "DIRECTLY_CONNECTED",
    "static": "STATIC",
    "ospf": "OSPF",
    "isis": "ISIS",
    "bgp": "BGP",
}


def tables_as_afts(tables: dict[str, list[dict[str, Any]]]) -> dict[str, Any]:
    """The selected routes of each family, as the contract's `routes` document has them."""
    hops: list[dict[str, Any]] = []
    groups: list[dict[str, Any]] = []
    out: dict[str, Any] = {}
    for family, routes in tables.items():
        entries = []
        for route in routes:
            if not route["selected"] or route["protocol"] not in _ORIGINS:
                continue
            members = []
            for hop in route["next_hops"]:
                if hop["action"] in ("discard", "reject"):
                    continue
                index = len(hops) + 1
                state: dict[str, Any] = {"index": index}
                entry: dict[str, Any] = {"index": index, "state": state}
                if hop["address"]:
                    state["ip-address"] = hop["address"]
                if hop["interface"]:
                    entry["interface-ref"] = {"state": {"interface": hop["interface"]}}
                hops.append(entry)
                members.append({"index": index, "state": {"index": index}})
            group = len(groups) + 1
            groups.append({"id": group, "state": {"id": group}, "next-hops": {"next-hop": members}})
            entries.append(
                {
                    "prefix": route["prefix"],
                    "state": {
                        "prefix": route["prefix"],
                        "next-hop-group": group,
                        "origin-protocol": "openconfig-policy-types:" + _ORIGINS[route["protocol"]],
                    },
                }
            )
        out[f"{family}-unicast"] = {f"{family}-entry": entries}
    return {
        **out,
        "next-hop-groups": {"next-hop-group": groups},
        "next-hops": {"next-hop": hops},
    }
