"""Errands: one talk with one device that somebody waits for, done by a worker.

A test says what works of a device; a probe asks it for a target. Who asked comes again for the
answer, so that no request waits for a device that does not answer.
"""

from __future__ import annotations

import asyncio
import ipaddress
import time
from dataclasses import asdict
from datetime import timedelta
from typing import Any

from django.conf import settings
from django.db import transaction
from django.utils import timezone

from ...core.diagnosis.probed import Echo, Probed
from ...core.network.addressing import Address, parse_address
from ...gather.bounds import Bounds
from ...gather.collect import collect
from ...gather.credentials import Credential
from ...gather.inventory import Target
from ...gather.probes import Question, probe
from ...gather.problems import CredentialMissing, Problem
from . import runs, vault
from .allowed import admitting, networks
from .models import Errand, InventoryDevice, StoredCredential
from .queueing import ERRAND, enqueue

TEST, PROBE = "test", "probe"
PROBE_BOUNDS = Bounds(connect=5, step=15, device=40, tries=1)
TEST_BOUNDS = Bounds(connect=5, step=10, device=20, tries=1)
KEPT = timedelta(hours=12)
"""How long what came of one is kept: whoever waits for it comes at once."""


def stored_credential(name: str) -> Credential:
    """A credential from the vault.

    Raises:
        CredentialMissing: nobody stored it, or it was sealed under another key.
    """
    held = StoredCredential.objects.filter(name=name).first()
    if held is None:
        raise CredentialMissing(f"Nobody stored the credential {name}.")
    return vault.unseal(name, bytes(held.sealed))


def send(kind: str, device: InventoryDevice, question: dict[str, Any] | None = None) -> Errand:
    """Has a worker talk to a device.

    Args:
        kind: TEST or PROBE.
        device: the device.
        question: of a probe, in values that JSON has (`asked`), beside what its asker needs.
    """
    with transaction.atomic():
        Errand.objects.filter(sent_at__lt=timezone.now() - KEPT).delete()
        target = asdict(device.target)
        made = Errand.objects.create(kind=kind, target=target, question=question or {})
        if not settings.COMPUTE_HERE:
            enqueue(ERRAND, errand=made.pk)
    if settings.COMPUTE_HERE:
        perform(made.pk)
        made.refresh_from_db()
    return made


def take_up() -> None:
    """Puts errands into the queue again that nobody has any more."""
    late = timezone.now() - timedelta(seconds=PROBE_BOUNDS.device + TEST_BOUNDS.device)
    for lost in Errand.objects.filter(state__in=Errand.OPEN, sent_at__lt=late):
        says = "The worker that talked to the device ended. Ask again."
        Errand.objects.filter(pk=lost.pk).update(state=Errand.FAILED, says=says)


def perform(number: int) -> None:
    """Talks to the device: what a worker does. Twice does no harm: both only read."""
    errand = Errand.objects.filter(pk=number, state__in=Errand.OPEN).first()
    if errand is None:
        return
    Errand.objects.filter(pk=number).update(state=Errand.WORKING)
    try:
        answer = _test(errand) if errand.kind == TEST else _probe(errand)
    except Problem as problem:
        end: dict[str, Any] = {"state": Errand.FAILED, "says": str(problem)}
    else:
        end = {"state": Errand.DONE, "answer": answer}
    Errand.objects.filter(pk=number).update(**end)


def _test(errand: Errand) -> dict[str, Any]:
    target = Target(**errand.target)
    found: Credential | None = None
    problem: CredentialMissing | None = None
    try:
        found = stored_credential(target.credential)
    except CredentialMissing as error:
        problem = error

    def known(_name: str) -> Credential:
        if found is None:
            raise problem or CredentialMissing("The credential is not there.")
        return found

    started = time.monotonic()
    admit = admitting(networks())
    outcome = asyncio.run(collect(target, known, TEST_BOUNDS, admit=admit))
    runs.note(outcome)
    return {
        "outcome": outcome.kind,
        "says": outcome.problem or " ".join(outcome.gathered.missing.values()),
        "key": outcome.shown_key,
        "got": sorted(outcome.gathered.files),
        "absent": outcome.gathered.absent,
        "seconds": round(time.monotonic() - started, 2),
    }


def _probe(errand: Errand) -> dict[str, Any]:
    target, asked = Target(**errand.target), errand.question["asked"]
    question = Question(
        _address(asked["target"]),
        _address(asked["source"]) if asked["source"] else None,
        asked["size"],
        asked["dont_fragment"],
    )
    admitted = asyncio.run(admitting(networks())(target))
    seen = asyncio.run(
        probe(admitted, stored_credential(target.credential), question, PROBE_BOUNDS)
    )
    echo = seen.echo
    return {"sent": echo.sent, "received": echo.received, "says": echo.says, "hops": seen.hops}


def seen_of(answer: dict[str, Any]) -> Probed:
    """What a device saw, as its errand was told."""
    hops = answer["hops"]
    echo = Echo(answer["sent"], answer["received"], answer["says"])
    return Probed(echo, None if hops is None else tuple(tuple(hop) for hop in hops))


def _address(text: str) -> Address:
    found = parse_address(str(ipaddress.ip_address(text)))
    assert found is not None
    return found
