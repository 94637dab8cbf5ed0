"""Response headers that keep a page to itself."""

from __future__ import annotations

from collections.abc import Callable

from django.http import HttpRequest, HttpResponse

_POLICY = (
    "default-src 'self'; img-src 'self' data: blob:; style-src 'self' 'unsafe-inline'; "
    "script-src 'self'; connect-src 'self'; font-src 'self'; object-src 'none'; "
    "base-uri 'none'; form-action 'self'; frame-ancestors 'none'"
)


class SecurityHeaders:
    """Adds a content security policy to every answer; answers of the API are not kept."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        response = self.get_response(request)
        response.setdefault("Content-Security-Policy", _POLICY)
        if request.path.startswith("/api/"):
            response.setdefault("Cache-Control", "no-store")
        return response
