"""Findings about rules that choose a table: one that is never reached, one whose table is empty,
one about a prefix that nobody has."""

from __future__ import annotations

from collections.abc import Iterator

from ...network.addressing import FAMILIES, Prefix
from ...network.edits import DataEdit, Remedy
from ...network.facts import Device, End
from ...network.rules import Rule
from ...step.rules import MAIN
from ..finding import BREAKS, RISKS, Finding, Ready
from .context import Context

KINDS = {
    "rule-never-reached": "A rule stands behind one that takes every packet.",
    "rule-table-empty": "A rule leads to a table in which there is nothing.",
    "rule-not-carried-out": "A sequence of a policy map does nothing.",
    "rule-without-ports": "A sequence of a policy map asks for ports, which the router leaves out.",
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
                yield from _idle(device, rule)
                if rule.idle is not None:
                    continue
                yield from _empty(context, device, rule)
                yield from _unknown(context, device, rule)


def _order(rule: Rule) -> int:
    return rule.priority


def _says(rule: Rule) -> str:
    """What a rule is about, in a few words."""
    return f"{rule.called} for {rule.about}"


def _never(context: Context, device: Device, rules: list[Rule], family: int) -> Iterator[Finding]:
    if any(rule.onward is not None for rule in rules):
        return  # what is passed over by leading on is another question
    default = context.tables.of(device.name, family).winner(Prefix(family, 0, 0))
    final = [(at, rule) for at, rule in enumerate(rules) if _answers_all(context, device, rule)]
    for place, rule in enumerate(rules):
        if rule.table in _USUAL or not rule.selects or rule.idle or rule.never:
            continue
        last = next((r for at, r in final if at < place and r.covers(rule)), None)
        if last is None or (last.table, last.special) == (rule.table, rule.special):
            continue
        taken = "every packet" if not last.selects else "all of these"
        in_main = last.special is None and last.table in MAIN
        free = _free_before(rules, last)
        yield Finding(
            "rule-never-reached",
            RISKS if last.selects else BREAKS,
            device.name,
            f"{device.name}'s {_says(rule)} is never reached: {last.called} before it takes "
            f"{taken}.",
            f"{'The main table' if in_main else f'Table {last.table}'} has a default route, so it "
            "has an answer for every packet, and the rules behind it are not asked."
            if last.special is None
            else "What that rule ends is not looked up any further.",
            tuple(
                dict.fromkeys(
                    (rule.line, last.line, *(default.because if default and in_main else ()))
                )
            ),
            key=str(rule.priority),
            subject=Ready(_moved(device, rule, free, last)),
        )


def _answers_all(context: Context, device: Device, rule: Rule) -> bool:
    """True if what a rule takes never goes on to the next one."""
    if rule.suppress is not None or rule.idle is not None:
        return False
    if rule.special is not None:
        return True
    default = context.tables.of(device.name, rule.family).winner(Prefix(rule.family, 0, 0))
    if rule.table in MAIN:
        return default is not None
    held = context.forwarding.rules.get(device.name)
    return held is not None and held.has_default(rule)


def _free_before(rules: list[Rule], last: Rule) -> int:
    """A priority before that of a rule, with room around it where there is some."""
    before = [r.priority for r in rules if r.priority < last.priority]
    free = max(before, default=0) + 10
    return free if free < last.priority else last.priority - 1


def _idle(device: Device, rule: Rule) -> Iterator[Finding]:
    if rule.idle is not None:
        yield Finding(
            "rule-not-carried-out",
            RISKS,
            device.name,
            f"{device.name} does not carry out "
            + (f"{rule.called} of its policy maps" if rule.table else f"policy map {rule.name}")
            + f" on {rule.arrived}: {rule.idle}.",
            "Packets that it was to lead elsewhere go by the next sequence, or by the main table.",
            (rule.line,),
            key=f"{rule.arrived}-{rule.name}",
        )
    elif rule.left_out is not None:
        yield Finding(
            "rule-without-ports",
            RISKS,
            device.name,
            f"{device.name}'s {rule.called} takes {rule.about}, whatever their ports: "
            "the router leaves the ports out of it.",
            "On Linux the router tells the kernel the protocol and no ports.",
            (rule.left_out, rule.line),
            key=f"{rule.arrived}-{rule.name}",
        )


def _moved(device: Device, rule: Rule, priority: int, last: Rule) -> tuple[Remedy, ...]:
    path = rule.line.path
    if path is None or priority <= 0:
        return ()
    edit = DataEdit(
        rule.line.device, rule.line.file, f"{_entry(path)}/priority", rule.priority, priority
    )
    title = f"On {device.name}: give the rule the priority {priority}, before " + (
        "the main table." if last.table in MAIN else f"{last.called}."
    )
    return (Remedy(title, (edit,)),)


def _entry(path: str) -> str:
    """The entry of a list that a path leads into."""
    return "/" + path.strip("/").split("/")[0]


def _empty(context: Context, device: Device, rule: Rule) -> Iterator[Finding]:
    if (
        rule.special is not None
        or rule.onward is not None
        or rule.table in (*MAIN, "local", "255", *_USUAL)
    ):
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
            f"{device.name}'s {rule.called} is about packets {word} {prefix}, in which "
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
