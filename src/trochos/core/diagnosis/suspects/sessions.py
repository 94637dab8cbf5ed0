"""BGP inside one system: neighbours that are missing, next hops that nobody knows."""

from __future__ import annotations

from collections.abc import Iterator

from ...change.writers.bgp import BgpPart
from ...network.addressing import Address, Prefix
from ...network.bgp import BgpProcess
from ...network.edits import Edit, Remedy
from ...network.facts import Device, End
from ...protocols.bgp.speakers import BgpFamilySpeakers
from ..finding import BREAKS, Finding
from ..remedies.bench import Bench
from .suspect import LIKELY, PLAUSIBLE, Suspect, missing_line


def mesh_hole(bench: Bench, holder: Device, lacking: Device) -> Iterator[Suspect]:
    """Two speakers of one system that are no neighbours, though others here are."""
    left, right = holder.routing.one(BgpProcess), lacking.routing.one(BgpProcess)
    if left is None or right is None or left.number != right.number:
        return
    if any(
        r.protocol == BgpProcess.protocol
        and {r.left.device, r.right.device} == {holder.name, lacking.name}
        for r in bench.tables.relations()
    ):
        return  # a relation that fails has a finding of its own
    edits: list[Edit] = []
    for me, other in ((holder, lacking), (lacking, holder)):
        process = me.routing.one(BgpProcess)
        assert process is not None
        like = next(
            (
                n
                for n in process.neighbours
                if n.remote_as is not None
                and n.remote_as.value in ("internal", str(process.number))
                and n.address is not None
            ),
            None,
        )
        peer = next(
            (
                fact.address
                for loopback in (True, False)
                for interface in other.interfaces
                if interface.loopback is loopback
                for fact in interface.addresses
                if fact.address.family == (like.address.family if like and like.address else 4)
                and not fact.address.is_link_local
            ),
            None,
        )
        made = (
            bench.writer(me.name).speaks(BgpPart).add_neighbour(peer, process.number, like)
            if peer
            else None
        )
        if made is None:
            return
        edits += made
    yield Suspect(
        Finding(
            "mesh-hole",
            BREAKS,
            holder.name,
            f"{holder.name} and {lacking.name} are in one system and are no BGP neighbours.",
            "What a router hears from inside its system it does not pass on inside (RFC 4271, "
            "9.2), so every two need a session, or a reflector between them.",
            (left.source, right.source),
            peer=End(lacking.name, ""),
            key=lacking.name,
            remedies=(
                Remedy(f"Make {holder.name} and {lacking.name} BGP neighbours.", tuple(edits)),
            ),
        ),
        PLAUSIBLE,
    )


def unresolved(bench: Bench, device: Device, target: Address) -> Iterator[Suspect]:
    """BGP routes whose next hop this device cannot reach: the border should name itself."""
    process = device.routing.one(BgpProcess)
    if process is None:
        return
    family = target.family
    for speakers in bench.tables.speakers:
        if not isinstance(speakers, BgpFamilySpeakers) or speakers.family != family:
            continue
        for name, state in speakers.whole.states[family].items():
            other = bench.devices[name]
            if name == device.name or state.process.number != process.number:
                continue
            for prefix in state.best:
                if prefix.contains(target):
                    hop = speakers.whole.unknown_next_hop(family, name, device.name, prefix)
                    if hop is not None:
                        yield from _names_itself(bench, device, other, prefix, hop)


def _names_itself(
    bench: Bench, device: Device, other: Device, prefix: Prefix, hop: Address
) -> Iterator[Suspect]:
    speaker = other.routing.one(BgpProcess)
    assert speaker is not None
    inside = [
        n
        for n in speaker.neighbours
        if n.remote_as is not None
        and n.remote_as.value in ("internal", str(speaker.number))
        and n.address is not None
    ]
    edits: list[Edit] = []
    for n in inside:
        assert n.address is not None
        setting = n.families.get(prefix.family)
        if setting is not None and setting.next_hop_self is not None:
            continue
        made = (
            bench.writer(other.name)
            .speaks(BgpPart)
            .neighbour_setting(n.address, "next hop self", "", prefix.family)
        )
        # What several neighbours use is defined once.
        edits += [edit for edit in made or () if edit not in edits]
    if not edits:
        return
    yield Suspect(
        Finding(
            "next-hop-unknown-inside",
            BREAKS,
            other.name,
            f"{other.name} passes {prefix} on to its own system with the next hop {hop}, which "
            f"{device.name} cannot reach.",
            "A route whose next hop is not reachable is not used (RFC 4271, 9.1.2.1).",
            (
                missing_line(bench, other, "bgp", prefix.family, tuple(edits)),
                *(n.source for n in inside),
            ),
            key=str(prefix),
            remedies=(
                Remedy(
                    f"On {other.name}: name itself as next hop towards its own system.",
                    tuple(edits),
                ),
            ),
        ),
        LIKELY,
    )
