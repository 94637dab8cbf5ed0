"""The remedies of each finding, by what it was found on."""

from __future__ import annotations

from dataclasses import replace

from ...network.addressing import Address
from ...network.edits import Remedy
from ...network.facts import AddressFact, End, Source, StaticRoute
from ...network.guard import guarded
from ...protocols.gates import Relation
from ...step.routes import Route
from ..finding import Finding, Ready
from ..findings import shared as shared_findings
from ..findings import translations as translation_findings
from ..findings import tunnels as tunnel_findings
from ..findings.instances import Moved
from ..findings.leaks import Renamed
from . import (
    addresses,
    filters,
    hosts,
    instances,
    neighbours,
    shared,
    statics,
    switches,
    translations,
    tunnels,
)
from .addresses import take_up
from .bench import Bench


def remedies_of(bench: Bench, finding: Finding) -> list[Remedy]:
    """The ways to undo a finding, best judged first; empty where only a person can say."""
    subject = finding.subject
    if finding.kind in shared_findings.KINDS:
        found = _of_shared(bench, finding)
    elif finding.kind in translation_findings.KINDS:
        found = translations.remedies(bench, finding)
    elif isinstance(subject, Relation):
        found = neighbours.remedies(bench, subject)
    elif finding.kind == "bgp-not-spoken" and isinstance(subject, tuple):
        found = neighbours.start(bench, finding.device, subject)
    elif finding.kind in ("subnets-differ", "masks-differ") and finding.peer is not None:
        assert isinstance(subject, int)
        end = End(finding.device, finding.interface or "")
        found = addresses.remedies(bench, end, finding.peer, subject)
    elif finding.kind == "address-conflict" and isinstance(subject, tuple):
        found = addresses.part(bench, *subject)
    elif finding.kind == "vlan-apart" and isinstance(subject, tuple):
        found = switches.remedies(bench, *subject)
    elif finding.kind in tunnel_findings.KINDS and isinstance(subject, tuple):
        found = tunnels.remedies(bench, finding.kind, *subject)
    elif finding.kind == "addresses-swapped" and isinstance(subject, tuple):
        found = addresses.swap(bench, finding.device, *subject)
    elif finding.kind in ("address-missing", "source-without-address") and isinstance(
        subject, tuple
    ):
        found = addresses.fill(bench, finding.device, *subject)
    elif finding.kind in ("name-without-owner", "name-elsewhere") and isinstance(subject, tuple):
        found = filters.right_name(bench, finding.device, *subject)
    elif finding.kind == "resolver-without-owner" and isinstance(subject, tuple):
        found = filters.right_resolver(bench, finding.device, *subject)
    elif isinstance(subject, Source):
        edits = bench.writer(finding.device).drop(subject)
        found = [Remedy(f"On {finding.device}: take the line out.", edits)] if edits else []
    elif finding.kind == "mtu-differs" and isinstance(subject, tuple):
        edits = bench.writer(finding.device).mtu(*subject)
        title = f"On {finding.device}: set the MTU of {subject[0].name} to {subject[1]}."
        found = [Remedy(title, edits)] if edits else []
    elif finding.kind == "interface-shut":
        found = _switch_on(bench, finding)
    elif finding.kind == "host-without-gateway" and isinstance(subject, tuple):
        fact, family = subject
        assert isinstance(fact, AddressFact)
        found = hosts.missing(bench, finding.device, fact, family)
    elif isinstance(subject, Ready):
        found = list(subject.remedies)
    elif isinstance(subject, Moved):
        found = instances.remedies(bench, subject)
    elif isinstance(subject, Renamed):
        found = instances.renamed(bench, subject)
    elif isinstance(subject, StaticRoute):
        found = hosts.gateway(bench, finding.device, subject)
    elif finding.kind == "statics-contradict" and isinstance(subject, tuple):
        route, hop = subject
        lines = statics.lines_of(bench.devices[finding.device], route, hop)
        found = [r for line in lines if (r := statics.drop(bench, line)) is not None]
    elif isinstance(subject, tuple) and isinstance(subject[0], Route):
        found = statics.remedies(bench, finding.device, subject[0], subject[1])
        if finding.kind == "next-hop-silent":
            found = _or_its_owner(bench, finding.device, subject[1].address, found)
    else:
        found = []
    return list(dict.fromkeys(found))


def _of_shared(bench: Bench, finding: Finding) -> list[Remedy]:
    """The remedies of an address that routers share."""
    subject = finding.subject
    if isinstance(subject, Relation):
        return shared.remedies(bench, subject)
    if finding.kind == "shared-address-unheld" and isinstance(subject, tuple):
        return shared.take_over(bench, *subject)
    if finding.kind == "shared-priority-equal" and isinstance(subject, tuple):
        return [r for end in subject for r in shared.prefer(bench, end)]
    if finding.kind == "shared-holder-cut-off" and isinstance(subject, tuple):
        return shared.look_at(bench, finding.device, *subject)
    if finding.kind == "host-beside-shared" and isinstance(subject, tuple):
        return shared.use(bench, *subject)
    return []


def _or_its_owner(bench: Bench, device: str, address: Address, found: list[Remedy]) -> list[Remedy]:
    """A next hop that nobody has: the line may be wrong, or the address of the router there,
    if more lines than this one look for it."""
    moved = take_up(bench, device, address)
    if moved is None:
        return found
    odd = bench.mentioned(address) > max(1, bench.mentioned(moved[1]))
    odd = odd or (bench.mentioned(moved[1]) == 0 and bench.more_usual(address, moved[1]))
    if not odd:
        return [*found, moved[0]]
    why = f"{address} is what other lines look for, or where routers here have theirs."
    return [moved[0]._replace(basis=why), *found]


def with_remedies(bench: Bench, finding: Finding) -> Finding:
    """The finding with its remedies."""
    remedies = guarded(
        f"the remedies of {finding.id}", lambda: remedies_of(bench, finding), lambda _: []
    )
    found = replace(finding, remedies=tuple(remedies))
    return found.turned_to(found.remedies[0]) if found.remedies else found


def _switch_on(bench: Bench, finding: Finding) -> list[Remedy]:
    interface = bench.devices[finding.device].interface(finding.interface or "")
    if interface is None:
        return []
    edits = bench.writer(finding.device).enable(interface)
    if edits is None:
        return []
    return [Remedy(f"On {finding.device}: switch {interface.name} on.", edits)]
