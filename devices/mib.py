"""What a device is, as rows of the standard MIBs: IF-MIB, IP-MIB, IP-FORWARD-MIB, LLDP-MIB."""

from __future__ import annotations

import ipaddress
from typing import Any

from pysnmp.proto import rfc1902

from trochos.core.network.facts import Device as Facts
from trochos.core.network.facts import Network

Oid = tuple[int, ...]
_IF, _IFX = (1, 3, 6, 1, 2, 1, 2, 2, 1), (1, 3, 6, 1, 2, 1, 31, 1, 1, 1)
_IP = (1, 3, 6, 1, 2, 1, 4)
_LLDP = (1, 0, 8802, 1, 1, 2, 1)
_PROTOCOLS = {
    "connected": 2,
    "static": 3,
    "kernel": 3,
    "rip": 8,
    "ospf": 13,
    "bgp": 14,
    "eigrp": 16,
}


def rows(facts: Facts, network: Network, tables: dict[str, list[dict[str, Any]]]) -> dict[Oid, Any]:
    """Every row, by object identifier.

    Args:
        facts: the device.
        network: all of them, for who is on the other end of a link.
        tables: the device's routing tables as the `routes` document has them.
    """
    out: dict[Oid, Any] = {
        (1, 3, 6, 1, 2, 1, 1, 5, 0): rfc1902.OctetString(facts.name),
        (*_IP, 1, 0): rfc1902.Integer(1 if facts.forwarding[0] else 2),
        (*_IP, 25, 0): rfc1902.Integer(1 if facts.forwarding[1] else 2),
    }
    index: dict[str, int] = {}
    for number, interface in enumerate(facts.interfaces, 1):
        index[interface.name] = number
        up = interface.enabled and interface.carrier is not False
        out[*_IF, 1, number] = rfc1902.Integer(number)
        out[*_IF, 2, number] = rfc1902.OctetString(interface.name)
        out[*_IF, 3, number] = rfc1902.Integer(24 if interface.loopback else 6)
        out[*_IF, 4, number] = rfc1902.Integer(interface.mtu or 1500)
        mac = bytes.fromhex((interface.mac or "").replace(":", ""))
        out[*_IF, 6, number] = rfc1902.OctetString(mac)
        out[*_IF, 7, number] = rfc1902.Integer(1 if interface.enabled else 2)
        out[*_IF, 8, number] = rfc1902.Integer(1 if up else 2)
        out[*_IFX, 1, number] = rfc1902.OctetString(interface.name)
        out[*_IFX, 18, number] = rfc1902.OctetString(interface.description or "")
        for fact in interface.addresses:
            held = ipaddress.ip_interface(str(fact.value))
            packed = held.ip.packed
            kind = (1, 4) if len(packed) == 4 else (2, 16)
            network_of = held.network.network_address.packed
            pointer = (*_IP, 32, 1, 5, number, *kind, *network_of, held.network.prefixlen)
            out[*_IP, 34, 1, 3, *kind, *packed] = rfc1902.Integer(number)
            out[*_IP, 34, 1, 5, *kind, *packed] = rfc1902.ObjectIdentifier(pointer)
        out[*_LLDP, 3, 7, 1, 3, number] = rfc1902.OctetString(interface.name)
    _routes(out, index, tables)
    _neighbours(out, index, facts, network)
    return dict(sorted(out.items()))


def _routes(out: dict[Oid, Any], index: dict[str, int], tables: dict[str, Any]) -> None:
    for routes in tables.values():
        for route in routes:
            if route["protocol"] == "local" or not route["selected"]:
                continue
            prefix = ipaddress.ip_network(route["prefix"])
            kind = (1, 4) if prefix.version == 4 else (2, 16)
            head = (*kind, *prefix.network_address.packed, prefix.prefixlen)
            for hop in route["next_hops"]:
                address = hop["address"]
                packed = ipaddress.ip_address(address).packed if address else b""
                way = (kind[0], len(packed), *packed) if packed else (0, 0)
                key = (*head, 2, 0, 0, *way)
                sort = {"forward": 4 if packed else 3, "discard": 5, "reject": 2}[hop["action"]]
                base = (*_IP, 24, 7, 1)
                out[*base, 7, *key] = rfc1902.Integer(index.get(hop["interface"] or "", 0))
                out[*base, 8, *key] = rfc1902.Integer(sort)
                out[*base, 9, *key] = rfc1902.Integer(_PROTOCOLS.get(route["protocol"], 1))
                out[*base, 12, *key] = rfc1902.Integer(route["metric"] or 0)


def _neighbours(out: dict[Oid, Any], index: dict[str, int], facts: Facts, network: Network) -> None:
    count = 0
    for segment in network.segments:
        mine = [e for e in segment.ends if e.device == facts.name]
        others = [e for e in segment.ends if e.device != facts.name]
        if len(mine) != 1 or len(others) != 1 or mine[0].interface not in index:
            continue
        count += 1
        key = (0, index[mine[0].interface], count)
        out[*_LLDP, 4, 1, 1, 5, *key] = rfc1902.OctetString(others[0].device)
        out[*_LLDP, 4, 1, 1, 7, *key] = rfc1902.OctetString(others[0].interface)
        out[*_LLDP, 4, 1, 1, 9, *key] = rfc1902.OctetString(others[0].device)
