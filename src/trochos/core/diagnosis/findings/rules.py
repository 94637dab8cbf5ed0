"""Findings about rules that choose a table: one that is never reached, one whose table is empty,
one about a prefix that nobody has."""

from __future__ import annotations

from collections.abc import Iterator

from ...forwarding.rules import MAIN
from ...network.addressing import FAMILIES, Prefix
from ...network.edits import DataEdit, Remedy
from ...network.facts import Device, End
from ...network.rules import Rule
from ..finding import BREAKS, RISKS, Finding, Ready
from .context import Context

KINDS = {
    "rule-never-reached": "A rule stands behind one that takes every packet.",
    "rule-table-empty": "A rule leads to a table in which there is nothing.",
    "rule-prefix-unknown": "A rule is about a prefix in which nobody has an address.",
}
_USUAL = ("default", "253", None)
"""The table that every kernel has and nobody fills."""


def find(context: Context) -> Iterator[Finding]:
    for device in context.network.devices:
        for family in FAMILIES:
            rules = sorted((r for r in device.rules if r.family == family), key=_order)
            yield from _never(context, device, rules, family)
            for rule in rules:
                yield from _empty(context, device, rule)
                yield from _unknown(context, device, rule)


def _order(rule: Rule) -> int:
    return rule.priority


def _says(rule: Rule) -> str:
    """What a rule is about, in a few words."""
    parts = [f"from {rule.source}"] if rule.source is not None else []
    parts += [f"to {rule.target}"] if rule.target is not None else []
    parts += [f"arriving on {rule.arrived}"] if rule.arrived is not None else []
    return f"rule {rule.priority} for packets {' '.join(parts) or 'of all kinds'}"


def _takes_all(rule: Rule) -> bool:
    return rule.source is None and rule.target is None and rule.arrived is None


def _never(context: Context, device: Device, rules: list[Rule], family: int) -> Iterator[Finding]:
    default = context.tables.of(device.name, family).winner(Prefix(family, 0, 0))
    last = next(
        (
            rule
            for rule in rules
            if _takes_all(rule)
            and rule.suppress is None
            and (rule.special is not None or (rule.table in MAIN and default is not None))
        ),
        None,
    )
    if last is None:
        return
    before = [r.priority for r in rules if r.priority < last.priority]
    free = max(before, default=0) + 10
    if free >= last.priority:
        free = last.priority - 1
    for rule in rules:
        if rule.priority <= last.priority or rule.table in _USUAL or _takes_all(rule):
            continue
        yield Finding(
            "rule-never-reached",
            BREAKS,
            device.name,
            f"{device.name}'s {_says(rule)} is never reached: rule {last.priority} before it takes "
            "every packet.",
            "The main table has a default route, so it has an answer for every packet, and the "
            "rules behind it are not asked."
            if last.special is None
            else "What that rule ends is not looked up any further.",
            tuple(dict.fromkeys((rule.line, last.line, *(default.because if default else ())))),
            key=str(rule.priority),
            subject=Ready(_moved(device, rule, free)),
        )


def _moved(device: Device, rule: Rule, priority: int) -> tuple[Remedy, ...]:
    path = rule.line.path
    if path is None:
        return ()
    edit = DataEdit(
        rule.line.device, rule.line.file, f"{_entry(path)}/priority", rule.priority, priority
    )
    title = f"On {device.name}: give the rule the priority {priority}, before the main table."
    return (Remedy(title, (edit,)),)


def _entry(path: str) -> str:
    """The entry of a list that a path leads into."""
    return "/" + path.strip("/").split("/")[0]


def _empty(context: Context, device: Device, rule: Rule) -> Iterator[Finding]:
    if rule.special is not None or rule.table in (*MAIN, "local", "255", *_USUAL):
        return
    held = device.tables.get(rule.table or "", ())
    if any(route.prefix.family == rule.family for route in held):
        return
    yield Finding(
        "rule-table-empty",
        BREAKS,
        device.name,
        f"{device.name}'s {_says(rule)} leads to table {rule.table}, in which there is nothing.",
        "A packet that finds nothing there goes on to the next rule, as if there were no rule.",
        (rule.line,),
        key=str(rule.priority),
        subject=Ready(_filled(context, device, rule)),
    )


def _filled(context: Context, device: Device, rule: Rule) -> tuple[Remedy, ...]:
    """A route for the table through each router beside the device, the usual way out last."""
    where = next((r.source for held in device.tables.values() for r in held), None)
    if where is None or where.path is None:
        return ()
    count = sum(1 for held in device.tables.values() for r in held if r.source.file == where.file)
    prefix = rule.target or Prefix(rule.family, 0, 0)
    out = []
    for gateway, interface, usual in sorted(
        _ways(context, device, rule.family), key=lambda w: w[2]
    ):
        entry = {
            "dst": "default" if prefix.is_default else str(prefix),
            "gateway": gateway,
            "dev": interface,
            "table": rule.table,
        }
        edit = DataEdit(device.chassis, where.file, f"/{count}", None, entry)
        title = f"On {device.name}: send {prefix} to {gateway} in table {rule.table}."
        out.append((usual, Remedy(title, (edit,))))
    return tuple(remedy for _, remedy in out)


def _ways(context: Context, device: Device, family: int) -> list[tuple[str, str, bool]]:
    """(gateway, interface, whether the main table's default goes there) of the routers beside."""
    default = context.tables.of(device.name, family).winner(Prefix(family, 0, 0))
    usual = {str(hop.address) for hop in default.next_hops} if default is not None else set()
    out = []
    for interface in device.interfaces:
        segment = context.tables.links.segment_of.get(End(device.name, interface.name))
        for end in segment.ends if segment is not None else ():
            far = context.network.device(end.device)
            port = far.interface(end.interface) if far is not None else None
            if far is None or port is None or far.is_host or far.name == device.name:
                continue
            for fact in port.addresses:
                if fact.address.family == family and not fact.address.is_link_local:
                    address = str(fact.address)
                    out.append((address, interface.name, address in usual))
    return out


def _unknown(context: Context, device: Device, rule: Rule) -> Iterator[Finding]:
    for leaf, prefix in (("src", rule.source), ("dst", rule.target)):
        if prefix is None or prefix.is_default:
            continue
        near = context.forwarding.near
        if any(prefix.contains(address) for address in near.owners):
            continue
        meant = _alike(context, device, rule, prefix)
        path = rule.line.path
        edits = []
        if path is not None:
            entry = f"{_entry(path)}/{leaf}"
            edits = [
                Remedy(
                    f"On {device.name}: have rule {rule.priority} about {other}.",
                    (
                        DataEdit(
                            rule.line.device,
                            rule.line.file,
                            entry,
                            None,
                            str(other).partition("/")[0],
                        ),
                    ),
                )
                for other in meant
            ]
        word = "from" if leaf == "src" else "to"
        yield Finding(
            "rule-prefix-unknown",
            BREAKS if meant else RISKS,
            device.name,
            f"{device.name}'s rule {rule.priority} is about packets {word} {prefix}, in which "
            "nobody of the survey has an address"
            + (f"; {meant[0]} is written almost alike." if meant else "."),
            "If another prefix was meant, its packets go by the other rules.",
            (rule.line,),
            key=f"{rule.priority}-{leaf}",
            subject=Ready(tuple(edits)),
        )


def _alike(context: Context, device: Device, rule: Rule, prefix: Prefix) -> list[Prefix]:
    """Subnets of the network that are written almost like a prefix and no rule here is about;
    those to which the rule's own table has a route come first."""
    held = {route.prefix for route in device.tables.get(rule.table or "", ())}
    named = {p for rule in device.rules for p in (rule.source, rule.target) if p is not None}
    known = {
        fact.connected
        for other in context.network.devices
        for interface in other.interfaces
        for fact in interface.addresses
        if fact.connected.family == prefix.family and fact.connected.length == prefix.length
    }
    text = str(prefix)
    ranked = sorted((p not in held, _apart(text, str(p)), p) for p in known - named)
    return [p for _, distance, p in ranked if distance <= 2][:3]


def _apart(one: str, other: str) -> int:
    """How many characters have to be put in, taken out or exchanged (Levenshtein)."""
    row = list(range(len(other) + 1))
    for i, a in enumerate(one, 1):
        last, row[0] = row[0], i
        for j, b in enumerate(other, 1):
            last, row[j] = row[j], min(row[j] + 1, row[j - 1] + 1, last + (a != b))
    return row[-1]
