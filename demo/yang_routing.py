"""Routing protocols of the demo's routers as YANG data.

The isles are described in the words of one kind of router; here the same settings are
written for another kind: ietf-ospf (RFC 9129), ietf-rip (RFC 8695), and our own modules
for EIGRP, BGP and policy. Only what the demo uses is known here; anything else stops.
"""

from __future__ import annotations

import ipaddress
from typing import Any

from company import Port, Protocol, Router


def protocols(router: Router) -> list[dict[str, Any]]:
    """The control-plane-protocol entries of a router."""
    out = []
    for protocol in router.protocols:
        word, *number = protocol.head.split()[1:]
        kind, module, write = {
            "ospf": ("ietf-ospf:ospfv2", "ietf-ospf:ospf", _ospf),
            "rip": ("ietf-rip:ripv2", "ietf-rip:rip", _rip),
            "eigrp": ("trochos-eigrp:eigrp", "trochos-eigrp:eigrp", _eigrp),
            "bgp": ("trochos-bgp:bgp", "trochos-bgp:bgp", _bgp),
        }[word]
        out.append(
            {"type": kind, "name": word, module: write(router, protocol, int((number or ["0"])[0]))}
        )
    return out


def matching(router: Router, prefix: str) -> list[Port]:
    """The ports whose address lies in a statement's prefix."""
    network = ipaddress.ip_network(prefix)
    return [
        port
        for port in router.ports
        if any(
            ":" not in address and ipaddress.ip_interface(address).ip in network
            for address in port.addresses
        )
    ]


def _redistribution(words: list[str]) -> dict[str, Any]:
    entry: dict[str, Any] = {"protocol": words[0]}
    if "route-map" in words:
        entry["policy"] = words[words.index("route-map") + 1]
    if "metric" in words:
        entry["metric"] = int(words[words.index("metric") + 1])
    return entry


def _ospf(router: Router, protocol: Protocol, _: int) -> dict[str, Any]:
    out: dict[str, Any] = {}
    areas: dict[int, dict[str, Any]] = {}
    passive, redistributed = set(), []

    def area(number: int) -> dict[str, Any]:
        entry = areas.setdefault(number, {"area-id": f"0.0.0.{number}"})
        return entry

    placed: dict[str, int] = {}
    for line in protocol.lines:
        words = line.split()
        if words[:2] == ["ospf", "router-id"]:
            out["explicit-router-id"] = words[2]
        elif words[0] == "network":
            area(int(words[3]))
            for port in matching(router, words[1]):
                placed[port.name] = int(words[3])
        elif words[0] == "passive-interface":
            passive.add(words[1])
        elif words[0] == "redistribute":
            redistributed.append(_redistribution(words[1:]))
        elif words[0] == "default-information":
            out["trochos-policy:default-route"] = {"always": False}
        elif words[0] == "area" and words[2] == "stub":
            area(int(words[1]))["area-type"] = "ietf-ospf:stub-area"
        elif words[0] == "area" and words[2] == "range":
            entry = {"prefix": words[3], "advertise": "not-advertise" not in words}
            ranges = area(int(words[1])).setdefault("ranges", {"range": []})
            ranges["range"].append(entry)
        else:
            raise ValueError(line)
    if redistributed:
        out["trochos-policy:redistribution"] = redistributed
    for name, number in placed.items():
        port = router.port(name)
        entry = {"name": name}
        if port.ospf is not None:
            entry |= {
                "interface-type": "point-to-point",
                "hello-interval": port.hello,
                "dead-interval": 4 * port.hello,
            }
        if name in passive:
            entry["passive"] = True
        interfaces = area(number).setdefault("interfaces", {"interface": []})
        interfaces["interface"].append(entry)
    out["areas"] = {"area": [areas[number] for number in sorted(areas)]}
    return out


def _rip(router: Router, protocol: Protocol, _: int) -> dict[str, Any]:
    out: dict[str, Any] = {}
    names: dict[str, dict[str, Any]] = {}
    passive: set[str] = set()
    for line in protocol.lines:
        words = line.split()
        if words[0] == "network":
            for port in matching(router, words[1]):
                names[port.name] = {"interface": port.name}
        elif words[0] == "passive-interface":
            passive |= {p.name for p in router.ports} if words[1] == "default" else {words[1]}
        elif words[0] == "default-information":
            out["originate-default-route"] = {"enabled": True}
        elif words != ["version", "2"]:
            raise ValueError(line)
    for name in passive & set(names):
        names[name]["passive"] = [None]
    out["interfaces"] = {"interface": list(names.values())}
    return out


def _eigrp(router: Router, protocol: Protocol, number: int) -> dict[str, Any]:
    out: dict[str, Any] = {"autonomous-system": number, "address-family": "ipv4"}
    names = []
    for line in protocol.lines:
        words = line.split()
        if words[:2] == ["eigrp", "router-id"]:
            out["router-id"] = words[2]
        elif words[0] == "network":
            names += [{"name": port.name} for port in matching(router, words[1])]
        else:
            raise ValueError(line)
    out["interfaces"] = {"interface": names}
    return out


def _bgp(router: Router, protocol: Protocol, number: int) -> dict[str, Any]:
    out: dict[str, Any] = {"as": number}
    neighbours: dict[str, dict[str, Any]] = {}
    family: dict[str, Any] = {"name": "ipv4-unicast"}
    for line in protocol.lines:
        words = line.split()
        if words[0] in ("!", "address-family", "exit-address-family"):
            continue
        if words[:2] == ["bgp", "router-id"]:
            out["router-id"] = words[2]
        elif words[0] == "network":
            family.setdefault("network", []).append({"prefix": words[1]})
        elif words[0] == "neighbor":
            entry = neighbours.setdefault(
                words[1],
                {"remote-address": words[1], "address-family": [{"name": "ipv4-unicast"}]},
            )
            _bgp_neighbour(entry, words[2:])
        else:
            raise ValueError(line)
    out["neighbor"] = list(neighbours.values())
    out["address-family"] = [family]
    return out


def _bgp_neighbour(entry: dict[str, Any], words: list[str]) -> None:
    if words[0] == "remote-as":
        entry["peer-as"] = int(words[1])
    elif words[0] == "passive":
        entry["passive-mode"] = True
    elif words[0] == "ebgp-multihop":
        entry["multihop"] = int(words[1])
    elif words[0] == "update-source":
        entry["source"] = words[1]
    elif words[0] == "route-map":
        entry["address-family"][0]["import-policy" if words[2] == "in" else "export-policy"] = (
            words[1]
        )
    else:
        raise ValueError(" ".join(words))


def policy(router: Router) -> dict[str, Any] | None:
    """The container trochos-policy:policy of a router."""
    lists: dict[str, dict[str, Any]] = {}
    maps: dict[str, dict[str, Any]] = {}
    current: dict[str, Any] = {}
    for line in router.policy:
        words = line.split()
        if words[:2] == ["ip", "prefix-list"]:
            entry = {"sequence": int(words[4]), "action": words[5], "prefix": words[6]}
            if words[7:8] == ["le"]:
                entry["least-length"] = int(words[6].split("/")[1])
                entry["greatest-length"] = int(words[8])
            held = lists.setdefault(words[2], {"name": words[2], "entry": []})
            held["entry"].append(entry)
        elif words[0] == "route-map":
            current = {"sequence": int(words[3]), "action": words[2]}
            held = maps.setdefault(words[1], {"name": words[1], "entry": []})
            held["entry"].append(current)
        elif words[:4] == ["match", "ip", "address", "prefix-list"]:
            current["match"] = {"prefix-list": words[4]}
        elif words != ["exit"]:
            raise ValueError(line)
    if not lists and not maps:
        return None
    out: dict[str, Any] = {}
    if lists:
        out["prefix-list"] = list(lists.values())
    if maps:
        out["route-map"] = list(maps.values())
    return out
