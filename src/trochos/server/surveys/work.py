"""What workers compute: one function per kind of long answer, survey in, document out."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from ...core.diagnosis.causes import Diagnosis
from ...core.forwarding.endpoints import EndpointError
from ...core.forwarding.path import Traffic
from ...core.whole.questions import Watch
from .models import StoredSurvey

Question = dict[str, Any]
Document = dict[str, Any]


class NotAnswered(ValueError):
    """There is no answer; the message says why and what to do."""


def complaint_of(sender: str, receiver: str, traffic: Traffic) -> Question:
    """A complaint in values that JSON has."""
    return {
        "from": sender,
        "to": receiver,
        "source": traffic.source,
        "protocol": traffic.protocol,
        "port": traffic.port,
        "size": traffic.size,
        "dont_fragment": traffic.dont_fragment,
        "instance": traffic.instance,
    }


def _complaint(question: Question) -> tuple[str, str, Traffic]:
    traffic = Traffic(
        question["source"],
        question["protocol"],
        question["port"],
        question["size"],
        question["dont_fragment"],
        question.get("instance", ""),
    )
    return question["from"], question["to"], traffic


def diagnosis_json(found: Diagnosis) -> Document:
    """A diagnosis without its long lists of pairs."""
    causes = [cause.as_json(rank, pairs=False) for rank, cause in enumerate(found.causes, 1)]
    return {
        "works": found.path.works,
        "says": found.says,
        "complete": found.complete,
        "tried": found.tried,
        "cure": found.cure,
        "causes": causes,
    }


def _diagnosis(stored: StoredSurvey, question: Question, watch: Watch) -> Document:
    from .store import computed

    sender, receiver, traffic = _complaint(question)
    try:
        return diagnosis_json(computed(stored).diagnose(sender, receiver, traffic, watch))
    except EndpointError as error:
        raise NotAnswered(str(error)) from error


def _other(number: int) -> StoredSurvey:
    found = StoredSurvey.objects.filter(pk=number).first()
    if found is None:
        raise NotAnswered("The older survey is not there any more. Choose another one.")
    return found


def _desk(stored: StoredSurvey, question: Question, watch: Watch) -> Document:
    from .store import computed

    before = question.get("before")
    older = computed(_other(before)) if before is not None else None
    return computed(stored).desk(older, watch).as_json()


def _since(stored: StoredSurvey, question: Question, watch: Watch) -> Document:
    from .store import computed

    sender, receiver, traffic = _complaint(question)
    worked = computed(_other(question["worked"]))
    try:
        return computed(stored).since(sender, receiver, worked, traffic, watch).as_json()
    except EndpointError as error:
        raise NotAnswered(str(error)) from error


def _unknowns(stored: StoredSurvey, question: Question, watch: Watch) -> Document:
    from .store import computed

    return computed(stored).unknowns(watch).as_json()


def _tables(stored: StoredSurvey, question: Question, watch: Watch) -> Document:
    """Everything that quick questions need, kept in a file for the server."""
    from . import store

    survey = store.computed(stored)
    return {"kept": store.keep(stored, survey)}


KINDS: dict[str, Callable[[StoredSurvey, Question, Watch], Document]] = {
    "diagnosis": _diagnosis,
    "desk": _desk,
    "since": _since,
    "unknowns": _unknowns,
    "tables": _tables,
}
