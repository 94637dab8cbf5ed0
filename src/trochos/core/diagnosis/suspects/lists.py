"""Lists, filters and ranges that keep a prefix back."""

from __future__ import annotations

from collections.abc import Iterator

from ...network.addressing import Prefix
from ...network.edits import Edit, Remedy
from ...network.facts import Device, Source
from ...network.policy import PrefixRule
from ...protocols.policy import rule_matches
from ...protocols.table_maps import KEPT_OUT
from ..finding import BREAKS, Finding
from ..remedies.bench import Bench
from .suspect import LIKELY, PLAUSIBLE, Suspect


def lists(bench: Bench, device: Device, prefix: Prefix) -> Iterator[Suspect]:
    """The lists of a device that deny the prefix, by an entry or by omission."""
    policy = device.policy
    for kind, lists in (("prefix", policy.prefix_lists), ("access", policy.access_lists)):
        for (family, name), rules in lists.items():
            if family != prefix.family or not rules:
                continue
            deciding = next((rule for rule in rules if rule_matches(rule, prefix)), None)
            if deciding is None:
                yield from _omits(bench, device, kind, name, rules, prefix)
            elif not deciding.permit:
                yield from _denies(bench, device, kind, name, rules, deciding, prefix)


def undefined(bench: Bench, device: Device, prefix: Prefix) -> Iterator[Suspect]:
    """Lists that a route map names and nobody wrote: they permit nothing."""
    policy = device.policy
    kinds = {"prefix-list": "prefix", "ip-prefix-list": "prefix", "access-list": "access"}
    for entries in policy.route_maps.values():
        for clause in (c for entry in entries for c in entry.matches):
            kind = kinds.get(clause.what, "prefix" if "prefix" in clause.what else "access")
            held = policy.prefix_lists if kind == "prefix" else policy.access_lists
            for name in clause.args[:1]:
                if not ("list" in clause.what or "address" in clause.what):
                    continue
                if (prefix.family, name) in held:
                    continue
                edits = bench.writer(device.name).list_entry(kind, name, None, prefix, True)
                if edits is None:
                    continue
                yield Suspect(
                    Finding(
                        "list-undefined",
                        BREAKS,
                        device.name,
                        f"A route map on {device.name} matches the list {name}, which is not "
                        "there.",
                        "A list that is not there matches nothing, so the entry never applies.",
                        (clause.source,),
                        key=f"{name}-{prefix}",
                        remedies=(Remedy(f"On {device.name}: permit {prefix} in {name}.", edits),),
                    ),
                    LIKELY,
                )


def _denies(
    bench: Bench,
    device: Device,
    kind: str,
    name: str,
    rules: tuple[PrefixRule, ...],
    rule: PrefixRule,
    prefix: Prefix,
) -> Iterator[Suspect]:
    writer = bench.writer(device.name)
    remedies = []
    gone = writer.drop(rule.source)
    if gone is not None and rule.prefix is not None and len(rules) > 1:
        remedies.append(
            Remedy(f"On {device.name}: take the entry that denies {rule.prefix} out.", gone)
        )
    entry = writer.list_entry(kind, name, None, prefix, True)
    if entry is not None:
        remedies.append(Remedy(f"On {device.name}: permit {prefix} in {name}.", entry))
    if remedies:
        yield Suspect(
            Finding(
                "list-denies",
                BREAKS,
                device.name,
                f"The list {name} on {device.name} denies {prefix}.",
                "What a list denies is not passed on where the list is applied.",
                (rule.source,),
                key=f"{name}-{prefix}",
                remedies=tuple(remedies),
            ),
            LIKELY if rule.prefix is not None else PLAUSIBLE,
        )


def _omits(
    bench: Bench,
    device: Device,
    kind: str,
    name: str,
    rules: tuple[PrefixRule, ...],
    prefix: Prefix,
) -> Iterator[Suspect]:
    writer = bench.writer(device.name)
    idle = [
        rule
        for rule in rules
        if rule.permit
        and rule.prefix is not None
        and not any(rule_matches(rule, other) for other in bench.prefixes)
    ]
    remedies = []
    for rule in idle[:1]:
        swapped = writer.list_entry(kind, name, rule, prefix, True)
        if swapped is not None:
            remedies.append(
                Remedy(
                    f"On {device.name}: permit {prefix} in {name} instead of {rule.prefix}, "
                    "which nobody has.",
                    swapped,
                )
            )
    entry = writer.list_entry(kind, name, None, prefix, True)
    if entry is not None:
        remedies.append(Remedy(f"On {device.name}: permit {prefix} in {name}.", entry))
    if remedies:
        yield Suspect(
            Finding(
                "list-omits",
                BREAKS,
                device.name,
                f"The list {name} on {device.name} does not permit {prefix}.",
                "What no entry permits is not passed on where the list is applied.",
                tuple(rule.source for rule in (idle or rules)[:6]),
                key=f"{name}-{prefix}",
                remedies=tuple(remedies),
            ),
            LIKELY if idle else PLAUSIBLE,
        )


def filters(bench: Bench, device: Device, prefix: Prefix) -> Iterator[Suspect]:
    """Filters and ranges of a device that could keep the prefix: without them, does it pass?"""
    writer = bench.writer(device.name)
    for process in device.routing.processes:
        if not process.serves(prefix.family):
            continue
        for item in process.all_filters():
            gone = writer.drop(item.source)
            if gone is not None:
                yield _hides("filter-hides", device, prefix, item.source, gone, item.name)
        for hidden, source in process.hiding():
            if hidden.covers(prefix):
                gone = writer.drop(source)
                if gone is not None:
                    yield _hides("range-hides", device, prefix, source, gone, str(hidden))


def _hides(
    kind: str, device: Device, prefix: Prefix, source: Source, gone: tuple[Edit, ...], name: str
) -> Suspect:
    what = "The range" if kind == "range-hides" else "The filter"
    return Suspect(
        Finding(
            kind,
            BREAKS,
            device.name,
            f"{what} {name} on {device.name} may keep {prefix} from the others.",
            "Routers behind it do not learn what it keeps back.",
            (source,),
            key=f"{name}-{source.line or 0}",
            remedies=(Remedy(f"On {device.name}: take {name} out.", gone),),
        ),
        PLAUSIBLE,
    )


def kept_out(bench: Bench, device: Device, prefix: Prefix) -> Iterator[Suspect]:
    """Routes that the device has learned and its own map keeps out of its table."""
    writer = bench.writer(device.name)
    for route in bench.tables.of(device.name, prefix.family).candidates(prefix):
        if route.problem != KEPT_OUT:
            continue
        name, line = (
            device.policy.into_table.get((prefix.family, route.protocol))
            or device.policy.into_table[prefix.family, "any"]
        )
        deciding = route.because[route.because.index(line) + 1 :]
        remedies = []
        for source in deciding:
            permits = writer.permit_instead(source)
            if permits is not None:
                title = f"On {device.name}: permit what {source.text!r} denies."
                remedies.append(Remedy(title, permits))
        gone = writer.drop(line)
        if gone is not None:
            title = f"On {device.name}: take {route.protocol} routes into the table without {name}."
            remedies.append(Remedy(title, gone))
        if remedies:
            yield Suspect(
                Finding(
                    "kept-out-of-table",
                    BREAKS,
                    device.name,
                    f"{device.name} has learned {prefix} from {route.protocol}, and its route map "
                    f"{name} keeps it out of its table.",
                    "What is not in the table is neither used nor announced by other protocols.",
                    (*deciding, line),
                    key=f"{route.protocol}-{prefix}",
                    remedies=tuple(remedies),
                ),
                LIKELY,
            )
