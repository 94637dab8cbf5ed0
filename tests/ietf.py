"""Routers of IS-IS written anew as the YANG data of the IETF, from facts that a text gave."""

from __future__ import annotations

import json
from typing import Any

from openconfig import CannotSay, _need

from trochos.core.network.facts import Device, Interface, StaticRoute
from trochos.core.network.isis import IsisInterface, IsisProcess
from trochos.core.network.routing import DefaultRoute
from trochos.core.survey import Computed

LEVELS = {
    "level-1": "level-1",
    "level-2": "level-2",
    "level-2-only": "level-2",
    "level-1-2": "level-all",
}
STYLES = {"narrow": "old-only", "wide": "wide-only", "transition": "both"}


def survey_as_yang(survey: Computed, files: dict[str, bytes]) -> tuple[dict[str, bytes], list[str]]:
    """(the survey's files with every router that can be said as YANG data, their names)."""
    out, done = dict(files), []
    for device in survey.network.devices:
        if not device.profile.name.startswith("FRR") or device.instance:
            continue
        try:
            data = as_yang(device)
        except CannotSay:
            continue
        for path in files:
            if path.startswith(f"devices/{device.name}/") and path.endswith(".conf"):
                del out[path]
        out[f"devices/{device.name}/running.json"] = json.dumps(data, indent=1).encode()
        done.append(device.name)
    return out, done


def as_yang(device: Device) -> dict[str, Any]:
    """A router's configuration as RFC 7951 JSON."""
    _need(not device.filters and not device.rules and not device.translations)
    _need(not device.unmodelled and not device.shared)
    _need(not device.policy.route_maps and not device.policy.prefix_lists)
    _need(all(isinstance(p, IsisProcess) for p in device.routing.processes))
    protocols: list[dict[str, Any]] = [
        {"type": "ietf-routing:static", "name": "static", "static-routes": statics(device)}
    ]
    held = list(device.routing.of(IsisProcess))
    if held:
        protocols.append({"type": "ietf-isis:isis", "name": "isis", "ietf-isis:isis": isis(held)})
    return {
        "ietf-interfaces:interfaces": {"interface": [interface(i) for i in device.interfaces]},
        "ietf-routing:routing": {
            "control-plane-protocols": {"control-plane-protocol": protocols},
        },
    }


def interface(item: Interface) -> dict[str, Any]:
    _need(item.parent is None and item.master is None and item.tunnel is None)
    kind = "softwareLoopback" if item.loopback else "ethernetCsmacd"
    out: dict[str, Any] = {"name": item.name, "type": f"iana-if-type:{kind}"}
    if not item.enabled:
        out["enabled"] = False
    for family in (4, 6):
        addresses = [
            {"ip": str(fact.address), "prefix-length": fact.value.length}
            for fact in item.addresses
            if fact.address.family == family and not fact.captured
        ]
        out[f"ietf-ip:ipv{family}"] = {"forwarding": True, "address": addresses}
    return out


def statics(device: Device) -> dict[str, Any]:
    out: dict[str, Any] = {}
    for family in (4, 6):
        routes: dict[str, list[dict[str, Any]]] = {}
        for static in device.statics:
            if static.prefix.family == family:
                routes.setdefault(str(static.prefix), []).append(hop(static, family))
        listed = []
        for prefix, hops in routes.items():
            entries = [{"index": str(n), **h} for n, h in enumerate(hops)]
            listed.append(
                {
                    "destination-prefix": prefix,
                    "next-hop": hops[0] if len(hops) == 1
                    else {"next-hop-list": {"next-hop": entries}},
                }
            )  # fmt: skip
        if listed:
            out[f"ietf-ipv{family}-unicast-routing:ipv{family}"] = {"route": listed}
    return out


def hop(static: StaticRoute, family: int) -> dict[str, Any]:
    out: dict[str, Any] = {}
    _need(static.special in (None, "discard", "reject"))
    if static.special is not None:
        out["special-next-hop"] = "blackhole" if static.special == "discard" else "unreachable"
    if static.gateway is not None:
        out[f"ietf-ipv{family}-unicast-routing:next-hop-address"] = str(static.gateway)
    if static.interface is not None:
        out["outgoing-interface"] = static.interface
    out["trochos-routing:preference"] = static.distance
    return out


def isis(processes: list[IsisProcess]) -> dict[str, Any]:
    one = processes[0]
    _need(one.attached_receive is None and one.attached_send is None)
    out: dict[str, Any] = {}
    if one.net is not None:
        out["area-address"], out["system-id"] = [one.area], one.system
    if one.kind is not None:
        out["level-type"] = LEVELS[one.kind.value]
    if one.style is not None:
        out["metric-type"] = {"value": STYLES[one.style.value]}
    if one.overload is not None:
        out["overload"] = {"status": one.overload.value}
    keys = {}
    for word, level in ((one.area_key, "level-1"), (one.domain_key, "level-2")):
        if word is not None:
            keys[level] = key(*word.value.split(" ", 1))
    if keys:
        out["authentication"] = keys
    if one.own_topology is not None and one.own_topology.value:
        out["topologies"] = {"topology": [{"name": "ipv6-unicast"}]}
    out["interfaces"] = {
        "interface": [
            port(name, settings, bool(out.get("topologies")))
            for name, settings in one.interfaces.items()
            if settings.taken_in
        ]
    }
    for process in processes:
        for item in process.announced:
            entry: dict[str, Any] = {
                "address-family": f"ipv{process.family}",
                "level": f"level-{item.level}",
            }
            if item.what.metric is not None:
                entry["metric"] = item.what.metric
            if item.what.route_map is not None:
                entry["policy"] = item.what.route_map
            if isinstance(item.what, DefaultRoute):
                entry["always"] = item.what.always
                name = "trochos-policy:default-announcement"
            else:
                entry["protocol"] = item.what.protocol
                name = "trochos-policy:announcement"
            out.setdefault(name, []).append(entry)
    return out


def key(form: str, secret: str) -> dict[str, Any]:
    algorithm = "md5" if form == "md5" else "cleartext"
    return {"key": secret, "crypto-algorithm": f"ietf-key-chain:{algorithm}"}


def port(name: str, settings: IsisInterface, several: bool) -> dict[str, Any]:
    _need(settings.refused is None)
    out: dict[str, Any] = {
        "name": name,
        "address-families": {
            "address-family-list": [
                {"address-family": f"ipv{family}"} for family in sorted(settings.taken_in)
            ]
        },
    }
    if settings.circuit is not None:
        out["level-type"] = LEVELS[settings.circuit.value]
    if settings.passive is not None:
        out["passive"] = settings.passive.value
    if settings.network is not None:
        out["interface-type"] = settings.network.value
    if settings.padding is not None:
        out["hello-padding"] = {"enabled": settings.padding.value}
    if settings.key is not None and settings.authentication is not None:
        out["hello-authentication"] = key(settings.authentication.value, settings.key.value)
    for leaf, values in (("metric", settings.metrics), ("priority", settings.priorities)):
        if values:
            out[leaf] = {f"level-{level}": {"value": v.value} for level, v in values.items()}
    if several and settings.left_out is not None and settings.left_out.value:
        out["topologies"] = {"topology": [{"name": "ipv4-unicast"}]}
    return out
