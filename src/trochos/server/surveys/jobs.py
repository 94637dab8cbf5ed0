"""Long answers: asked here, computed by workers, kept in the database.

The same question on the same survey is computed once; a second reader gets it at once. One that
takes long is stopped with the best answer so far, as it is when somebody stops it.
"""

from __future__ import annotations

import hashlib
import json
import time
from collections.abc import Iterable, Iterator
from datetime import timedelta
from functools import partial
from typing import Any

import structlog
from django.conf import settings
from django.db import IntegrityError, transaction
from django.db.models import F, Q
from django.utils import timezone

from ...core.whole.questions import Watch
from ..queueing import COMPUTING, enqueue
from . import kept, work
from .bounded import Bounded, Stopped, TookTooLong
from .models import Answer, StoredSurvey

log = structlog.get_logger("trochos.jobs")
SECONDS = 60.0
"""How long one answer may take."""
MEMORY = 3 << 30
"""Bytes that one answer may need beside what its worker has already."""
TIMES = 3
"""A worker that ended this often under one answer does not take it up again."""
TASK = "computing.answer"
AGAIN = 10.0
"""Seconds after which one that failed is tried again: who asks every moment hears why it failed."""
SILENT = 30.0
"""Seconds after which a worker that says nothing is taken for dead."""
LOST = 120.0
"""Seconds without a word after which an answer is put into the queue once more: a job that ends
because the database went away is not in it any longer."""
OFFERED = 12
"""How many parts of an answer lie ready for workers that have nothing else to do."""
_LOOK, _TELL = 0.04, 0.3
# What people wait for comes before what is computed ahead.
_URGENCY = {
    "tables": 40,
    "rehearsal": 35,
    "diagnosis": 30,
    "comparison": 28,
    "order": 25,
    "since": 20,
    "suggested": 15,
    "desk": 10,
    "unknowns": 5,
    "sweep": 4,
    "audit": 3,
    "sweep-part": 2,
}
_MANY = {"rehearsal": 60}
"""How many of a kind are kept per survey: everybody rehearses something else."""
LATER = 60
"""How much less urgent an answer is that nobody waits for."""
_LONGER = {"sweep": 900.0, "sweep-part": 900.0, "audit": 300.0, "desk": 180.0, "tables": 600.0}
"""Seconds that some may take: nobody waits before them."""
_UNWATCHED = ("rehearsal", "comparison", "tables")
"""One long computation each, which asks nobody whether it may go on: a timer ends it."""


def ask(kind: str, survey: StoredSurvey, question: dict[str, Any], seconds: float = 0.15) -> Answer:
    """The answer to a question about a survey; it is put to the workers if nobody asked before.

    Args:
        kind: one of `work.KINDS` or `work.KEPT_ON`.
        survey: the survey.
        question: what is asked, in values that JSON has.
        seconds: how long to wait for it before returning.
    """
    key = _key(kind, survey, question)
    found = Answer.objects.filter(key=key).first()
    if found is not None and _failed_long_ago(found):
        found.delete()  # it is tried again for whoever asks again
        found = None
    if found is None:
        found = _put(key, kind, survey, question)
    elif found.ahead and found.state == Answer.WAITING:
        # Somebody waits for it now: it is put before what nobody waits for.
        if Answer.objects.filter(pk=found.pk, ahead=True).update(ahead=False):
            _queue(found, _URGENCY.get(kind, 0))
    elif not found.over:
        _again(found)
    try:
        if settings.COMPUTE_HERE and not found.over:
            perform(found.pk)
            found.refresh_from_db()
        until = time.monotonic() + seconds
        while not found.over and time.monotonic() < until:
            time.sleep(_LOOK)
            found.refresh_from_db()
    except Answer.DoesNotExist as error:
        raise work.NotAnswered(
            "The survey was corrected or deleted meanwhile. Ask again, of what is there now."
        ) from error
    return found


def _failed_long_ago(answer: Answer) -> bool:
    """True if an answer failed, and whoever asks now is not the one who was waiting for it."""
    if answer.state != Answer.FAILED or answer.ended_at is None:
        return False
    return answer.ended_at < timezone.now() - timedelta(seconds=AGAIN)


def older(survey: StoredSurvey) -> StoredSurvey | None:
    """The survey of the same network that was taken before, if there is one."""
    found = StoredSurvey.objects.filter(network=survey.network_id).exclude(pk=survey.pk)
    if survey.taken_at is not None:
        found = found.filter(taken_at__lt=survey.taken_at)
    return found.defer("archive").order_by("-taken_at", "-id").first()


def complaint(survey: StoredSurvey, question: dict[str, Any]) -> dict[str, Any]:
    """A complaint as it is diagnosed: beside the survey before, which says who was there first."""
    before = older(survey)
    return {**question, "before": before.pk if before is not None else None}


def desk_ahead(survey: StoredSurvey) -> None:
    """Has workers compute the desk of a survey that came in: whoever opens it next lands there."""
    before = older(survey)
    ahead("desk", survey, {"before": before.pk if before is not None else None})


def ahead(kind: str, survey: StoredSurvey, question: dict[str, Any]) -> None:
    """Has workers compute an answer that nobody waits for, unless it is there or under way."""
    key = _key(kind, survey, question)
    if not Answer.objects.filter(key=key).exists():
        _put(key, kind, survey, question, ahead=True)


def known(kind: str, survey: StoredSurvey, question: dict[str, Any]) -> Answer | None:
    """The answer to a question, if somebody asked it and it is there."""
    found = Answer.objects.filter(key=_key(kind, survey, question), state=Answer.DONE)
    return found.first()


def _key(kind: str, survey: StoredSurvey, question: dict[str, Any]) -> str:
    text = json.dumps([kept.engine(), survey.pk, kind, question], sort_keys=True)
    return hashlib.sha256(text.encode()).hexdigest()


def _put(
    key: str, kind: str, survey: StoredSurvey, question: dict[str, Any], ahead: bool = False
) -> Answer:
    urgency = _URGENCY.get(kind, 0) - (LATER if ahead else 0)
    try:
        with transaction.atomic():
            made = Answer.objects.create(
                key=key, kind=kind, survey=survey, question=question, ahead=ahead
            )
            _queue(made, urgency)
            if kind in _MANY:
                same = Answer.objects.filter(survey=survey, kind=kind).order_by("-pk")
                old = same.values_list("pk", flat=True)[_MANY[kind] :]
                Answer.objects.filter(pk__in=list(old)).delete()
            return made
    except IntegrityError:
        return Answer.objects.get(key=key)  # somebody asked the same at the same moment


def _queue(answer: Answer, urgency: int) -> None:
    if not settings.COMPUTE_HERE:
        enqueue(TASK, COMPUTING, urgency, answer=answer.pk)


def _again(answer: Answer) -> None:
    """Puts an answer that nobody has said anything of for long into the queue once more; twice in
    the queue does no harm, whoever comes second finds it done."""
    late = timezone.now() - timedelta(seconds=LOST)
    silent = Q(told_at__lt=late) | Q(told_at=None, asked_at__lt=late)
    lost = Answer.objects.filter(silent, pk=answer.pk, ended_at=None)
    if lost.update(state=Answer.WAITING, told_at=timezone.now()):
        _queue(answer, _URGENCY.get(answer.kind, 0))


def stop(answer: Answer) -> None:
    """Has an answer end with the best so far."""
    Answer.objects.filter(pk=answer.pk).update(wanted=False)


def forget(survey: int) -> None:
    """Drops the answers about a survey, as after a correction of it."""
    about = Q(survey=survey) | Q(question__before=survey) | Q(question__worked=survey)
    Answer.objects.filter(about).delete()


def perform(number: int) -> None:
    """Computes one answer: what a worker does. Taken up again, it begins anew, or where it was kept
    last."""
    while (found := _claim(number)) is None:
        left = Answer.objects.filter(pk=number).first()
        if left is None or left.over or left.kind in work.OF_OTHERS:
            return
        time.sleep(_TELL)  # another worker is at it: should that one die, this one goes on
    if found.key != _key(found.kind, found.survey, found.question):
        found.delete()  # of another version of the program: nobody will ask for it any more
        return
    if found.begun > TIMES:
        _end(number, Answer.FAILED, says="Computing this ended its worker again and again.")
        return
    try:
        answer = _compute(found)
    except work.NotAnswered as error:
        _end(number, Answer.FAILED, says=str(error))
    except Stopped:
        _end(number, Answer.FAILED, says="It was stopped before it was computed. Ask again.")
    except TookTooLong:
        most = _LONGER.get(found.kind, SECONDS)
        says = (
            f"Computing this takes longer than {most:.0f} s, so it was stopped. Ask for a "
            "smaller change."
            if found.kind == "rehearsal"
            else f"Computing this takes longer than {most:.0f} s, so it was stopped."
        )
        _end(number, Answer.FAILED, says=says)
    except MemoryError:
        says = f"Computing this needs more than {MEMORY >> 30} GB of memory, so it was stopped."
        _end(number, Answer.FAILED, says=says)
    else:
        _end(number, Answer.DONE, answer=answer)


def _compute(found: Answer) -> work.Document:
    watch = _watch(found)
    if found.kind in _UNWATCHED:
        wanted = None if settings.COMPUTE_HERE else partial(_still_wanted, found.pk)
        with Bounded(_LONGER.get(found.kind, SECONDS), wanted):
            return work.KINDS[found.kind](found.survey, found.question, watch)
    if found.kind not in work.KEPT_ON:
        return work.KINDS[found.kind](found.survey, found.question, watch)

    def keep(document: work.Document) -> None:
        # Who gets further each time is not one that ends its workers again and again.
        Answer.objects.filter(pk=found.pk).update(answer=document, begun=1, told_at=timezone.now())

    parts = partial(in_parts, found.survey, watch)
    return work.KEPT_ON[found.kind](found.survey, found.question, found.answer, keep, parts)


def in_parts(
    survey: StoredSurvey,
    watch: Watch,
    kind: str,
    asked: list[work.Question],
    done: int,
    of: int,
) -> Iterator[work.Document]:
    """Answers the parts of a question in order; see `work.Parts`.

    The next few lie in the queue behind everything else, so that workers that have nothing to do
    take some; all others, and those that a worker gave up, are computed here. What is left of them
    is dropped in the end.

    Args:
        survey: the survey.
        watch: of the whole answer.
        kind: of the parts.
        asked: what each part asks; `part` holds its first place and the one after its last.
        done: how much was done before.
        of: how much there is in all.
    """
    keys = [_key(kind, survey, question) for question in asked]
    sizes = [question["part"][1] - question["part"][0] for question in asked]
    held: dict[int, work.Document] = {}
    at, offered = 0, 0
    try:
        while at < len(asked):
            while offered < min(len(asked), at + OFFERED):
                ahead(kind, survey, asked[offered])
                offered += 1
            open_ = {keys[n]: n for n in range(at, offered) if n not in held}
            held |= {open_[key]: found for key, found in _taken(open_)}
            if at in held:
                yield held.pop(at)
                done += sizes[at]
                at += 1
                continue
            so_far = done + sum(sizes[n] for n in held)
            mine = next((n for key, n in open_.items() if n not in held and _mine(key)), None)
            if mine is None:
                if not watch(so_far, of, "the last parts, which others are at"):
                    return
                time.sleep(_TELL)
                continue
            found = _part_here(kind, survey, asked[mine], so_far, of, watch)
            Answer.objects.filter(key=keys[mine]).delete()
            if not found["whole"]:
                if mine == at:
                    yield found
                return
            held[mine] = found
    finally:
        Answer.objects.filter(key__in=keys).delete()


def _taken(keys: Iterable[str]) -> Iterator[tuple[str, work.Document]]:
    """The parts that others have answered, by their keys; those that they gave up are open."""
    for found in Answer.objects.filter(key__in=[*keys], ended_at__isnull=False):
        if found.answer is not None and found.answer["whole"]:
            yield found.key, found.answer
        else:
            Answer.objects.filter(pk=found.pk).update(state=Answer.WAITING, ended_at=None)


def _mine(key: str) -> bool:
    """True if nobody computes a part: it is claimed then, or nobody has it any more."""
    held = Answer.objects.filter(key=key).values_list("pk", flat=True).first()
    return held is None or _claim(held) is not None


def _part_here(
    kind: str, survey: StoredSurvey, question: work.Question, done: int, of: int, watch: Watch
) -> work.Document:
    """One part, computed by whoever computes the whole."""
    key, begin = _key(kind, survey, question), question["part"][0]
    told = time.monotonic()

    def watching(number: int, _: int, what: str) -> bool:
        nonlocal told
        if time.monotonic() - told > _TELL:
            Answer.objects.filter(key=key).update(told_at=timezone.now())
            told = time.monotonic()
        return watch(done + number - begin, of, what)

    return work.KINDS[kind](survey, question, watching)


def _still_wanted(number: int) -> bool:
    """Says that an answer is being computed, and whether somebody has stopped it."""
    mine = Answer.objects.filter(pk=number)
    mine.update(told_at=timezone.now())
    return not mine.filter(wanted=False).exists()


def _claim(number: int) -> Answer | None:
    """The answer, if nobody computes it, or whoever did has said nothing for long."""
    now = timezone.now()
    free = Q(state=Answer.WAITING) | Q(told_at__lt=now - timedelta(seconds=SILENT))
    taken = Answer.objects.filter(free, pk=number, ended_at=None).update(
        state=Answer.WORKING, told_at=now, begun=F("begun") + 1
    )
    return Answer.objects.select_related("survey").get(pk=number) if taken else None


def _watch(found: Answer) -> Watch:
    """Says how far an answer is, ends it in time or when it is not wanted any more, and lets what
    is more urgent go first: with one worker, nobody waits for a desk to be told a cause."""
    left = _LONGER.get(found.kind, SECONDS)
    told = time.monotonic()
    wanted = found.wanted
    urgency = _URGENCY.get(found.kind, 0)
    sooner = [kind for kind, value in _URGENCY.items() if value > urgency]

    from . import incoming

    def watch(tried: int, of: int, what: str) -> bool:
        nonlocal told, left, wanted
        now = time.monotonic()
        if now - told > _TELL:
            left -= now - told
            mine = Answer.objects.filter(pk=found.pk)
            mine.update(tried=tried, of=of, what=what[:300], told_at=timezone.now())
            wanted = mine.filter(wanted=True).exists()
            if not settings.COMPUTE_HERE and (upload := incoming.waiting()) is not None:
                incoming.perform(upload)
                mine.update(told_at=timezone.now())
            waiting = Answer.objects.filter(state=Answer.WAITING, kind__in=sooner)
            for other in waiting.order_by("asked_at")[:1] if not settings.COMPUTE_HERE else ():
                perform(other.pk)
                mine.update(told_at=timezone.now())
            told = time.monotonic()
        return wanted and left - (time.monotonic() - told) > 0

    return watch


def _end(number: int, state: str, **values: Any) -> None:
    held = Answer.objects.filter(pk=number)
    held.update(state=state, ended_at=timezone.now(), **values)
    row = held.values("kind", "survey_id", "asked_at", "ended_at", "begun").first()
    if row is not None and row["ended_at"] is not None:
        took = (row["ended_at"] - row["asked_at"]).total_seconds()
        log.info(
            "answer",
            id=number,
            kind=row["kind"],
            of=row["survey_id"],
            state=state,
            seconds=round(took, 2),
            begun=row["begun"],
            says=values.get("says"),
        )


def state(answer: Answer) -> dict[str, object]:
    """An answer, or how far it is, as the API says it.

    Raises:
        work.NotAnswered: there is none, and why.
    """
    if answer.state == Answer.FAILED:
        raise work.NotAnswered(answer.says)
    return {
        "id": answer.pk,
        "state": "done" if answer.over else "working",
        "tried": answer.tried,
        "of": answer.of,
        "what": answer.what,
        "answer": answer.answer,
    }
