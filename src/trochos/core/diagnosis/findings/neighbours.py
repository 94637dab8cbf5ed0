"""Findings about neighbour relations: one per pair of ends, named after the gate that fails."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator

from ...network.addressing import dotted
from ...network.bgp import BgpProcess
from ...network.facts import Device, End
from ...protocols.bgp import sessions
from ...protocols.bgp.speakers import BgpFamilySpeakers
from ...protocols.gates import Relation
from ...protocols.ospf import virtual
from ...protocols.ospf.speakers import OspfSpeakers
from ...protocols.registry import protocols
from ..absence import relation_sentence
from ..finding import BREAKS, NOTES, RISKS, TO_PEER, Finding, named
from .context import Context


def kind_of(protocol: str, gate: str) -> str:
    """The kind of finding for a gate of a protocol, such as `ospf-hello-interval`."""
    return f"{protocol}-{gate.lower().replace(' ', '-')}"


KINDS = {
    kind_of(protocol.name, gate): f"Two ends fail to be {protocol.named.label} neighbours, or to "
    f"exchange routes, at this gate: {gate}."
    for protocol in protocols()
    for gate in protocol.gate_names
    if gate != "line"  # a line that is down has a finding of its own
}

KINDS["bgp-not-spoken"] = "Others name a router as BGP neighbour, and it runs no BGP."
KINDS["policy-undefined"] = "A neighbour's policy names a map or list that nobody wrote."
KINDS["ospf3-borders-uncertain"] = "Borders between OSPFv3 areas differ from router to router."
KINDS["bgp-path-by-age"] = "Which of two BGP paths is used depends on which came first."
KINDS["ospf-router-id-twice"] = "Two OSPF routers of one area have the same router id."

TRAITS = dict.fromkeys(("bgp-reachable", "bgp-peer-address", "bgp-hop-limit"), TO_PEER)
_STOPS = {
    "neighbour": "Without this relation neither learns a route from the other.",
    "routes": "The relation stands, and yet routes do not pass over it in one direction or both.",
}


def find(context: Context) -> Iterator[Finding]:
    """One finding per relation that should work and does not."""
    yield from _not_spoken(context)
    for device in context.network.devices:
        yield from _undefined(context, device)
    yield from _twins(context)
    yield from _by_age(context)
    yield from _version_3_borders(context)
    relations = context.tables.relations()
    working: dict[tuple[str, int, frozenset[str]], int] = defaultdict(int)
    for relation in relations:
        if relation.works:
            working[_pair(relation)] += 1
    for relation in relations:
        gate = relation.first_failing
        if relation.works or gate is None or gate.gate == "line":
            continue
        left, right = relation.left, relation.right
        spare = working[_pair(relation)] > 0
        where = f"{left.address or left.interface}-{right.device}-{right.address or ''}"
        yield Finding(
            kind_of(relation.protocol, gate.gate),
            RISKS if spare else BREAKS,
            left.device,
            relation_sentence(relation),
            _STOPS.get(gate.stops, _STOPS["neighbour"]),
            gate.evidence,
            interface=left.interface,
            peer=End(right.device, right.interface or ""),
            key=where,
            subject=relation,
        )


def _not_spoken(context: Context) -> Iterator[Finding]:
    """Sessions that are configured at one end, while the other has no BGP at all."""
    callers = sessions.callers(context.network)
    for device in context.network.devices:
        listed = callers.get(device.name)
        if listed is None or device.is_host or not device.configured:
            continue
        if not all(context.certain(device, family) for family in (4, 6)):
            continue  # what is not computed there may be BGP
        names = {caller.name for caller, _ in listed}
        yield Finding(
            "bgp-not-spoken",
            BREAKS,
            device.name,
            f"{named(names)} {'name' if len(names) > 1 else 'names'} {device.name} as BGP "
            f"neighbour, and {device.name} runs no BGP.",
            "No session comes up, so nothing is learned from it and it learns nothing. Which "
            "policies it had, if it had any, its configuration no longer says.",
            tuple(neighbour.source for _, neighbour in listed),
            peer=End(listed[0][0].name, ""),
            subject=listed,
        )


def _undefined(context: Context, device: Device) -> Iterator[Finding]:
    """Policies of BGP neighbours that are not there: they let nothing through."""
    policy, process = device.policy, device.routing.one(BgpProcess)
    for neighbour in process.neighbours if process is not None else ():
        if neighbour.address is None:
            continue
        for family, held in neighbour.families.items():
            for word, known in (
                (held.route_map_in, policy.route_maps),
                (held.route_map_out, policy.route_maps),
                (held.prefix_list_in, {n for f, n in policy.prefix_lists if f == family}),
                (held.prefix_list_out, {n for f, n in policy.prefix_lists if f == family}),
            ):
                if word is None or word.value in known:
                    continue
                owners = context.forwarding.near.owner_devices(neighbour.address)
                yield Finding(
                    "policy-undefined",
                    BREAKS,
                    device.name,
                    f"{device.name} applies {word.value} to its neighbour {neighbour.address}, and "
                    "nobody wrote it.",
                    "A policy that is not there permits nothing, so no route passes that way.",
                    (word.source,),
                    peer=End(owners[0], "") if owners else None,
                    key=f"{word.value}-{neighbour.address}-{word.source.line or 0}",
                    subject=word.source,
                )


def _twins(context: Context) -> Iterator[Finding]:
    for speakers in context.tables.speakers:
        if not isinstance(speakers, OspfSpeakers):
            continue
        for number, one, other in speakers.domain.twins():
            ids = [router.ends[0].router_id for router in (one, other)]
            lines = tuple(identity.source for identity in ids if identity is not None)
            yield Finding(
                "ospf-router-id-twice",
                BREAKS,
                one.device.name,
                f"{one.device.name} and {other.device.name} have one OSPF router id in area "
                f"{dotted(number)}.",
                "What each announces replaces what the other announced, for ever: routes come "
                "and go all over the area.",
                lines,
                peer=End(other.device.name, ""),
                key=f"{other.device.name}-{number}",
            )


def _by_age(context: Context) -> Iterator[Finding]:
    """A limit of what configurations can tell (docs/decisions/0008)."""
    for speakers in context.tables.speakers:
        if not isinstance(speakers, BgpFamilySpeakers):
            continue
        for name, speaker in speakers.whole.states[speakers.family].items():
            for prefix, rival in speaker.rivals.items():
                best = speaker.best.get(prefix)
                if best is None:
                    continue
                yield Finding(
                    "bgp-path-by-age",
                    NOTES,
                    name,
                    f"{name} uses the path of {best.speaker} to {prefix} or that of "
                    f"{rival.speaker}, whichever came first.",
                    "The paths are equal in all that a configuration decides. What is computed "
                    f"here goes by {best.speaker}; the router may have settled on the other.",
                    (speaker.process.source,),
                    key=str(prefix),
                )


def _version_3_borders(context: Context) -> Iterator[Finding]:
    """A limit of ours: real routers are not followed in everything they do at such borders."""
    for speakers in context.tables.speakers:
        if not isinstance(speakers, OspfSpeakers) or speakers.domain.version != 3:
            continue
        for name, router in sorted(speakers.domain.routers.items()):
            if router.is_border:
                yield Finding(
                    "ospf3-borders-uncertain",
                    NOTES,
                    name,
                    f"{name} is a border between OSPFv3 areas, and some routers act otherwise "
                    "there than computed.",
                    "Known to differ: the cost of ranges, default routes of stub areas at the "
                    "border itself, whether equal ways over two borders share traffic, and whether "
                    "routers use what a border passes on from an NSSA before it says again that "
                    "it is one that does.",
                    (router.process.source,),
                )


def _pair(relation: Relation) -> tuple[str, int, frozenset[str]]:
    """What another relation has to share with this one in order to stand in for it."""
    devices = frozenset((relation.left.device, relation.right.device))
    crossing = isinstance(relation.ends[0], virtual.VirtualEnd)
    return relation.protocol + " virtual" * crossing, relation.family, devices
