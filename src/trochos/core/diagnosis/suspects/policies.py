"""BGP policies that refuse a prefix: what the session says of it, and the line that decides."""

from __future__ import annotations

from collections.abc import Iterator

from ...change.writers.bgp import BgpPart
from ...network.addressing import Prefix
from ...network.bgp import BgpProcess
from ...network.edits import Remedy
from ...network.facts import Device, Source
from ...protocols.bgp.speakers import BgpFamilySpeakers
from ...step.routes import OWN_AS
from ..finding import BREAKS, Finding
from ..remedies.bench import Bench
from .suspect import LIKELY, PLAUSIBLE, Suspect


def refused(bench: Bench, holder: Device, lacking: Device, prefix: Prefix) -> Iterator[Suspect]:
    """Why a session that stands does not carry a prefix, where a line can be changed."""
    for speakers in bench.tables.speakers:
        if not isinstance(speakers, BgpFamilySpeakers) or speakers.family != prefix.family:
            continue
        refusal = speakers.whole.why_not_told(prefix.family, holder.name, lacking.name, prefix)
        if refusal is None:
            continue
        if refusal.kind == OWN_AS:
            yield from _own_as(bench, holder, lacking, prefix, refusal.why)
        elif refusal.sources:
            yield from _by_line(bench, holder, lacking, prefix, refusal.why, refusal.sources)


def _by_line(
    bench: Bench,
    holder: Device,
    lacking: Device,
    prefix: Prefix,
    why: str,
    sources: tuple[Source, ...],
) -> Iterator[Suspect]:
    device = sources[0].device
    writer = bench.writer(device)
    remedies: list[Remedy] = []
    decides = []
    for source in sources[1:]:
        permits = writer.permit_instead(source)
        if permits is None:
            continue
        decides.append(source)
        remedies.append(Remedy(f"On {device}: permit what {source.text!r} denies.", permits))
        gone = writer.drop(source)
        if gone is not None:
            remedies.append(Remedy(f"On {device}: take {source.text!r} out.", gone))
    if sources[0].text.startswith(("neighbor ", '"')) or sources[0].path is not None:
        gone = writer.drop(sources[0])
        if gone is not None:
            other = lacking if device == holder.name else holder
            title = f"On {device}: do not apply that policy towards {other.name}."
            remedies.append(Remedy(title, gone))
    if remedies:
        yield Suspect(
            Finding(
                "policy-refuses",
                BREAKS,
                device,
                f"{why}, so {lacking.name} does not learn it.",
                f"{holder.name} and {lacking.name} are BGP neighbours, and this is all that stands "
                "between.",
                (*decides, *(s for s in sources if s not in decides)),
                key=f"{lacking.name}-{prefix}",
                remedies=tuple(remedies),
            ),
            LIKELY if decides else PLAUSIBLE,
        )


def _own_as(
    bench: Bench, holder: Device, lacking: Device, prefix: Prefix, why: str
) -> Iterator[Suspect]:
    """Two sites of one system that meet over another: each finds itself in the other's path."""
    process = lacking.routing.one(BgpProcess)
    owned = {fact.address for interface in holder.interfaces for fact in interface.addresses}
    for neighbour in process.neighbours if process is not None else ():
        if neighbour.address is None or neighbour.address not in owned:
            continue
        edits = (
            bench.writer(lacking.name)
            .speaks(BgpPart)
            .neighbour_setting(neighbour.address, "own AS", "1", prefix.family)
        )
        if edits is not None:
            yield Suspect(
                Finding(
                    "own-as-refused",
                    BREAKS,
                    lacking.name,
                    f"{why}, so it does not take {prefix} from {holder.name}.",
                    "A path that holds the own number is a loop, unless two sites of one system "
                    "meet over another.",
                    (neighbour.source,),
                    key=f"{holder.name}-{prefix}",
                    remedies=(
                        Remedy(
                            f"On {lacking.name}: accept its own AS once in what {holder.name} "
                            "tells.",
                            edits,
                        ),
                    ),
                ),
                PLAUSIBLE,
            )
