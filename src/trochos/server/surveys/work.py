"""What workers compute: one function per kind of long answer, survey in, document out."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator
from typing import Any

import yaml

from ...core.diagnosis.audit import Expectation, ExpectationError, Result, parse_expectations
from ...core.diagnosis.causes import Diagnosis
from ...core.forwarding.endpoints import EndpointError
from ...core.forwarding.path import Traffic
from ...core.network.edits import EditError, read_edits
from ...core.whole.questions import Watch
from ...core.whole.suggest import suggest
from ...local import in_time
from . import effects
from .models import StoredSurvey

Question = dict[str, Any]
Document = dict[str, Any]
Keep = Callable[[Document], None]
Parts = Callable[[str, list[Question], int, int], Iterator[Document]]
"""Answers parts of a question (their kind, what each asks, how much was done before, of how much),
by whichever worker is free. They come in order, those that are `whole`; the last one may not be."""
KEEP_S = 2.0
"""So long a piece of an answer is computed before it is kept."""
PART = 4
"""How many failures one worker tries before it looks what else there is to do."""


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


def complaint_from(question: Question) -> tuple[str, str, Traffic]:
    """What `complaint_of` made, read back."""
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

    sender, receiver, traffic = complaint_from(question)
    try:
        before = question.get("before")
        older = computed(_other(before)) if before is not None else None
        survey = computed(stored)
        watch = in_time(len(survey.network.devices), watch)
        found = survey.diagnose(sender, receiver, traffic, watch, older)
        return diagnosis_json(found)
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
    return computed(stored).desk(older, watch).as_nodes()


def _since(stored: StoredSurvey, question: Question, watch: Watch) -> Document:
    from .store import computed

    sender, receiver, traffic = complaint_from(question)
    worked = computed(_other(question["worked"]))
    try:
        return computed(stored).since(sender, receiver, worked, traffic, watch).as_nodes()
    except EndpointError as error:
        raise NotAnswered(str(error)) from error


def _unknowns(stored: StoredSurvey, question: Question, watch: Watch) -> Document:
    from .store import computed

    return computed(stored).unknowns(watch).as_nodes()


def _order(stored: StoredSurvey, question: Question, watch: Watch) -> Document:
    from .store import computed

    try:
        edits = read_edits({"edits": question["edits"]})
        return computed(stored).order(edits, question["host"] or None, watch).as_nodes()
    except (EditError, EndpointError) as error:
        raise NotAnswered(str(error)) from error


def _rehearsal(stored: StoredSurvey, question: Question, watch: Watch) -> Document:
    from .store import computed

    asked = question["complaint"]
    cases = [(case["says"], complaint_from(case["asks"])) for case in question["cases"]]
    try:
        edits = read_edits({"edits": question["edits"]})
        whole = complaint_from(asked) if asked is not None else None
        return effects.rehearsal_json(computed(stored), edits, whole, cases)
    except (EditError, EndpointError) as error:
        raise NotAnswered(str(error)) from error


def _comparison(stored: StoredSurvey, question: Question, watch: Watch) -> Document:
    from .store import computed

    return effects.comparison_json(computed(_other(question["before"])), computed(stored))


def _sweep(
    stored: StoredSurvey,
    question: Question,
    before: Document | None,
    keep: Keep,
    parts: Parts,
) -> Document:
    """All failures, in parts that other workers may take: see `jobs.in_parts`."""
    from .store import computed

    survey = computed(stored)
    out = before
    if out is None:
        # A sweep that nobody lets begin says how the network is, and how many failures there are.
        nothing = survey.sweep(question["links"], question["devices"], watch=lambda *_: False)
        out = {**nothing.as_nodes(), "threads": 0}
    failures: list[Document] = out["failures"]
    kept_at = time.monotonic()
    first, of = len(failures), int(out["of"])
    asked = [
        {**question, "part": [max(at, first), min(at + PART, of)]}
        for at in range(first - first % PART, of, PART)
    ]
    for found in parts("sweep-part", asked, first, of):
        failures += found["failures"]
        out["tried"] = len(failures)
        # The list of threads holds the same failures once more.
        out["threads"] = sum(bool(f["cuts"] or f["expectations"]) for f in failures)
        if time.monotonic() - kept_at >= KEEP_S:
            keep(out)
            kept_at = time.monotonic()
    return out


def _sweep_part(stored: StoredSurvey, question: Question, watch: Watch) -> Document:
    """The failures of one part; fewer if it was stopped."""
    from .store import computed

    part = range(*question["part"])
    found = computed(stored).failures(
        part,
        question["links"],
        question["devices"],
        _expectations(question["expectations"]),
        watch,
    )
    failures = [failure.as_json() for failure in found]
    return {"failures": failures, "whole": len(failures) == len(part)}


def _expectations(text: str) -> list[Expectation]:
    try:
        return parse_expectations(text)
    except ExpectationError as error:
        raise NotAnswered(str(error)) from error


def _audit(stored: StoredSurvey, question: Question, watch: Watch) -> Document:
    from .store import computed

    results = computed(stored).audit(_expectations(question["text"]), watch)
    return {
        "results": [
            {
                "name": result.expectation.name,
                "holds": result.holds,
                "reason": result.reason,
                "from": result.path.sender if result.path else result.expectation.senders[0],
                "to": _asked(result),
                "service": result.expectation.traffic.service or "",
            }
            for result in results
        ]
    }


def _asked(result: Result) -> str:
    if result.path is not None and result.path.receiver is not None:
        return result.path.receiver
    return result.expectation.receivers[0]


def _suggested(stored: StoredSurvey, question: Question, watch: Watch) -> Document:
    from .store import computed

    entries = [item.entry() for item in suggest(computed(stored))]
    return {"text": yaml.safe_dump(entries, sort_keys=False, allow_unicode=True, width=100)}


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
    "order": _order,
    "rehearsal": _rehearsal,
    "comparison": _comparison,
    "audit": _audit,
    "sweep-part": _sweep_part,
    "suggested": _suggested,
}
KEPT_ON: dict[str, Callable[[StoredSurvey, Question, Document | None, Keep, Parts], Document]] = {
    "sweep": _sweep
}
"""Those that are kept as far as they are: shown while they go on, and taken up where a worker was
killed. They are given what was kept, what keeps more, and what shares out their parts."""
OF_OTHERS = ("sweep-part",)
"""Parts of other answers: whoever computes the whole sees to each of them."""
