"""Putting surveys into the database and getting their computed view out of it."""

from __future__ import annotations

import gc
import hashlib
import io
import json
import threading
import zipfile
from collections.abc import Callable
from dataclasses import replace
from datetime import datetime, timedelta
from typing import Any

from cachetools import LRUCache
from django.conf import settings
from django.contrib.auth.models import User
from django.utils import timezone
from django.utils.dateparse import parse_datetime

from ...core.readers.archives import UploadError
from ...core.readers.masking import unnumbered
from ...core.readers.survey import About, ReadingStopped
from ...core.survey import Computed
from ...local import fingerprint_key
from . import documents, jobs, kept
from .expected import check_later
from .models import Answer, Network, StoredSurvey
from .present import severity_counts
from .written import written

_DEVICES = 1600
"""How many devices the surveys have together that are held in memory; the last one always is.
With a third of this, one of 1000 devices and the demo throw each other out all the time."""
_WAITS = 20.0
"""Seconds that a question waits for a worker to compute a large survey."""
_waiting = threading.Semaphore(3)
"""Few wait so: the others' quick questions need the threads."""
_lock = threading.Lock()


class Held(LRUCache[int, Computed]):
    """The surveys that were asked last, as many as have `_DEVICES` devices together."""

    def __init__(self, devices: int = _DEVICES) -> None:
        # One that alone is larger is held, too, and alone.
        super().__init__(devices, lambda survey: min(len(survey.network.devices), devices))
        self.left = 0
        """How many devices the surveys had that left since garbage was last looked for."""

    def popitem(self) -> tuple[int, Computed]:
        number, gone = super().popitem()
        self.left += len(gone.network.devices)
        return number, gone


_computed = Held()
_busy: dict[int, threading.Lock] = {}


class StillComputing(Exception):
    """A worker computes the survey just now; whoever asks again in a moment gets an answer."""


def digest_of(survey: Computed) -> str:
    """What tells a survey from others: its masked texts, whatever the number of the key is."""
    return hashlib.sha256(pack(survey, unnumbered)).hexdigest()


def pack(survey: Computed, seen: Callable[[str], str] = str) -> bytes:
    """The masked texts of a survey as a .zip; the same texts give the same bytes."""
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        for device in sorted(survey.survey.files):
            for name, text in sorted(survey.survey.files[device].items()):
                path = f"devices/{device}/{name}" if device else name
                entry = zipfile.ZipInfo(path, (1980, 1, 1, 0, 0, 0))
                entry.compress_type = zipfile.ZIP_DEFLATED
                archive.writestr(entry, seen(text))
    return out.getvalue()


def files_of(stored: StoredSurvey) -> dict[str, bytes]:
    with zipfile.ZipFile(io.BytesIO(bytes(stored.archive))) as archive:
        return {name: archive.read(name) for name in archive.namelist()}


def store(
    files: dict[str, bytes],
    title: str | None,
    user: User | None,
    sent_as: str | None = None,
    network: str | None = None,
    taken_at: datetime | None = None,
    watch: Callable[[int, int, str], bool] | None = None,
) -> StoredSurvey:
    """Reads and stores a survey; the same survey twice is the stored one.

    It is called by the title given here, by its own, or by the name under which it was sent. It
    belongs to the network named here or in it, else to the one whose devices it mostly holds, else
    to a new one. What was decided about that network is written into its `survey.json`.

    Args:
        taken_at: when it was taken, if it does not say so itself.
        watch: asked before each file is read, and before anything is stored, whether to go on.

    Raises:
        UploadError: no device was recognised in it.
        ReadingStopped: `watch` wanted no more of it.
    """
    survey = Computed.from_files(files, fingerprint_key(), watch)
    names = read_names(survey)
    if not names:
        listed = ", ".join(sorted(files)[:3])
        raise UploadError(
            f"No device was recognised in what you sent ({listed}). A survey holds configurations "
            "or captures of devices, best as devices/NAME/FILE."
        )
    digest = digest_of(survey)
    known = StoredSurvey.objects.filter(digest=digest).first()
    if known is not None:
        return known
    about = survey.survey.about
    called = written((title or about.title or sent_as or "Survey").strip(), 200)
    belongs = _network_of(network or about.network, names, called)
    taken = when(about.taken_at) or taken_at
    said = replace(
        about,
        title=called,
        taken_at=taken.isoformat() if taken is not None else None,
        network=belongs.name,
        # Who gathered knows whom he asked; of other surveys, what the network held before.
        expected=about.expected or tuple(sorted(belongs.expected)),
        roles={**belongs.roles, **about.roles},
    )
    survey = with_about(survey, said)
    if watch is not None and not watch(len(files), len(files), ""):
        raise ReadingStopped
    # What is wrong in a large survey a worker finds: whoever sent it need not wait for that.
    later = len(names) >= kept.DEVICES and not settings.COMPUTE_HERE
    stored = StoredSurvey.objects.create(
        counted=not later,
        title=called,
        network=belongs,
        taken_at=taken,
        stored_by=user,
        digest=digest,
        archive=pack(survey),
        **(_sizes(survey) if later else _counts(survey)),
    )
    _learn(belongs, names, said)
    if later:
        jobs.ask("tables", stored, {}, 0)
    else:
        _remember(stored.id, survey)
    check_later(stored)
    return stored


def read_names(survey: Computed) -> set[str]:
    """The devices that were read."""
    return {d.name for d in survey.network.devices if d.role != "unread" and not d.instance}


def with_about(survey: Computed, about: About) -> Computed:
    """The survey with another `survey.json`."""
    document: dict[str, object] = {
        "title": about.title,
        "taken_at": about.taken_at,
        "network": about.network,
        "expected": list(about.expected),
        "roles": dict(about.roles),
    }
    text = json.dumps({k: v for k, v in document.items() if v}, ensure_ascii=False, indent=1)
    files = {
        f"devices/{device}/{name}" if device else name: held.encode()
        for device, texts in survey.survey.files.items()
        for name, held in texts.items()
    }
    return Computed.from_files({**files, "survey.json": f"{text}\n".encode()}, fingerprint_key())


def correct(stored: StoredSurvey, changes: dict[str, Any]) -> Computed:
    """Corrects what is said of a survey: title, time, network, roles, expected devices.

    What was decided about nodes is kept with the network, so that the next survey of it comes in
    with the same answer.
    """
    survey = computed(stored)
    about = survey.survey.about
    if "network" in changes:
        stored.network = Network.objects.get_or_create(name=changes["network"])[0]
    network = stored.network
    stored.title = written(changes.get("title", stored.title), 200)
    if "taken_at" in changes:
        stored.taken_at = changes["taken_at"]
    roles = {**about.roles, **changes.get("roles", {})}
    about = replace(
        about,
        title=stored.title,
        taken_at=stored.taken_at.isoformat() if stored.taken_at is not None else None,
        network=network.name,
        expected=tuple(changes.get("expected", about.expected)),
        roles={node: role for node, role in roles.items() if role},
    )
    fresh = with_about(survey, about)
    stored.archive = pack(fresh)
    for name, value in _counts(fresh).items():
        setattr(stored, name, value)
    stored.save()
    network.roles = {**network.roles, **about.roles}
    if "expected" in changes:
        network.expected = sorted({*changes["expected"], *read_names(fresh)})
    network.save()
    forget(stored.id)
    _remember(stored.id, fresh)
    return fresh


def _network_of(name: str | None, names: set[str], called: str) -> Network:
    """The network of a survey: named, recognised by its devices, or new."""
    if name:
        return Network.objects.get_or_create(name=name.strip()[:200])[0]
    best, shared = None, 0.5
    for network in Network.objects.all():
        expected = set(network.expected)
        alike = len(names & expected) / max(1, len(names | expected))
        if expected and alike >= shared:
            best, shared = network, alike
    if best is not None:
        return best
    number, free = 1, called
    while Network.objects.filter(name=free).exists():
        number += 1
        free = f"{called[:190]} {number}"
    return Network.objects.create(name=free)


def _learn(network: Network, names: set[str], said: About) -> None:
    """What a survey showed is expected of the next one."""
    network.expected = sorted({*network.expected, *said.expected, *names})
    network.roles = {**network.roles, **said.roles}
    network.save()


def _counts(survey: Computed) -> dict[str, Any]:
    """What the list of surveys says of one: findings by severity, and open lines."""
    return {**_sizes(survey), "findings": severity_counts(survey.findings)}


def _sizes(survey: Computed) -> dict[str, Any]:
    """What reading alone says of a survey."""
    reading = survey.survey.reading
    open_lines = sum(line.matters for report in reading for line in report.unknown)
    devices = [device for device in survey.network.devices if not device.instance]
    return {
        "findings": severity_counts([]),
        "open_lines": open_lines,
        "device_count": len(devices),
        "unread_count": sum(device.role == "unread" for device in devices),
        "file_count": sum(len(texts) for texts in survey.survey.files.values()),
    }


def when(text: str | None) -> datetime | None:
    """The time that a text says; None if it says none."""
    if not text:
        return None
    try:
        parsed = parse_datetime(text)
    except ValueError:
        return None
    if parsed is not None and timezone.is_naive(parsed):
        parsed = timezone.make_aware(parsed)
    return parsed


def _remember(number: int, survey: Computed) -> None:
    with _lock:
        _computed[number] = survey
        _set_aside()


def _set_aside() -> None:
    """Keeps the cyclic garbage collector from looking through what is held.

    A survey of 1000 devices is some million objects, and everybody waits while they are looked
    through; what is held lives for long and dies whole. What left may have died in cycles, so that
    is looked for once enough of it has.
    """
    if _computed.left >= _computed.maxsize:
        _computed.left = 0
        gc.unfreeze()
        gc.collect()
    gc.freeze()


def forget(number: int) -> None:
    """Drops what was computed of a survey, as after a correction."""
    with _lock:
        _computed.pop(number, None)
    jobs.forget(number)
    documents.forget()


def computed(stored: StoredSurvey) -> Computed:
    """The computed view of a stored survey, kept for the next question.

    Two requests for the same survey at once wait for one computation.
    """
    with _lock:
        held = _computed.get(stored.id)
        if held is not None:
            return held
        busy = _busy.setdefault(stored.id, threading.Lock())
    with busy:
        with _lock:
            held = _computed.get(stored.id)
        if held is None:
            held = _brought(stored)
            _remember(stored.id, held)
    return held


def _brought(stored: StoredSurvey) -> Computed:
    """A survey as it is kept in a file, or computed: a large one by a worker, so that nobody else
    waits for it."""
    large = stored.device_count >= kept.DEVICES
    archive = bytes(stored.archive)
    held = kept.load(archive) if large else None
    if held is None and large and not (settings.IS_WORKER or settings.COMPUTE_HERE):
        held = _from_worker(stored, archive)
    if held is None:
        held = Computed.from_files(files_of(stored), fingerprint_key())
        # A newer engine may find more, or understand more, than the one that stored it.
        StoredSurvey.objects.filter(pk=stored.pk).update(**_counts(held), counted=True)
        if large:
            keep(stored, held)
    return held


def _from_worker(stored: StoredSurvey, archive: bytes) -> Computed | None:
    """What a worker computes of a survey; None if no worker takes it up or is able to.

    Raises:
        StillComputing: it takes longer than a request may wait, or enough requests wait already.
    """
    found = jobs.ask("tables", stored, {}, 0)
    if found.over:
        found.delete()  # its file made way for others: it is made again
    if not _waiting.acquire(blocking=False):
        raise StillComputing
    try:
        found = jobs.ask("tables", stored, {}, _WAITS)
    finally:
        _waiting.release()
    idle = timezone.now() - found.asked_at > timedelta(seconds=3 * _WAITS)
    if not found.over and not (found.state == Answer.WAITING and idle):
        raise StillComputing
    return kept.load(archive)


def keep(stored: StoredSurvey, survey: Computed) -> bool:
    """Keeps what was computed of a survey in a file, all pairs and findings included."""
    _ = (survey.reach, survey.findings)
    return kept.save(bytes(stored.archive), survey)
