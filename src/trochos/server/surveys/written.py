"""What people write: kept without the secrets that they may have pasted, and told so."""

from __future__ import annotations

from collections.abc import Callable
from contextvars import ContextVar

from django.http import HttpRequest, HttpResponse

from ...core.readers.masking import mask
from ...local import fingerprint_key

HEADER = "Trochos-Hidden"
"""In an answer: how many texts of the request held what looks like a secret, and were kept
without it."""
_hidden: ContextVar[int] = ContextVar("hidden", default=0)


def written(text: str, longest: int | None = None) -> str:
    """A text as it is kept: whatever looks like a secret is a mark, which anybody can see."""
    kept = mask(text, fingerprint_key())
    if kept != text:
        _hidden.set(_hidden.get() + 1)
    return kept[:longest]


class TellsOfSecrets:
    """Says in the answer that something of what was written is not kept."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        before = _hidden.set(0)
        try:
            answer = self.get_response(request)
            if _hidden.get():
                answer[HEADER] = str(_hidden.get())
        finally:
            _hidden.reset(before)
        return answer
