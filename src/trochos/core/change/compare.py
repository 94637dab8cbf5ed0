"""Two surveys side by side: texts, facts, routes, neighbours, verdicts."""

from __future__ import annotations

import difflib
from dataclasses import dataclass

from ..forwarding.reach import Reach
from ..network.addressing import Prefix
from ..network.documents import Document
from ..network.facts import Device, Interface, Network
from ..network.source import alike
from ..protocols.tables import Tables
from ..readers.survey import Survey
from ..step.routes import Route
from .rehearse import (
    Effect,
    compare_pairs,
    neighbours_changed,
    same_route,
    unlike,
    winner,
    working_with,
)


@dataclass(frozen=True, slots=True)
class RouteChange:
    """An entry of a table that is new, gone or leads elsewhere."""

    device: str
    prefix: Prefix
    old: Route | None
    new: Route | None

    def as_json(self) -> dict[str, object]:
        return {
            "device": self.device,
            "prefix": str(self.prefix),
            "old": self.old.as_json() if self.old else None,
            "new": self.new.as_json() if self.new else None,
        }


def text_changes(old: Survey, new: Survey) -> list[dict[str, object]]:
    """Per file that differs a unified difference of the masked texts."""
    out: list[dict[str, object]] = []
    for device in sorted(old.files.keys() | new.files.keys()):
        before, after = old.files.get(device, {}), new.files.get(device, {})
        for file in sorted(before.keys() | after.keys()):
            left, right = before.get(file), after.get(file)
            if left == right or (left is not None and right is not None and alike(left, right)):
                continue
            lines = difflib.unified_diff(
                (left or "").splitlines(),
                (right or "").splitlines(),
                "" if left is None else "old",
                "" if right is None else "new",
                lineterm="",
            )
            out.append({"device": device or None, "file": file, "diff": "\n".join(lines)})
    return out


def fact_changes(old: Survey, new: Survey) -> list[dict[str, object]]:
    """What devices and their interfaces are said to be, however that is written."""
    before = {device.name: device for device in old.network.devices}
    after = {device.name: device for device in new.network.devices}
    out: list[dict[str, object]] = []
    for name in sorted(before.keys() | after.keys()):
        left, right = _facts(before.get(name)), _facts(after.get(name))
        for what in sorted(left.keys() | right.keys()):
            was, now = left.get(what), right.get(what)
            if was != now:
                out.append({"device": name, "what": what, "old": was, "new": now})
    return out


def _facts(device: Device | None) -> dict[str, str]:
    """A device's facts in words, each under what it is about."""
    if device is None:
        return {}
    out = {"role": device.role}
    if device.role == "unread":
        return out
    for number, family in enumerate(("IPv4", "IPv6")):
        out[f"forwards {family}"] = "yes" if device.forwarding[number] else "no"
    out["runs"] = (
        ", ".join(sorted(p.title for p in device.routing.processes)) or "no routing protocol"
    )
    ways: dict[str, list[str]] = {}
    for route in device.statics:
        words = [str(part) for part in (route.gateway, route.interface, route.special) if part]
        if route.distance != device.profile.static_distance:
            words.append(f"distance {route.distance}")
        ways.setdefault(f"static route {route.prefix}", []).append(" ".join(words))
    out |= {prefix: ", ".join(sorted(found)) for prefix, found in ways.items()}
    for interface in device.interfaces:
        out |= _of_interface(interface)
    return out


def _of_interface(interface: Interface) -> dict[str, str]:
    name = interface.name
    held = [
        str(fact.value)
        for fact in interface.addresses
        if not fact.address.is_link_local and not fact.address.is_loopback
    ]
    out = {f"{name} is": "on" if interface.enabled else "shut down"}
    if held:
        out[f"{name} addresses"] = ", ".join(sorted(held))
    if interface.carrier is not None:
        out[f"{name} carrier"] = "yes" if interface.carrier else "no"
    if interface.mtu is not None:
        out[f"{name} MTU"] = str(interface.mtu)
    if interface.tag is not None:
        out[f"{name} tag"] = f"{interface.tag} of {interface.parent}"
    if interface.tunnel is not None:
        ends = f"{interface.tunnel.local} to {interface.tunnel.remote}"
        out[f"{name} tunnel"] = f"{interface.tunnel.mode}, {ends}"
    if interface.carried:
        vlans = sorted((c.vlan, "untagged" if c.untagged else "tagged") for c in interface.carried)
        out[f"{name} carries"] = ", ".join(f"{vlan} {form}" for vlan, form in vlans)
    return out


def route_changes(old: Tables, new: Tables) -> list[RouteChange]:
    """Every entry that differs, by device and prefix."""
    out = []
    for key in sorted(old.tables.keys() | new.tables.keys()):
        for prefix in sorted(unlike(old, new, key)):
            left, right = winner(old, key, prefix), winner(new, key, prefix)
            if not same_route(left, right):
                out.append(RouteChange(key[0], prefix, left, right))
    return out


@dataclass(frozen=True, slots=True)
class Missing:
    """A device that the older survey read and the newer one did not: nothing is known of the
    pairs that worked with it."""

    device: str
    role: str
    pairs: int

    def as_json(self) -> dict[str, object]:
        return {"device": self.device, "role": self.role, "pairs": self.pairs}


def missing_devices(old: Network, new: Network) -> list[Device]:
    """The devices that were read before and are not read now."""
    there = {d.name for d in new.devices if d.role != "unread"}
    return [d for d in old.devices if d.role != "unread" and d.name not in there]


def _missing(old: Survey, new: Survey, reach: tuple[Reach, Reach]) -> list[Missing]:
    out = []
    for device in missing_devices(old.network, new.network):
        pairs = working_with(reach[0], device.name)
        out.append(Missing(device.name, device.role, pairs))
    return out


def networks_apart(old: Survey, new: Survey) -> str | None:
    """A sentence if two surveys are not of one network: they say so, or share few devices."""
    left, right = old.about.network, new.about.network
    if left and right:
        if left == right:
            return None
        return f"The surveys are of two networks, {left} and {right}."
    before = {d.name for d in old.network.devices}
    after = {d.name for d in new.network.devices}
    if len(before & after) * 2 >= min(len(before), len(after)):
        return None
    return (
        f"Of {len(before)} and {len(after)} devices only {len(before & after)} have the same name: "
        "these are hardly surveys of one network."
    )


@dataclass(slots=True)
class Comparison(Document):
    """What differs between two surveys."""

    texts: list[dict[str, object]]
    facts: list[dict[str, object]]
    routes: list[RouteChange]
    neighbours: dict[str, list[dict[str, object]]]
    effect: Effect
    missing: list[Missing]
    """What the newer survey no longer holds."""
    apart: str | None
    """Set if these are not two surveys of one network."""

    @property
    def same(self) -> bool:
        return not (
            self.texts
            or self.missing
            or self.routes
            or any(self.neighbours.values())
            or not self.effect.nothing
        )

    def as_nodes(self) -> dict[str, object]:
        """The `compare` document of the contract."""
        return {
            "texts": self.texts,
            "facts": self.facts,
            "routes": [change.as_json() for change in self.routes],
            "neighbours": self.neighbours,
            "verdicts": {
                **self.effect.as_json(),
                "gone": [pair.as_json() for pair in self.effect.gone],
                "new": [pair.as_json() for pair in self.effect.new],
            },
            "missing": [item.as_json() for item in self.missing],
            "note": self.apart,
        }


def compare(
    old: Survey, new: Survey, tables: tuple[Tables, Tables], reach: tuple[Reach, Reach]
) -> Comparison:
    """Compares two surveys; `tables` and `reach` are theirs, old first."""
    return Comparison(
        text_changes(old, new),
        fact_changes(old, new),
        route_changes(*tables),
        neighbours_changed(*tables),
        compare_pairs(*reach),
        _missing(old, new, reach),
        networks_apart(old, new),
    )
