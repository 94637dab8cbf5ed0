"""Edits of translations that ietf-nat says (RFC 8512): mappings, policies, pools."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from ...network.addressing import Address, parse_prefix
from ...network.edits import DataEdit, Edit
from ...network.filters import Chain, Entry
from ...network.source import Source
from ...network.translation import DESTINATION

_ROOT = "/ietf-nat:nat/"
Expr = list[dict[str, object]]


def is_of(source: Source) -> bool:
    """True if a line of this language says it."""
    return (source.path or "").startswith(_ROOT)


def with_value(entry: Entry, held: object, key: str, value: object) -> tuple[Edit, ...]:
    """Another value of one condition of a mapping, a policy or a pool; empty where it has none."""
    if not isinstance(held, dict):
        return ()
    destination = entry.rewrite is not None and entry.rewrite.what == DESTINATION
    text = _text(value)
    if "index" in held:
        if key == "port":
            return _port(entry, held, "external-src-port", value)
        leaf = {"target": "external-src-address", "source": "internal-src-address"}.get(key)
        fits = key == "target" if destination else key == "source"
        return _leaf(entry, held, leaf, _prefix(text)) if leaf is not None and fits else ()
    if "pool-id" in held:
        return _leaf(entry, held, "dst-in-ip-pool", _prefix(text)) if key == "target" else ()
    if key == "out":
        realm = held.get("external-realm")
        old = realm.get("external-interface") if isinstance(realm, dict) else None
        return _set(entry, "external-realm/external-interface", old, text)
    matches = held.get("subscriber-match")
    if key == "source" and isinstance(matches, list) and matches:
        first = matches[0]
        place = f"subscriber-match[match-id='{first.get('match-id')}']/subnet"
        return _set(entry, place, first.get("subnet"), _prefix(text))
    return ()


def with_put(
    entry: Entry, held: object, address: Address | None, port: int | None
) -> tuple[Edit, ...]:
    """Another address or port in place of the one that is put there; see `translations`."""
    if not isinstance(held, dict):
        return ()
    destination = entry.rewrite is not None and entry.rewrite.what == DESTINATION
    if "index" in held:
        if address is None:
            return ()
        leaf = "internal-src-address" if destination else "external-src-address"
        edits = _leaf(entry, held, leaf, _prefix(str(address)))
        if port is not None:
            edits = (*edits, *_port(entry, held, "internal-src-port", port))
        return edits
    if "pool-id" in held:
        found = _prefix(str(address)) if address is not None and port is None else None
        return _leaf(entry, held, "dst-out-ip-pool", found) if found is not None else ()
    pools = held.get("external-ip-address-pool")
    if not isinstance(pools, list) or not pools:
        return ()
    gone = [f"external-ip-address-pool[pool-id='{pool.get('pool-id')}']" for pool in pools]
    if address is None:
        return tuple(edit for place in gone for edit in _set(entry, place, None, None))
    rest = tuple(edit for place in gone[1:] for edit in _set(entry, place, None, None))
    old = pools[0].get("external-ip-pool")
    return (*_set(entry, f"{gone[0]}/external-ip-pool", old, _prefix(str(address))), *rest)


def added(chain: Chain, held: object, expr: Expr) -> tuple[Edit, ...]:
    """One more subscriber, policy or mapping; empty for what the model cannot say."""
    if not isinstance(held, dict):
        return ()
    said = _conditions(expr)
    verb = expr[-1]
    if "dnat" in verb and set(said) == {"target"}:
        body = verb["dnat"]
        table = held.get("mapping-table")
        listed = table.get("mapping-entry", []) if isinstance(table, dict) else []
        number = 1 + max((int(item.get("index", 0)) for item in listed), default=0)
        value: dict[str, Any] = {
            "index": number,
            "type": "static",
            "internal-src-address": _prefix(str(body["addr"])),  # type: ignore[index]
            "external-src-address": _prefix(said["target"]),
        }
        return _of_chain(chain, f"mapping-table/mapping-entry[index='{number}']", value)
    if "masquerade" not in verb or set(said) != {"source", "out"}:
        return ()
    policies = [item for item in held.get("policy", []) if isinstance(item, dict)]
    for policy in policies:
        realm, matches = policy.get("external-realm"), policy.get("subscriber-match")
        if isinstance(realm, dict) and realm.get("external-interface") == said["out"] and matches:
            # Others leave there by this policy.
            number = 1 + max(int(item.get("match-id", 0)) for item in matches)
            place = f"policy[id='{policy.get('id')}']/subscriber-match[match-id='{number}']"
            value = {"match-id": number, "subnet": _prefix(said["source"])}
            return _of_chain(chain, place, value)
    number = 1 + max((int(item.get("id", 0)) for item in policies), default=0)
    value = {
        "id": number,
        "subscriber-match": [{"match-id": 1, "subnet": _prefix(said["source"])}],
        "external-realm": {"external-interface": said["out"]},
    }
    return _of_chain(chain, f"policy[id='{number}']", value)


def _conditions(expr: Expr) -> dict[str, str]:
    """The conditions of an entry as `translations.condition` makes them."""
    names = {"saddr": "source", "daddr": "target", "dport": "port", "iifname": "in"}
    names["oifname"] = "out"
    out = {}
    for part in expr:
        match = part.get("match")
        if not isinstance(match, dict):
            continue
        left = match["left"]
        word = left["payload"]["field"] if "payload" in left else left["meta"]["key"]
        out[names[word]] = _text(match["right"])
    return out


def _text(value: object) -> str:
    """A value of a condition: an address, a prefix, a name or a number."""
    if isinstance(value, Mapping):
        prefix = value["prefix"]
        return f"{prefix['addr']}/{prefix['len']}"
    return str(value)


def _prefix(text: str) -> str:
    """An address as a prefix, as the model wants it."""
    found = parse_prefix(text) if "/" in text else None
    if found is not None:
        return str(found)
    return f"{text}/{128 if ':' in text else 32}"


def _leaf(entry: Entry, held: Mapping[str, Any], leaf: str, value: object) -> tuple[Edit, ...]:
    return _set(entry, leaf, held.get(leaf), value)


def _port(entry: Entry, held: Mapping[str, Any], name: str, value: object) -> tuple[Edit, ...]:
    """A single port in place of whatever stood there."""
    box = held.get(name)
    if not isinstance(box, Mapping):
        return _set(entry, name, None, {"start-port-number": value})
    if "end-port-number" in box:
        return _set(entry, name, dict(box), {"start-port-number": value})
    return _set(entry, f"{name}/start-port-number", box.get("start-port-number"), value)


def _set(entry: Entry, place: str, old: object, new: object) -> tuple[Edit, ...]:
    source = entry.source
    return (DataEdit(source.device, source.file, f"{source.path}/{place}", old, new),)


def _of_chain(chain: Chain, place: str, value: object) -> tuple[Edit, ...]:
    source = chain.source
    return (DataEdit(source.device, source.file, f"{source.path}/{place}", None, value),)
