"""Beginning a gathering, taking in what each device gave, and storing the survey.

Every step is one transaction: whoever is killed in between loses nothing and leaves no half
survey, and the step is done again by whoever takes the job up.
"""

from __future__ import annotations

from collections.abc import Iterable
from datetime import timedelta

import structlog
from django.contrib.auth.models import User
from django.db import transaction
from django.utils import timezone
from procrastinate.contrib.django.models import ProcrastinateJob

from ...core.readers.archives import UploadError
from ...gather.collect import Outcome
from ...gather.inventory import Target
from ...gather.survey import device_files, survey_files
from ...local import fingerprint_key
from ..accounts.audit import note_system
from ..surveys.jobs import desk_ahead
from ..surveys.models import StoredSurvey
from ..surveys.store import store
from .models import OPEN, Gathering, InventoryDevice, Part, Plan
from .queueing import PART, STORE, enqueue

log = structlog.get_logger("trochos.jobs")


class NothingToGather(Exception):
    """There is no device to gather from."""


def begin(
    devices: Iterable[InventoryDevice], user: User | None, title: str | None = None
) -> Gathering:
    """A new run over devices; its work is in the queue when this returns.

    Raises:
        NothingToGather: no device was named.
    """
    listed = list(devices)
    if not listed:
        raise NothingToGather("There is no device to gather from. Add devices first.")
    now = timezone.now()
    with transaction.atomic():
        run = Gathering.objects.create(
            title=title or f"Gathered {now:%d %B %Y, %H:%M}",
            started_by=user,
            drawing=Plan.current().drawing,
        )
        parts = Part.objects.bulk_create(
            Part(gathering=run, device=d.name, target=_as_data(d.target)) for d in listed
        )
        # In the same transaction: either there are jobs and parts, or neither.
        for part in parts:
            enqueue(PART, part=part.pk)
    return run


def _as_data(target: Target) -> dict[str, object]:
    return {
        "name": target.name,
        "address": target.address,
        "method": target.method,
        "port": target.port,
        "credential": target.credential,
        "key": target.key,
    }


def claim(number: int) -> Target | None:
    """Takes a part up; None if there is nothing left to do for it."""
    with transaction.atomic():
        part = Part.objects.select_for_update().filter(pk=number, state__in=OPEN).first()
        if part is None:
            return None
        part.state, part.started_at = "running", timezone.now()
        part.save(update_fields=["state", "started_at"])
    held = part.target
    return Target(
        held["name"],
        held["address"],
        held["method"],
        held["port"],
        held["credential"],
        key=held["key"],
    )


def tell(number: int, step: str, done: int, of: int) -> bool:
    """Notes a step; False if the part was given up meanwhile."""
    held = Part.objects.filter(pk=number, state="running")
    return held.update(step=step[:200], done=done, of=of) > 0


def take_in(number: int, outcome: Outcome) -> None:
    """Stores what a device gave; the last one of a run has the survey stored."""
    files = device_files(outcome, fingerprint_key())
    says = outcome.problem or " ".join(outcome.gathered.missing.values())
    with transaction.atomic():
        part = Part.objects.filter(pk=number).first()
        if part is None:
            return
        run = Gathering.objects.select_for_update().get(pk=part.gathering_id)
        part.refresh_from_db()
        if part.state in OPEN:
            part.state, part.says, part.files = outcome.kind, says, files
            part.file_count = len(outcome.gathered.files)
            part.step, part.ended_at = "", timezone.now()
            part.save()
            note(outcome)
        if run.state == "running" and not run.parts.filter(state__in=OPEN).exists():
            run.state = "storing"
            run.save(update_fields=["state"])
            enqueue(STORE, gathering=run.pk)


def note(outcome: Outcome) -> None:
    """What a device showed last, beside its entry in the inventory."""
    InventoryDevice.objects.filter(name=outcome.target.name).update(
        outcome=outcome.kind,
        says=outcome.problem or " ".join(outcome.gathered.missing.values()),
        shown_key=outcome.shown_key or "",
        seen_at=timezone.now(),
    )


def finish(number: int) -> None:
    """Stores the survey of a run whose devices are all over."""
    with transaction.atomic():
        run = Gathering.objects.select_for_update().filter(pk=number, state="storing").first()
        if run is None:
            return
        parts = list(run.parts.all())
        files = survey_files(
            {part.device: part.files for part in parts if part.files},
            run.title,
            run.started_at,
            run.drawing or None,
            [part.device for part in parts],
        )
        failed = [part.device for part in parts if part.file_count == 0]
        try:
            with transaction.atomic():
                run.survey = store(files, run.title, run.started_by)
        except UploadError:
            run.state = "failed"
            run.says = "No device gave anything, so there is no survey."
        else:
            run.state = "done"
            run.says = f"{len(failed)} of {len(parts)} devices gave nothing." if failed else ""
        run.ended_at = timezone.now()
        run.save()
        run.parts.update(files=None)
    if run.survey is not None:
        desk_ahead(run.survey)
    log.info("gathering", id=number, state=run.state, devices=len(parts), failed=len(failed))
    expire(Plan.current().keep)


def take_up() -> int:
    """Puts work into the queue again that nobody has any more; returns how much.

    A job that could not even say that it failed, because the database was gone, is over for the
    queue; its part of the run is not.
    """
    with transaction.atomic():
        live = ProcrastinateJob.objects.filter(status__in=("todo", "doing"))
        parts = {job.args.get("part") for job in live.filter(task_name=PART)}
        stores = {job.args.get("gathering") for job in live.filter(task_name=STORE)}
        open_parts = Part.objects.filter(gathering__state="running", state__in=OPEN)
        lost = [pk for pk in open_parts.values_list("pk", flat=True) if pk not in parts]
        for number in lost:
            enqueue(PART, part=number)
        waiting = Gathering.objects.filter(state="storing").values_list("pk", flat=True)
        unsaved = [pk for pk in waiting if pk not in stores]
        for number in unsaved:
            enqueue(STORE, gathering=number)
    return len(lost) + len(unsaved)


def cancel(run: Gathering) -> None:
    """Gives a run up: what waits is not begun, what runs is stopped."""
    with transaction.atomic():
        held = Gathering.objects.select_for_update().get(pk=run.pk)
        if held.state != "running":
            return
        now = timezone.now()
        held.parts.filter(state__in=OPEN).update(state="cancelled", step="", ended_at=now)
        held.parts.update(files=None)
        held.state, held.ended_at, held.says = "cancelled", now, "Somebody stopped it."
        held.save()


def expire(keep: int) -> int:
    """Takes away gathered surveys beyond the newest `keep`; returns how many."""
    if keep < 1:
        return 0
    gathered = (
        StoredSurvey.objects.filter(gatherings__isnull=False, pinned=False)
        .distinct()
        .order_by("-stored_at")
    )
    old = [survey.pk for survey in gathered.defer("archive")[keep:]]
    # What a case rests on stays, whatever the rule.
    free = StoredSurvey.objects.filter(
        pk__in=old, cases__isnull=True, verified_cases__isnull=True, proposals__isnull=True
    )
    gone = list(free.values_list("pk", "title"))
    free.delete()
    for number, title in gone:
        note_system("survey deleted", f"{number}: {title}, by the rule for old ones")
    return len(gone)


def due() -> Gathering | None:
    """Begins the planned gathering if its time has come."""
    with transaction.atomic():
        Plan.current()
        plan = Plan.objects.select_for_update().get(pk=1)
        now = timezone.now()
        if plan.every_hours is None or plan.next_at is None or plan.next_at > now:
            return None
        while plan.next_at <= now:
            plan.next_at += timedelta(hours=plan.every_hours)
        plan.save()
        # One that still runs is not overtaken by the next.
        if Gathering.objects.filter(state__in=("running", "storing")).exists():
            return None
        devices = list(InventoryDevice.objects.select_related("credential"))
        if not devices:
            return None
        run = begin(devices, None)
        note_system("gathering begun", f"{run.title}: {len(devices)} devices, as planned")
        return run
