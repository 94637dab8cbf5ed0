"""What a probe saw, beside what is computed: hop by hop, and what a disagreement may mean."""

from __future__ import annotations

from dataclasses import dataclass

from ..forwarding.path import Path
from ..forwarding.step import Forwarding
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
    """What the device saw. `hops`: who answered at each hop; None if it cannot trace."""

    echo: Echo
    hops: tuple[str | None, ...] | None


@dataclass(frozen=True, slots=True)
class Compared:
    """One hop: the device that is computed there, and who answered."""

    hop: int
    computed: tuple[str, ...]
    answered: str | None
    device: str | None
    state: str
    """`same`, `silent` (nobody answered, and later hops did), `stops`, `elsewhere` or `more`."""


@dataclass(frozen=True, slots=True)
class Beside:
    """A probe beside its computed journey."""

    agrees: bool
    says: str
    hops: tuple[Compared, ...]


def beside(forwarding: Forwarding, path: Path, probed: Probed) -> Beside:
    """Sets a probe beside the journey that was computed for the same question."""
    expected: list[set[str]] = []
    for branch in path.outbound.branches:
        for at, hop in enumerate(branch.hops[1:]):
            if at == len(expected):
                expected.append(set())
            expected[at].add(hop.device)
    answered = list(probed.hops or ())
    rows = []
    for at in range(max(len(expected), len(answered))):
        who = tuple(sorted(expected[at])) if at < len(expected) else ()
        shown = answered[at] if at < len(answered) else None
        owners = _owners(forwarding, shown)
        if shown is not None:
            state = "same" if set(who) & set(owners) else "elsewhere" if who else "more"
        else:
            state = "silent" if at < len(answered) else "stops"
        rows.append(Compared(at + 1, who, shown, owners[0] if owners else None, state))
    works = probed.echo.received > 0
    part = 0 < probed.echo.received < probed.echo.sent
    return Beside(*_judged(path, works, part, probed, rows), tuple(rows))


def _owners(forwarding: Forwarding, shown: str | None) -> list[str]:
    address = parse_address(shown or "")
    return forwarding.near.owner_devices(address) if address is not None else []


def _judged(
    path: Path, works: bool, part: bool, probed: Probed, rows: list[Compared]
) -> tuple[bool, str]:
    """Whether both agree, and one sentence about it."""
    elsewhere = next((row for row in rows if row.state == "elsewhere"), None)
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
            return False, (
                f"{path.sender} gets an answer, but over {elsewhere.device or elsewhere.answered} "
                f"at hop {elsewhere.hop} where {' or '.join(elsewhere.computed)} is computed: the "
                "survey may be old."
            )
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
    return True, f"{path.sender} gets no answer, as computed.{told}"
