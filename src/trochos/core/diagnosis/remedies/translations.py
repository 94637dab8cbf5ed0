"""Edits of translating chains, as `nft -j list ruleset` prints them (libnftables-json(5)), or in
ietf-nat (nat_model.py)."""

from __future__ import annotations

from itertools import takewhile
from typing import Any

from ...change.data import plain
from ...change.paths import at_path
from ...network.addressing import Address, Prefix
from ...network.edits import DataEdit, Edit, Remedy
from ...network.facts import Device
from ...network.filters import Chain, Entry
from ...network.translation import DESTINATION, SOURCE
from ...readers.located import parse_data
from ..finding import Finding
from . import nat_model
from .bench import Bench

_NFT = "/nftables/"
Expr = list[dict[str, object]]


def chain_at(bench: Bench, device: str, hook: str, family: int) -> Chain | None:
    """The first translating chain that packets meet at a hook."""
    chains = [
        chain
        for chain in bench.devices[device].translations
        if chain.hook == hook and family in chain.families
    ]
    return min(chains, key=lambda chain: chain.priority, default=None)


def entries_of(bench: Bench, device: str, what: str) -> list[Entry]:
    """The entries of a device that rewrite one end of packets."""
    return [
        entry
        for chain in bench.devices[device].translations
        for entry in chain.entries
        if entry.rewrite is not None and entry.rewrite.what == what
    ]


def added(bench: Bench, chain: Chain, expr: Expr) -> tuple[Edit, ...]:
    """One more entry at the end of a chain; empty where it is not written in this language."""
    file, device = chain.source.file, chain.source.device
    if nat_model.is_of(chain.source):
        return nat_model.added(chain, _at(bench, device, file, chain.source.path or ""), expr)
    whole = _at(bench, device, file, "/nftables")
    if not (chain.source.path or "").startswith(_NFT) or not isinstance(whole, list):
        return ()
    family, table, name = chain.name.split("/", 2)
    rule = {"rule": {"family": family, "table": table, "chain": name, "expr": expr}}
    return (DataEdit(device, file, f"{_NFT}{len(whole)}", None, rule),)


def with_value(bench: Bench, entry: Entry, key: str, value: object) -> tuple[Edit, ...]:
    """Another value of one condition: `source`, `target`, `port`, `in` or `out`."""
    if nat_model.is_of(entry.source):
        return nat_model.with_value(entry, _held(bench, entry), key, value)
    for number, part in enumerate(_expr(bench, entry)):
        match = part.get("match")
        if isinstance(match, dict) and _asks(match.get("left"), key):
            place = f"{_of(entry)}/expr/{number}/match/right"
            return (DataEdit(entry.source.device, entry.source.file, place, None, value),)
    return ()


def with_put(
    bench: Bench, entry: Entry, address: Address | None, port: int | None
) -> tuple[Edit, ...]:
    """Another address or port in place of the one that the entry puts there. Without an address,
    that of the exit."""
    if nat_model.is_of(entry.source):
        return nat_model.with_put(entry, _held(bench, entry), address, port)
    for number, part in enumerate(_expr(bench, entry)):
        word = next((w for w in ("snat", "dnat", "masquerade", "redirect") if w in part), None)
        if word is None:
            continue
        held = part[word]
        body: dict[str, object] = dict(held) if isinstance(held, dict) else {}
        if address is None:
            new: dict[str, object] = {"masquerade": None}
        else:
            body["addr"] = str(address)
            if port is not None:
                body["port"] = port
            new = {"snat" if word in ("snat", "masquerade") else "dnat": body}
        place = f"{_of(entry)}/expr/{number}"
        return (DataEdit(entry.source.device, entry.source.file, place, None, new),)
    return ()


def routed_here(bench: Bench, device: Device, entry: Entry, now: Address) -> list[Address]:
    """Addresses that others send to a device and that nobody has or rewrites to: those that look
    most like the present one first."""
    mine = {f.address for i in device.interfaces for f in i.addresses}
    taken = {
        item.rewrite.first
        for item in entries_of(bench, device.name, SOURCE)
        if item.rewrite is not None and item is not entry
    } | bench.forwarding.near.forwarded.get(device.name, set())
    out: dict[Address, None] = {}
    for _, other in bench.beside(device.name):
        for static in bench.devices[other.device].statics:
            prefix = static.prefix
            if static.gateway not in mine or prefix.is_default or prefix.family != now.family:
                continue
            if prefix.last - prefix.network > 255:
                continue
            inner = range(prefix.network + (not prefix.is_host), prefix.last + prefix.is_host)
            for value in inner:
                address = Address(prefix.family, value)
                if address not in taken and address not in bench.forwarding.near.owners:
                    out[address] = None
    return sorted(out, key=lambda a: (-alike(str(a), str(now)), a))


def alike(one: str, other: str) -> int:
    """How many signs two texts share at their ends."""

    def shared(a: str, b: str) -> int:
        return sum(1 for _ in takewhile(lambda pair: pair[0] == pair[1], zip(a, b, strict=False)))

    return shared(one, other) + shared(one[::-1], other[::-1])


def hosts_like(bench: Bench, now: Address) -> list[Address]:
    """Addresses of hosts near an address, those that look most like it first."""
    found = [
        address
        for address, owners in bench.forwarding.near.owners.items()
        if address.family == now.family
        and abs(address.value - now.value) < 256
        and any(bench.devices[o.end.device].is_host and o.active for o in owners)
    ]
    return sorted(found, key=lambda a: (-alike(str(a), str(now)), abs(a.value - now.value)))


def gone(bench: Bench, entry: Entry) -> tuple[Edit, ...]:
    """An entry taken out."""
    source = entry.source
    if source.path is None:
        return ()
    path = source.path if nat_model.is_of(source) else source.path.removesuffix("/rule")
    return (DataEdit(source.device, source.file, path),)


def remedies(bench: Bench, finding: Finding) -> list[Remedy]:
    """The remedies of what findings say of an entry."""
    entry, name = finding.subject, finding.device
    if not isinstance(entry, Entry) or entry.rewrite is None:
        return []
    offers: list[tuple[str, tuple[Edit, ...]]] = []
    now = entry.rewrite.first
    if finding.kind == "translation-idle":
        offers = [("take the entry out that is never met", gone(bench, entry))]
    elif finding.kind == "translation-unrouted" and now is not None:
        for better in routed_here(bench, bench.devices[name], entry, now)[:2]:
            words = f"rewrite it to {better}, which is sent here"
            offers.append((words, with_put(bench, entry, better, None)))
        offers.append(("rewrite it to the address of the exit", with_put(bench, entry, None, None)))
    elif finding.kind == "forward-to-nobody" and now is not None:
        for better in hosts_like(bench, now)[:3]:
            owner = bench.forwarding.near.owner_devices(better)[0]
            words = f"lead it to {better} of {owner}"
            offers.append((words, with_put(bench, entry, better, None)))
        offers.append(("take the entry out", gone(bench, entry)))
    return [Remedy(f"On {name}: {words}.", edits) for words, edits in offers if edits]


def value_of(prefix: Prefix) -> object:
    """A prefix as a condition writes it."""
    text = str(prefix).split("/")[0]
    return text if prefix.is_host else {"prefix": {"addr": text, "len": prefix.length}}


def condition(key: str, value: object, family: int = 4, protocol: str = "tcp") -> dict[str, object]:
    """A condition of one value; keys as in `with_value`."""
    side = "ip" if family == 4 else "ip6"
    left: dict[str, object] = {
        "source": {"payload": {"protocol": side, "field": "saddr"}},
        "target": {"payload": {"protocol": side, "field": "daddr"}},
        "port": {"payload": {"protocol": protocol, "field": "dport"}},
        "in": {"meta": {"key": "iifname"}},
        "out": {"meta": {"key": "oifname"}},
    }
    return {"match": {"op": "==", "left": left[key], "right": value}}


def _asks(left: object, key: str) -> bool:
    if not isinstance(left, dict):
        return False
    payload, meta = left.get("payload"), left.get("meta")
    if isinstance(payload, dict):
        return payload.get("field") == {"source": "saddr", "target": "daddr", "port": "dport"}.get(
            key, ""
        )
    wanted = {"in": ("iifname", "iif"), "out": ("oifname", "oif")}.get(key, ())
    return isinstance(meta, dict) and meta.get("key") in wanted


def _of(entry: Entry) -> str:
    return entry.source.path or ""


def _held(bench: Bench, entry: Entry) -> object:
    return _at(bench, entry.source.device, entry.source.file, _of(entry))


def _expr(bench: Bench, entry: Entry) -> list[dict[str, Any]]:
    if not _of(entry).startswith(_NFT):
        return []
    found = _at(bench, entry.source.device, entry.source.file, f"{_of(entry)}/expr")
    return [part for part in found if isinstance(part, dict)] if isinstance(found, list) else []


def _at(bench: Bench, device: str, file: str, path: str) -> object:
    node = at_path(parse_data(bench.survey.text(device, file) or "null"), path)
    return None if node is None else plain(node)


__all__ = [
    "DESTINATION",
    "SOURCE",
    "added",
    "alike",
    "chain_at",
    "condition",
    "entries_of",
    "gone",
    "hosts_like",
    "remedies",
    "routed_here",
    "value_of",
    "with_put",
    "with_value",
]
