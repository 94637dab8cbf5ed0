"""Demo routers of other makers: OpenConfig data, as such a device gives it.

Only what the demo uses is known here: static routes and OSPF; anything else stops.
"""

from __future__ import annotations

import json
from typing import Any

from company import Port, Protocol, Router
from yang_routing import matching

_POLICY = "openconfig-policy-types"


def openconfig_data(router: Router) -> str:
    """The router's configuration as RFC 7951 JSON of OpenConfig's models."""
    if router.policy:
        raise ValueError(f"{router.name}: policies are not written here")
    instance = {
        "name": "default",
        "config": {
            "name": "default",
            "type": "openconfig-network-instance-types:DEFAULT_INSTANCE",
        },
        "protocols": {
            "protocol": [_statics(router), *(_ospf(router, p) for p in router.protocols)]
        },
    }
    document = {
        "openconfig-system:system": {"config": {"hostname": router.name}},
        "openconfig-interfaces:interfaces": {"interface": [_interface(p) for p in router.ports]},
        "openconfig-network-instance:network-instances": {"network-instance": [instance]},
    }
    return json.dumps(document, indent=2) + "\n"


def _interface(port: Port) -> dict[str, Any]:
    kind = "softwareLoopback" if port.name.startswith("lo") else "ethernetCsmacd"
    config: dict[str, Any] = {
        "name": port.name,
        "type": f"iana-if-type:{kind}",
        "enabled": port.enabled,
    }
    if port.description:
        config["description"] = port.description
    below: dict[str, Any] = {"index": 0, "config": {"index": 0}}
    for family in (4, 6):
        mine = [a for a in port.addresses if (":" in a) == (family == 6)]
        if mine:
            below[f"openconfig-if-ip:ipv{family}"] = {
                "addresses": {
                    "address": [
                        {
                            "ip": address.split("/")[0],
                            "config": {
                                "ip": address.split("/")[0],
                                "prefix-length": int(address.split("/")[1]),
                            },
                        }
                        for address in mine
                    ]
                }
            }
    return {
        "name": port.name,
        "config": config,
        "subinterfaces": {"subinterface": [below]},
    }


def _protocol(word: str, name: str) -> dict[str, Any]:
    kind = f"{_POLICY}:{word}"
    return {"identifier": kind, "name": name, "config": {"identifier": kind, "name": name}}


def _statics(router: Router) -> dict[str, Any]:
    out = _protocol("STATIC", "static")
    entries: dict[str, list[dict[str, Any]]] = {}
    for static in router.statics:
        if static.special or static.interface:
            raise ValueError(f"{router.name}: only routes to a gateway are written here")
        held = entries.setdefault(static.prefix, [])
        index = str(len(held) + 1)
        config: dict[str, Any] = {"index": index, "next-hop": static.gateway}
        if static.distance != 1:
            config["preference"] = static.distance
        held.append({"index": index, "config": config})
    if entries:
        out["static-routes"] = {
            "static": [
                {"prefix": prefix, "config": {"prefix": prefix}, "next-hops": {"next-hop": hops}}
                for prefix, hops in entries.items()
            ]
        }
    return out


def _ospf(router: Router, protocol: Protocol) -> dict[str, Any]:
    whole: dict[str, Any] = {}
    passive: set[str] = set()
    placed: dict[str, str] = {}
    for line in protocol.lines:
        words = line.split()
        if words[:2] == ["ospf", "router-id"]:
            whole["config"] = {"router-id": words[2]}
        elif words[0] == "network":
            for port in matching(router, words[1]):
                placed[port.name] = f"0.0.0.{words[3]}"
        elif words[0] == "passive-interface":
            passive.add(words[1])
        else:
            raise ValueError(line)
    areas: dict[str, list[dict[str, Any]]] = {}
    for name, area in placed.items():
        areas.setdefault(area, []).append(_ospf_port(router.port(name), name in passive))
    out = _protocol("OSPF", "ospf")
    out["ospfv2"] = {
        "global": whole,
        "areas": {
            "area": [
                {
                    "identifier": area,
                    "config": {"identifier": area},
                    "interfaces": {"interface": ports},
                }
                for area, ports in sorted(areas.items())
            ]
        },
    }
    return out


def _ospf_port(port: Port, passive: bool) -> dict[str, Any]:
    config: dict[str, Any] = {"id": port.name}
    out: dict[str, Any] = {
        "id": port.name,
        "config": config,
        "interface-ref": {"config": {"interface": port.name, "subinterface": 0}},
    }
    if passive:
        config["passive"] = True
    if port.ospf is not None:
        config["network-type"] = "openconfig-ospf-types:POINT_TO_POINT_NETWORK"
        out["timers"] = {"config": {"hello-interval": port.hello, "dead-interval": 4 * port.hello}}
    return out
