"""A router of both levels of IS-IS that has nobody in the upper one."""

from __future__ import annotations

from collections.abc import Iterator

from ...network.addressing import Address
from ...network.edits import Remedy
from ...network.facts import Device
from ...network.isis import IsisProcess
from ...protocols.isis.speakers import IsisSpeakers
from ..finding import BREAKS, Finding, named
from ..remedies.bench import Bench
from .suspect import LIKELY, Suspect, missing_line


def idle_level(bench: Bench, device: Device, target: Address) -> Iterator[Suspect]:
    """It takes itself for somebody who knows other areas, and makes no default towards those in
    its level 1 who do."""
    family = target.family
    process = device.routing.one(IsisProcess)
    for speakers in bench.tables.speakers:
        if not isinstance(speakers, IsisSpeakers) or speakers.family != family or process is None:
            continue
        tellers = speakers.idle_level(device.name)
        edits = (
            bench.writer(device.name).of(process.protocol).whole_setting(family, "kind", "level-1")
        )
        if not tellers or not edits:
            continue
        line = process.kind.source if process.kind is not None else None
        yield Suspect(
            Finding(
                "isis-level-idle",
                BREAKS,
                device.name,
                f"{device.name} is of both levels of IS-IS and meets nobody in level 2, so it "
                f"makes no default towards {named(tellers)}, who "
                f"{'know' if len(set(tellers)) > 1 else 'knows'} other areas.",
                "A router of level 1 alone sends what it has no route for to the nearest router "
                "that says so; one of both levels does not.",
                (line or missing_line(bench, device, process.protocol, family, edits),),
                remedies=(Remedy(f"On {device.name}: be of level 1 alone in IS-IS.", edits),),
            ),
            LIKELY,
        )
