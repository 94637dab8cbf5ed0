"""Putting surveys into the database and getting their computed view out of it."""

from __future__ import annotations

import hashlib
import io
import threading
import zipfile
from collections import OrderedDict
from datetime import datetime
from typing import Any

from django.contrib.auth.models import User
from django.utils import timezone
from django.utils.dateparse import parse_datetime

from ...core.readers.archives import UploadError
from ...core.survey import Computed
from ...local import fingerprint_key
from .models import StoredSurvey
from .present import severity_counts

_KEPT = 8
_lock = threading.Lock()
_computed: OrderedDict[int, Computed] = OrderedDict()
_busy: dict[int, threading.Lock] = {}


def pack(survey: Computed) -> bytes:
    """The masked texts of a survey as a .zip; the same texts give the same bytes."""
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        for device in sorted(survey.survey.files):
            for name, text in sorted(survey.survey.files[device].items()):
                path = f"devices/{device}/{name}" if device else name
                entry = zipfile.ZipInfo(path, (1980, 1, 1, 0, 0, 0))
                entry.compress_type = zipfile.ZIP_DEFLATED
                archive.writestr(entry, text)
    return out.getvalue()


def files_of(stored: StoredSurvey) -> dict[str, bytes]:
    with zipfile.ZipFile(io.BytesIO(bytes(stored.archive))) as archive:
        return {name: archive.read(name) for name in archive.namelist()}


def store(
    files: dict[str, bytes], title: str | None, user: User | None, sent_as: str | None = None
) -> StoredSurvey:
    """Reads and stores a survey; the same survey twice is the stored one.

    It is called by the title given here, by its own, or by the name under which it was sent.

    Raises:
        UploadError: no device was recognised in it.
    """
    survey = Computed.from_files(files, fingerprint_key())
    if not any(device.role != "unread" for device in survey.network.devices):
        names = ", ".join(sorted(files)[:3])
        raise UploadError(
            f"No device was recognised in what you sent ({names}). A survey holds configurations "
            "or captures of devices, best as devices/NAME/FILE."
        )
    archive = pack(survey)
    digest = hashlib.sha256(archive).hexdigest()
    known = StoredSurvey.objects.filter(digest=digest).first()
    if known is not None:
        return known
    taken = _when(survey.network.taken_at)
    stored = StoredSurvey.objects.create(
        title=(title or survey.network.title or sent_as or "Survey").strip()[:200],
        taken_at=taken,
        stored_by=user,
        digest=digest,
        archive=archive,
        device_count=len(survey.network.devices),
        unread_count=sum(device.role == "unread" for device in survey.network.devices),
        file_count=sum(len(texts) for texts in survey.survey.files.values()),
        **_counts(survey),
    )
    _remember(stored.id, survey)
    return stored


def _counts(survey: Computed) -> dict[str, Any]:
    """What the list of surveys says of one: findings by severity, and open lines."""
    reading = survey.survey.reading
    open_lines = sum(line.matters for report in reading for line in report.unknown)
    return {"findings": severity_counts(survey.findings), "open_lines": open_lines}


def _when(text: str | None) -> datetime | None:
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
        _computed.move_to_end(number)
        while len(_computed) > _KEPT:
            _computed.popitem(last=False)


def computed(stored: StoredSurvey) -> Computed:
    """The computed view of a stored survey, kept for the next question.

    Two requests for the same survey at once wait for one computation.
    """
    with _lock:
        held = _computed.get(stored.id)
        if held is not None:
            _computed.move_to_end(stored.id)
            return held
        busy = _busy.setdefault(stored.id, threading.Lock())
    with busy:
        with _lock:
            held = _computed.get(stored.id)
        if held is None:
            held = Computed.from_files(files_of(stored), fingerprint_key())
            _remember(stored.id, held)
            # A newer engine may find more, or understand more, than the one that stored it.
            StoredSurvey.objects.filter(pk=stored.pk).update(**_counts(held))
    return held
