"""One device: check, connect, fetch, and try again where that helps."""

from __future__ import annotations

import asyncio
from collections.abc import Awaitable, Callable
from dataclasses import dataclass, field
from datetime import UTC, datetime

from .bounds import Bounds, Budget
from .credentials import Credential
from .inventory import Target
from .methods import commands, gnmi, netconf, restconf, snmp
from .methods.base import Gathered, Method, Progress
from .problems import KeyChanged, KeyUnknown, Problem, TimedOut

METHODS: dict[str, Method] = {
    "gnmi": gnmi.gather,
    "ssh": commands.gather,
    "netconf": netconf.gather,
    "restconf": restconf.gather,
    "snmp": snmp.gather,
}


@dataclass(slots=True)
class Outcome:
    """What became of one device. `problem` is the sentence that says why it failed."""

    target: Target
    gathered: Gathered = field(default_factory=Gathered)
    kind: str = "done"
    """`done`, `partly`, or the kind of the problem."""
    problem: str | None = None
    shown_key: str | None = None
    """The key that the device shows, where that is not the trusted one."""
    tries: int = 0
    started_at: datetime | None = None
    ended_at: datetime | None = None

    @property
    def complete(self) -> bool:
        return self.kind == "done"


def _now() -> datetime:
    return datetime.now(UTC)


def _quiet(_what: str, _done: int, _of: int) -> None:
    """Progress that nobody asked for."""


async def collect(
    target: Target,
    credential: Callable[[str], Credential],
    bounds: Bounds | None = None,
    progress: Progress = _quiet,
    admit: Callable[[Target], Awaitable[Target]] | None = None,
) -> Outcome:
    """Gathers from one device. Whatever the device does, this answers within its bounds.

    Args:
        target: the device.
        credential: gives a credential by its name; may raise `CredentialMissing`.
        bounds: the limits.
        progress: told of every step.
        admit: gives the device as it may be talked to, its name resolved; may raise `Problem`.
    """
    bounds = bounds or Bounds()
    out = Outcome(target, started_at=_now())
    try:
        async with asyncio.timeout(bounds.device):
            admitted = target if admit is None else await admit(target)
            await _tries(out, admitted, credential, bounds, progress)
    except TimeoutError:
        _failed(out, TimedOut(f"The device took longer than {bounds.device:g} s in all."))
    except Problem as problem:
        _failed(out, problem)
    except Exception as error:  # noqa: BLE001
        # A device must not be able to end the gathering of others; the type says enough, and
        # the text of an unforeseen error might quote what was sent.
        _failed(out, Problem(f"Its answer broke something here ({type(error).__name__})."))
    out.ended_at = _now()
    return out


async def _tries(
    out: Outcome,
    target: Target,
    credential: Callable[[str], Credential],
    bounds: Bounds,
    progress: Progress,
) -> None:
    held = credential(target.credential)
    method = METHODS[target.method]
    wait = bounds.backoff
    while True:
        out.tries += 1
        try:
            out.gathered = await method(target, held, Budget(bounds), progress)
        except Problem as problem:
            if not problem.again or out.tries >= bounds.tries:
                raise
            progress(f"waiting {wait:g} s to try again", 0, 1)
            await asyncio.sleep(wait)
            wait *= 3
            continue
        out.kind = "partly" if out.gathered.missing else "done"
        return


def _failed(out: Outcome, problem: Problem) -> None:
    out.kind, out.problem = problem.kind, str(problem)
    if isinstance(problem, (KeyUnknown, KeyChanged)):
        out.shown_key = problem.key
