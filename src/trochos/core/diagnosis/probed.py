"""What a probe saw, beside what is computed: hop by hop, and what a disagreement may mean."""

from __future__ import annotations

from dataclasses import dataclass

from ..forwarding.path import Path
from ..forwarding.view import Forwarding
from ..network.addressing import parse_address


@dataclass(frozen=True, slots=True)
class Echo:
    """Echo requests that were sent, and how many were answered."""

    sent: int
    received: int
    says: str | None = None
    """What somebody on the way answered instead, or why nothing was sent."""


@dataclass(frozen=True, slots=True)
class Probed:
    """What the device saw. `hops`: who answered at each hop, as addresses or names; empty where
    nobody did, None if it traced nothing."""

    echo: Echo
    hops: tuple[tuple[str, ...], ...] | None


@dataclass(frozen=True, slots=True)
class Compared:
    """One hop: the devices that are computed there, and who answered."""

    hop: int
    computed: tuple[str, ...]
    answered: str | None
    device: str | None
    state: str
    """`same`; `branch` (one of several equal ways); `silent` (nobody answered, and later hops
    did); `stops`; `elsewhere` (a device that is not on the computed way); `stranger` (an address
    that nobody surveyed has); `more` (beyond the computed way)."""


@dataclass(frozen=True, slots=True)
class Beside:
    """A probe beside its computed journey."""

    agrees: bool
    says: str
    hops: tuple[Compared, ...]


def beside(forwarding: Forwarding, path: Path, probed: Probed) -> Beside:
    """Sets a probe beside the journey that was computed for the same question."""
    expected: list[list[str]] = []
    for branch in path.outbound.branches:
        for at, hop in enumerate(branch.hops[1:]):
            if at == len(expected):
                expected.append([])
            name = _chassis(hop.device)
            if name not in expected[at]:
                expected[at].append(name)
    answered = list(probed.hops or ())
    rows = []
    for at in range(max(len(expected), len(answered))):
        who = expected[at] if at < len(expected) else []
        shown = answered[at] if at < len(answered) else ()
        owners = [_owners(forwarding, answer) for answer in shown]
        first = next((names[0] for names in owners if names), None)
        state = "silent" if at < len(answered) else "stops"
        if shown:
            state = _state(who, owners)
        told = ", ".join(shown) or None
        rows.append(Compared(at + 1, tuple(who), told, first, state))
    works = probed.echo.received > 0
    part = 0 < probed.echo.received < probed.echo.sent
    return Beside(*_judged(path, works, part, probed, rows), tuple(rows))


def _state(computed: list[str], owners: list[list[str]]) -> str:
    """What those who answered at one hop are to those who are computed there."""
    if not computed:
        return "more"
    if any(not names for names in owners):
        return "stranger"
    if not all(set(names) & set(computed) for names in owners):
        return "elsewhere"
    return "same" if any(computed[0] in names for names in owners) else "branch"


def _chassis(node: str) -> str:
    return node.partition("/")[0]


def _owners(forwarding: Forwarding, shown: str) -> list[str]:
    """The devices that an address or a name stands for."""
    address = parse_address(shown)
    if address is None:
        names = (shown, shown.partition(".")[0])
        return [name for name in dict.fromkeys(names) if name in forwarding.devices]
    found = forwarding.near.owner_devices(address)
    return list(dict.fromkeys(_chassis(name) for name in found))


def _judged(
    path: Path, works: bool, part: bool, probed: Probed, rows: list[Compared]
) -> tuple[bool, str]:
    """Whether both agree, and one sentence about it."""
    elsewhere = next((row for row in rows if row.state in ("elsewhere", "stranger")), None)
    astray = ""
    if elsewhere is not None:
        who = elsewhere.device or f"{elsewhere.answered}, which nobody surveyed has,"
        computed = " or ".join(elsewhere.computed)
        astray = f"over {who} at hop {elsewhere.hop} where {computed} is computed"
    silent = [str(row.hop) for row in rows if row.state == "silent"]
    quiet = (
        f" Hop {' and '.join(silent)} did not answer, and is not where it breaks."
        if (silent and works)
        else ""
    )
    told = f" {probed.echo.says}." if probed.echo.says and not works else ""
    if path.works == "unknown":
        return True, (
            f"{path.sender} {'gets an answer' if works else 'gets no answer'}; what is computed "
            f"is not certain here.{told}"
        )
    if path.works == "partly":
        seen = "some of its echoes" if part else "all of its echoes" if works else "no echo"
        return True, f"{path.sender} gets {seen} back; one of several ways fails.{told}{quiet}"
    if works and path.works == "yes":
        if elsewhere is not None:
            return False, (f"{path.sender} gets an answer, but {astray}: the survey may be old.")
        return True, f"{path.sender} gets an answer, as computed.{quiet}"
    if works:
        return False, (
            f"{path.sender} gets an answer, although the survey says otherwise: it was taken "
            "before something was mended, or this is a limit of Trochos."
        )
    if path.works == "yes":
        return False, (
            f"{path.sender} gets no answer, although the survey says otherwise: something changed "
            f"since it was taken, or drops the packet unseen.{told}"
        )
    if elsewhere is not None:
        return False, (
            f"{path.sender} gets no answer, as computed, but the way leads {astray}: the survey "
            f"may be old.{told}"
        )
    return True, f"{path.sender} gets no answer, as computed.{told}"
