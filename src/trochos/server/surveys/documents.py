"""Documents about a survey that many ask for: made once, then sent as they are.

A stored survey does not change, so neither does what is computed of it. What may be corrected of
one (its title, its network, what a node is) is part of the key or empties this memory.
"""

from __future__ import annotations

import hashlib
import json
from collections.abc import Callable
from functools import wraps
from typing import Any, TypeVar

from django.core.cache import caches
from django.http import Http404, HttpResponse
from rest_framework.renderers import JSONRenderer
from rest_framework.request import Request
from rest_framework.response import Response

from ..lookup import Lookup
from .models import StoredSurvey

NAME = "documents"
LARGEST = 1 << 20
"""Bytes of a document that is kept; few are larger, and they are made again."""
Answer = Callable[..., Response]
T = TypeVar("T")
_surveys: Lookup[StoredSurvey] = Lookup(
    lambda number: StoredSurvey.objects.defer("archive").filter(pk=number), 1
)


def stored_survey(number: int) -> StoredSurvey:
    """A survey by its number, without its texts until somebody needs them."""
    found = _surveys.get(number)
    if found is None:
        raise Http404("No StoredSurvey matches the given query.")
    return found


def kept(answer: Answer) -> Callable[..., HttpResponse]:
    """Keeps what a view answers to the same question about the same survey."""

    @wraps(answer)
    def get(self: Any, request: Request, survey: int, **more: Any) -> HttpResponse:
        stored = stored_survey(survey)
        said = (stored.pk, stored.title, stored.network_id, str(stored.taken_at))
        counts = (stored.device_count, stored.unread_count, stored.open_lines, stored.counted)
        asked = (request.path, sorted(request.query_params.lists()))
        key = hashlib.sha256(json.dumps([said, counts, asked]).encode()).hexdigest()
        document = caches[NAME].get(key)
        if document is None:
            response = answer(self, request, survey, **more)
            document = JSONRenderer().render(response.data)
            if len(document) <= LARGEST:
                caches[NAME].set(key, document)
        return HttpResponse(document, content_type="application/json")

    return get


def remembered(what: tuple[object, ...], make: Callable[[], T]) -> T:
    """Something small about a stored survey, made once."""
    key = hashlib.sha256(repr(what).encode()).hexdigest()
    found: T | None = caches[NAME].get(key)
    if found is None:
        found = make()
        caches[NAME].set(key, found)
    return found


def forget() -> None:
    """Empties the memory, as after a correction."""
    caches[NAME].clear()
