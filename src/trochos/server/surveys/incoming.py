"""Uploads on their way: taken by the server, read and stored by a worker.

Reading a large survey takes seconds of a processor, and whoever only asks for a page must not wait
for it. What was sent holds secrets that are not masked yet, so it waits in the database sealed
under the installation's key of fingerprints, which every worker has, and is gone once it was read.
"""

from __future__ import annotations

import hashlib
import json
import os
import threading
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from datetime import timedelta
from typing import Any

import structlog
from cryptography.exceptions import InvalidTag
from cryptography.hazmat.primitives.ciphers.aead import AESGCM
from django.conf import settings
from django.db import DatabaseError, connection, transaction
from django.db.models import F, Q
from django.utils import timezone

from ...core.readers.archives import UploadError, opened
from ...core.readers.survey import ReadingStopped
from ...local import fingerprint_key
from ..queueing import COMPUTING, enqueue
from . import jobs, store
from .models import Incoming, StoredSurvey
from .written import written

log = structlog.get_logger("trochos.incoming")
TASK = "computing.incoming"
URGENCY = 50
"""Before any answer: nobody can ask anything of a survey that is not read yet."""
LARGEST = 64 << 20
"""Bytes of an upload that is handed to a worker; a larger one is read where it came in."""
SECONDS = 1.0
"""How long whoever sends waits before being told to come again."""
KEPT = timedelta(hours=12)
"""How long it can be asked what became of an upload."""
LOST = timedelta(seconds=60)
"""Without a word for so long, an upload is put into the queue once more: a job that ends because
the database went away is not in it any longer."""
SILENT = timedelta(seconds=15)
"""After so long without a word a worker that reads is taken for dead."""
_LOOK, _TELL = 0.05, 3.0
_SHOW = 0.3
"""Seconds between two looks at whether somebody stopped it, and two words on how far it is."""
LONGEST_S = 900.0
"""Seconds after which reading is given up: what is so large is sent in parts."""
STOPPED = "This upload was stopped. Nothing of it is kept."
_CONTEXT = b"trochos upload"


def _key() -> AESGCM:
    return AESGCM(hashlib.sha256(_CONTEXT + fingerprint_key()).digest())


def _sealed(files: dict[str, bytes]) -> bytes:
    head = json.dumps([[name, len(data)] for name, data in files.items()]).encode()
    whole = b"".join([len(head).to_bytes(8, "big"), head, *files.values()])
    nonce = os.urandom(12)
    return nonce + _key().encrypt(nonce, whole, _CONTEXT)


def _unsealed(sealed: bytes) -> dict[str, bytes]:
    """What was sent.

    Raises:
        UploadError: it was sealed under another installation's key.
    """
    try:
        whole = _key().decrypt(sealed[:12], sealed[12:], _CONTEXT)
    except InvalidTag as error:
        raise UploadError(
            "The worker that was to read the upload holds another key of fingerprints. Copy "
            "fingerprint.key of the server to its state folder, and send it again."
        ) from error
    size = int.from_bytes(whole[:8], "big")
    at, files = 8 + size, dict[str, bytes]()
    for name, length in json.loads(whole[8:at]):
        files[name] = whole[at : at + length]
        at += length
    return files


def take(files: dict[str, bytes], said: dict[str, Any], user: Any) -> Incoming:
    """Takes an upload in, and waits a moment for it to be read.

    Args:
        files: what was sent, archives as they came.
        said: title, network, taken_at (text) and sent_as, as `store.store` has them.
        user: who sent it.

    Raises:
        UploadError: it was read at once, and is no survey.
    """
    here = settings.COMPUTE_HERE or sum(map(len, files.values())) > LARGEST
    with transaction.atomic():
        old = Incoming.objects.filter(sent_at__lt=timezone.now() - KEPT)
        old.filter(state__in=(Incoming.DONE, Incoming.FAILED)).delete()
        # What people write may hold a secret: hidden before it is stored, as everywhere.
        hidden = {key: written(text, 300) if text else text for key, text in said.items()}
        made = Incoming.objects.create(
            said=hidden, sent_by=user, sealed=None if here else _sealed(files)
        )
        if not here:
            enqueue(TASK, COMPUTING, URGENCY, incoming=made.pk)
    if here:
        _read(made, files)
        made.refresh_from_db()
    until = time.monotonic() + SECONDS
    while not made.over and time.monotonic() < until:
        time.sleep(_LOOK)
        made.refresh_from_db()
    return made


def take_up(held: Incoming) -> None:
    """Puts an upload that nobody has said anything of for long into the queue once more."""
    late = timezone.now() - LOST
    silent = Q(told_at__lt=late) | Q(told_at=None, sent_at__lt=late)
    lost = Incoming.objects.filter(silent, pk=held.pk).exclude(sealed=None)
    if lost.update(state=Incoming.WAITING, told_at=timezone.now()):
        enqueue(TASK, COMPUTING, URGENCY, incoming=held.pk)


def stored_of(held: Incoming) -> StoredSurvey | None:
    """The survey that came of an upload; None while it is being read.

    Raises:
        UploadError: it is no survey, and why.
    """
    if held.state == Incoming.FAILED:
        raise UploadError(held.says)
    return held.survey


def stop(held: Incoming) -> bool:
    """Ends the reading of an upload, and throws away what was sent; False if it was over."""
    open_ones = Incoming.objects.filter(pk=held.pk, state__in=(Incoming.WAITING, Incoming.WORKING))
    return bool(open_ones.update(state=Incoming.FAILED, says=STOPPED, sealed=None))


def _watching(number: int) -> Callable[[int, int, str], bool]:
    """Tells now and then how far a worker is, and asks whether to go on."""
    began = last = time.monotonic()

    def watch(read: int, of: int, what: str) -> bool:
        nonlocal last
        if time.monotonic() - began > LONGEST_S:
            raise UploadError(
                f"{read} of {of} files were read in {LONGEST_S / 60:.0f} minutes, so it was given "
                "up. Send a part of it."
            )
        if read < of and time.monotonic() - last < _SHOW:
            return True
        last = time.monotonic()
        mine = Incoming.objects.filter(pk=number, state=Incoming.WORKING)
        return bool(mine.update(files_read=read, files=of))

    return watch


def perform(number: int) -> None:
    """Reads and stores an upload: what a worker does. Twice does no harm: the same survey is
    stored once."""
    while (held := _claim(number)) is None:
        left = Incoming.objects.filter(pk=number).first()
        if left is None or left.over:
            return
        time.sleep(1.0)  # another worker reads it: should that one die, this one goes on
    if held.begun > jobs.TIMES:
        _end(held, says="Reading this ended its worker again and again, so it was given up.")
        return
    try:
        files = _unsealed(bytes(held.sealed or b""))
    except UploadError as error:
        _end(held, says=str(error))
        return
    with _telling(number):
        _read(held, files)


@contextmanager
def _telling(number: int) -> Iterator[None]:
    """Says every few seconds that the upload is still being read."""
    over = threading.Event()

    def tell() -> None:
        try:
            while not over.wait(_TELL):
                mine = Incoming.objects.filter(pk=number, state=Incoming.WORKING)
                with suppress(DatabaseError):
                    mine.update(told_at=timezone.now())
        finally:
            connection.close()

    teller = threading.Thread(target=tell, daemon=True)
    teller.start()
    try:
        yield
    finally:
        over.set()
        teller.join()


def waiting() -> int | None:
    """An upload that nobody reads yet."""
    found = Incoming.objects.filter(state=Incoming.WAITING).order_by("sent_at").first()
    return found.pk if found is not None else None


def _read(held: Incoming, files: dict[str, bytes]) -> None:
    said = held.said
    try:
        stored = store.store(
            opened(files),
            said["title"],
            held.sent_by,
            said["sent_as"],
            said["network"],
            store.when(said["taken_at"] or ""),
            _watching(held.pk) if held.state == Incoming.WORKING else None,
        )
    except ReadingStopped:
        log.info("upload stopped", id=held.pk)
    except UploadError as error:
        _end(held, says=str(error))
    except MemoryError:
        most = jobs.MEMORY >> 30
        _end(held, says=f"Reading this needs more than {most} GB of memory. Send a part of it.")
    except DatabaseError:
        raise  # it is read again once the database is back
    except Exception as error:
        log.exception("reading an upload broke", id=held.pk)
        says = f"Reading this broke something here ({type(error).__name__}); the log says where."
        _end(held, says=says)
    else:
        _end(held, stored)
        jobs.desk_ahead(stored)


def _claim(number: int) -> Incoming | None:
    now = timezone.now()
    free = Q(state=Incoming.WAITING) | Q(told_at__lt=now - SILENT)
    open_ones = Incoming.objects.filter(free, pk=number, survey=None).exclude(sealed=None)
    taken = open_ones.update(state=Incoming.WORKING, told_at=now, begun=F("begun") + 1)
    return Incoming.objects.select_related("sent_by").get(pk=number) if taken else None


def _end(held: Incoming, stored: StoredSurvey | None = None, says: str = "") -> None:
    state = Incoming.DONE if stored is not None else Incoming.FAILED
    Incoming.objects.filter(pk=held.pk).update(state=state, survey=stored, says=says, sealed=None)
    log.info("upload", id=held.pk, state=state, survey=stored.pk if stored else None, says=says)
