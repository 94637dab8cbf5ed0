"""What an answer says and quotes."""

from __future__ import annotations

from dataclasses import replace

from ..change.places import places_of
from ..forwarding.path import Path
from ..network.source import Source
from .answer import Option
from .finding import Finding
from .remedies.bench import Bench


def service(base: Bench, path: Path) -> str:
    """What is to be said where the way is sound and nobody listens at its end."""
    device = base.devices[path.outbound.decisive.last.device]
    listed = sorted({f"{s.protocol} {s.port}" for s in device.services.sockets or ()})
    return (
        "The way is sound in both directions, so it is the service: it has "
        f"to be started on {device.name}, or the port is wrong. Somebody listens there on "
        f"{', '.join(listed) or 'no port at all'}."
    )


def narrowed(path: Path) -> str:
    """What is to be said where nothing that is known heals it."""
    return (
        f"{path.sentence()} No single change that is known here heals it, nor a few together: "
        "what stands at that place, or beyond what was surveyed, has to be looked at."
    )


def together(options: list[Option]) -> str:
    """What is to be said of several faults that hide each other."""
    summaries = " ".join(option.finding.summary for option in options)
    return f"{len(options)} faults together: {summaries}"


def quoting(base: Bench, option: Option) -> Finding:
    """The finding with the very lines that its remedy changes or adds in its evidence."""
    finding = option.finding
    touched: list[Source] = []
    for place in places_of(base.survey, option.edits):
        # What is quoted already is quoted as its finder did, but first.
        held = next((s for s in finding.evidence if _says(s, place)), place)
        touched.append(held)
    others = [source for source in finding.evidence if source not in touched]
    return replace(finding, evidence=(*dict.fromkeys(touched), *others))


def _says(evidence: Source, place: Source) -> bool:
    """True if a piece of evidence shows a place already."""
    if (evidence.device, evidence.file) != (place.device, place.file):
        return False
    if place.line is None or evidence.line is None:
        return evidence.text == place.text
    return evidence.line == place.line or place.text.rstrip(",") in evidence.text


def as_it_stands(base: Bench, finding: Finding) -> Finding:
    """A finding of a changed copy, with the line numbers of the texts that people have."""
    return replace(finding, evidence=tuple(_line_of(base, source) for source in finding.evidence))


def _line_of(base: Bench, source: Source) -> Source:
    text = base.survey.text(source.device, source.file)
    if source.line is None or text is None:
        return source
    rows = text.split("\n")
    wanted = source.text.strip()
    if source.line <= len(rows) and rows[source.line - 1].strip() == wanted:
        return source
    alike = [n for n, row in enumerate(rows, 1) if row.strip() == wanted]
    if not alike:
        return source
    return source._replace(line=min(alike, key=lambda n: abs(n - (source.line or 0))))
