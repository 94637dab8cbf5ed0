"""What is not known: devices that were not read and lines that are not computed, by the open
questions that hang on each.

A device is left out of a copy, or a line of it; what is known then and was not before hangs on
that alone. Nothing is claimed about how it would be answered.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

from ..forwarding.reach import Reach
from ..forwarding.settle import settle
from ..network.documents import Document
from ..network.facts import Device, Network, Unmodelled
from .questions import Question, Watch, asked, standing, unwatched

if TYPE_CHECKING:
    from ..survey import Computed

LINES = 60
EXAMPLES = 3


@dataclass(slots=True)
class UnreadDevice:
    """A device that nobody could read: `questions` hang on it, `decides` of them on it alone."""

    device: str
    why: str
    questions: int
    decides: int
    examples: list[Question]

    def as_json(self, rank: int) -> dict[str, object]:
        shown = [{"from": q.sender, "to": q.owner} for q in self.examples]
        return {
            "device": self.device,
            "why": self.why,
            "questions": self.questions,
            "decides": self.decides,
            "rank": rank,
            "examples": shown,
        }


@dataclass(slots=True)
class OpenLine:
    """A line that is not understood or not computed, and how many questions hang on it."""

    item: Unmodelled
    questions: int

    def as_json(self) -> dict[str, object]:
        source = self.item.source
        return {
            "device": source.device,
            "file": source.file,
            "line": source.line,
            "text": source.shown,
            "why": self.item.why,
            "questions": self.questions,
        }


@dataclass(slots=True)
class Unknowns(Document):
    """What to read next, most telling first."""

    unread: list[UnreadDevice]
    lines: list[OpenLine]
    questions: int
    """How many questions are open at all."""

    def as_nodes(self) -> dict[str, object]:
        """The `unknowns` document of the contract."""
        return {
            "unread": [item.as_json(rank) for rank, item in enumerate(self.unread, 1)],
            "lines": [line.as_json() for line in self.lines],
            "questions": self.questions,
        }


def unknowns(survey: Computed, watch: Watch = unwatched) -> Unknowns:
    """What hangs on each device that was not read, and on each line that is not computed."""
    network = survey.network
    open_ = set(standing(survey.reach, opened=True).open)
    strange = [d for d in network.devices if d.role == "unread"]
    lines = [(d, item) for d in network.devices for item in d.unmodelled][:LINES]
    of, done = 2 * len(strange) + len(lines), 0
    unread = []
    for device in strange:
        if not watch(done, of, device.name):
            break
        done += 2
        without = _known(network, [device.name], open_)
        others = [d.name for d in strange if d is not device]
        touched = open_ - _known(network, others, open_) if others else open_
        hangs = sorted(without | touched)
        unread.append(
            UnreadDevice(
                device.name,
                f"{device.unknown_because[:1].upper()}{device.unknown_because[1:]}."
                if device.instance
                else f"{device.unknown_because}.",
                len(hangs),
                len(without),
                sorted(without or touched)[:EXAMPLES],
            )
        )
    unread.sort(key=lambda item: (-item.decides, -item.questions, item.device))
    found = []
    for device, item in lines:
        if not watch(done, of, f"{item.source.file} of {device.name}"):
            break
        done += 1
        found.append(OpenLine(item, len(_without_line(network, device, item, open_))))
    found.sort(key=lambda line: -line.questions)
    return Unknowns(unread, found, len(open_))


def _known(network: Network, gone: list[str], open_: set[Question]) -> set[Question]:
    """Which of the open questions are answered in a network without some devices."""
    names = set(gone)
    changed = replace(
        network,
        devices=tuple(d for d in network.devices if d.name not in names),
        segments=tuple(
            replace(
                segment,
                ends=tuple(e for e in segment.ends if e.device not in names),
                unread=tuple(n for n in segment.unread if n not in names),
            )
            for segment in network.segments
        ),
    )
    return _answered(changed, open_)


def _without_line(
    network: Network, device: Device, item: Unmodelled, open_: set[Question]
) -> set[Question]:
    kept = tuple(other for other in device.unmodelled if other is not item)
    changed = replace(device, unmodelled=kept)
    devices = tuple(changed if d is device else d for d in network.devices)
    return _answered(replace(network, devices=devices), open_)


def _answered(network: Network, open_: set[Question]) -> set[Question]:
    forwarding = settle(network)[1]
    later = asked(Reach(forwarding), open_)
    return {q for q in open_ if q in later and later[q].ok is not None}
