"""Edits of translating chains, as `nft -j list ruleset` prints them (libnftables-json(5)), or in
ietf-nat (nat_model.py)."""

from __future__ import annotations

from typing import Any

from ...change.data import plain
from ...change.paths import at_path
from ...network.addressing import Address, Prefix
from ...network.edits import DataEdit, Edit
from ...network.filters import Chain, Entry
from ...network.translation import DESTINATION, SOURCE
from ...readers.located import parse_data
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
    "chain_at",
    "condition",
    "entries_of",
    "value_of",
    "with_put",
    "with_value",
]
