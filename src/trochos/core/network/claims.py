"""What an explanation claims, step by step: who, about which prefix, resting on which fact.

Each step of a chain is a claim of a kind, and its sentence follows from it. So a step says no more
than what decided, and whoever wants can hold it against the texts (tests/core/test_claims.py).
"""

from __future__ import annotations

from typing import NamedTuple

from .addressing import Prefix

OWN = "own"
STATEMENT = "statement"
REDISTRIBUTED = "redistributed"
DEFAULT = "default"
AREA_DEFAULT = "area-default"
PARTS = "parts"
OUT_OF = "parts-out-of"
FOR_AREA = "for-area"
EXTERNALS = "externals"
PASSED_ON = "passed-on"
PASSES = "passes"
INSIDE = "inside"
KNOWS_OTHERS = "knows-others"
DISCARDS = "discards"
TELLS = "tells"
TELLS_DEFAULT = "tells-default"
TAKES = "takes"
TAKES_OVER = "takes-over"
CONNECTED = "connected"
OWNS = "owns"
ROUTE = "route"
HOLDS = "holds"
APART = "apart"
SEPARATE = "separate"
STRANGE = "strange"
MUTE = "mute"
NOT_TAKEN_IN = "not-taken-in"
NOT_ANNOUNCED = "not-announced"
NOT_PERMITTED = "not-permitted"
NOT_MAPPED = "not-mapped"
REFUSED = "refused"
LACKS = "lacks"
UNWRITTEN = "unwritten"
UNUSED = "unused"
UNSURE = "unsure"

KINDS: dict[str, tuple[str, str]] = {
    OWN: (
        "{device} announces {prefix} of its {of} {into}",
        "The interface `of` of the device has an address in the prefix, is up, and the protocol "
        "runs on it.",
    ),
    STATEMENT: (
        "{device} announces {prefix} into {into}",
        "A statement of the protocol names the prefix, and the device holds it if it must.",
    ),
    REDISTRIBUTED: (
        "{device} announces its {of} route to {prefix} into {into}",
        "The protocol `into` redistributes `of` there, and the table has such a route.",
    ),
    DEFAULT: (
        "{device} announces a default route into {into}",
        "A line makes the protocol announce a default route.",
    ),
    AREA_DEFAULT: (
        "{device} announces a default route into the {of}area {into}",
        "The device is a border, and the area is of a kind that gets a default route.",
    ),
    PARTS: (
        "{device} announces {prefix} for what {of} inside it",
        "A line makes an aggregate of the prefix, and the device holds something inside.",
    ),
    OUT_OF: (
        "{device} announces {prefix} for its parts out of {of}",
        "A summary of the prefix stands at the interface `of`, and the device holds a part.",
    ),
    FOR_AREA: (
        "{device} announces {prefix} for its area {of}",
        "A range of the area `of` covers what the device announces elsewhere.",
    ),
    EXTERNALS: (
        "{device} announces {prefix} for {of} externals into {into}",
        "A summary address covers that many externals of the device.",
    ),
    PASSED_ON: (
        "{device} announces {prefix} from {of} into {into}",
        "The device is in both areas.",
    ),
    PASSES: (
        "{device} passes {prefix} on from {of}",
        "The device is a border of the area, and turns what it hears there into externals.",
    ),
    INSIDE: ("{device} is in {into}", "An interface of the device is in the area."),
    KNOWS_OTHERS: (
        "{device} says in level 1 that it knows other areas",
        "The device is of both levels, and reaches another area in the upper one.",
    ),
    DISCARDS: (
        "{device} discards what lies in its {of} {prefix} and in no {into} of it",
        "A line of the device makes it announce the prefix for what it holds inside.",
    ),
    TELLS: ("{device} tells {of} of {prefix}", "The two are neighbours."),
    TELLS_DEFAULT: (
        "{device} tells {of} of a default route",
        "A line of the device makes it tell that neighbour of a default route.",
    ),
    TAKES: ("{device} takes {prefix} from {of}", "The two are neighbours."),
    TAKES_OVER: (
        "{device} takes {prefix} over from {of}",
        "Both are instances of one device, and lines join them.",
    ),
    HOLDS: ("{device} has {prefix} ({of})", "The device's table has the prefix."),
    APART: (
        "{of}",
        "The two are no neighbours, or pass no routes, at the gate `by`; `into` is the other.",
    ),
    SEPARATE: (
        "{device} and {of} both run {into}, but not with each other",
        "Both run the protocols, and no two of their interfaces are neighbours in one.",
    ),
    STRANGE: ("{device} and {of} exchange no routes", "No protocol runs on both."),
    CONNECTED: (
        "{device} is connected to {prefix} on {of}",
        "The interface `of` of the device has an address in the prefix and is up.",
    ),
    OWNS: ("{device} owns {prefix} on {of}", "The address is one of the interface's."),
    ROUTE: ("{device} has {into}", "The device's table has the prefix by the protocol `of`."),
    MUTE: ("So the news does not get as far as {device}", "The device's table lacks the prefix."),
    NOT_TAKEN_IN: (
        "{device} is connected to {prefix}, and no {into} statement takes it in",
        "An interface of the device has the prefix, and no line of the protocol covers it.",
    ),
    NOT_ANNOUNCED: (
        "{device} has {prefix} as {of} and does not announce that into {into}",
        "The protocol `into` does not redistribute `of` there.",
    ),
    NOT_PERMITTED: (
        "{device} announces its {of} routes into {into}, but not {prefix}",
        "The protocol redistributes `of`, and what it goes by leaves the prefix out.",
    ),
    NOT_MAPPED: (
        "{device} announces its {of} routes into {into}, but not {prefix}: the route map {by} "
        "does not permit it",
        "The protocol redistributes `of` through that map, and no sequence lets the prefix pass.",
    ),
    REFUSED: ("{of}", "The lines that are quoted decide it."),
    LACKS: ("{device} does not have {prefix}{of}", "The device's table lacks the prefix."),
    UNWRITTEN: (
        "Nothing on {device} configures {prefix}{of}",
        "No line of the device's names the prefix, and none of its interfaces is in it.",
    ),
    UNUSED: (
        "{device} has a {of} route to {prefix} that is not used: {into}",
        "The device has that candidate, and its table has no route to the prefix.",
    ),
    UNSURE: ("Not certain: {of}", "The line that is quoted was not computed."),
}
"""Per kind its sentence (without the full stop), and what has to be true for it."""


class Claim(NamedTuple):
    """One step: its kind (see `KINDS`), who it is about, the prefix, and what else it names."""

    kind: str
    device: str
    prefix: Prefix | str | None = None
    """The prefix; a name where a border passes on the way to a router."""
    of: str = ""
    into: str = ""
    by: str = ""

    @property
    def says(self) -> str:
        return KINDS[self.kind][0].format(
            device=self.device, prefix=self.prefix, of=self.of, into=self.into, by=self.by
        )

    def as_json(self) -> dict[str, object]:
        found = {
            "kind": self.kind,
            "device": self.device,
            "prefix": str(self.prefix) if self.prefix is not None else None,
            "of": self.of,
            "into": self.into,
            "by": self.by,
        }
        return {key: value for key, value in found.items() if value not in (None, "")}
