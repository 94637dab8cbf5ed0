"""The application that uvicorn serves.

Every view asks the database, so every request is a thread's work. Django's own ASGI handler hands
each of its middlewares to a thread and back, which costs more than most answers here; this hands
the whole request over once (docs/decisions/0029).
"""

from __future__ import annotations

import asyncio
import json
import os
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from http.cookies import CookieError, SimpleCookie
from tempfile import SpooledTemporaryFile
from typing import Any

from asgiref.sync import AsyncToSync, sync_to_async
from asgiref.wsgi import WsgiToAsgiInstance
from django.conf import settings
from django.core.wsgi import get_wsgi_application
from django.db import DatabaseError

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "trochos.server.settings")

THREADS = 8
"""Requests at a time. More do not answer sooner: they only take turns in each other's way."""
_IN_MEMORY = 1 << 20
_UNKNOWN = 1 << 20
"""Bytes that are taken from whoever is not signed in."""
_threads = ThreadPoolExecutor(THREADS, "request")
_django = get_wsgi_application()


def _wsgi(environ: dict[str, Any], start_response: Any) -> Iterator[bytes]:
    """The application, its answer closed at the end: that gives the database connection back."""
    answer = _django(environ, start_response)
    try:
        yield from answer
    finally:
        answer.close()


class _Gone(Exception):
    """Whoever asked went away before the question was whole."""


class _TooLarge(Exception):
    """The body is larger than any upload may be."""


class _Request(WsgiToAsgiInstance):
    """One request, in a thread of the pool."""

    run_wsgi_app = sync_to_async(
        WsgiToAsgiInstance.__dict__["run_wsgi_app"].func, thread_sensitive=False, executor=_threads
    )

    async def __call__(self, scope: Any, receive: Any, send: Any) -> None:
        self.scope = scope
        with SpooledTemporaryFile(max_size=_IN_MEMORY) as body:
            try:
                await _take(scope, receive, body)
            except _Gone:
                return
            except _TooLarge as error:
                await _refuse(send, str(error))
                return
            body.seek(0)
            self.send, self.held, self.size = send, list[Any](), 0
            await self.run_wsgi_app(body)
            for message in self.held:
                await send(message)

    def sync_send(self, message: Any) -> None:  # type: ignore[override]
        """Keeps a part of the answer until it is whole: handing each part over to the loop costs
        more than most answers. A large one goes out as it is made."""
        self.held.append(message)
        self.size += len(message.get("body", b""))
        if self.size > _IN_MEMORY:
            for part in self.held:
                AsyncToSync(self.send)(part)
            self.held.clear()

    def start_response(self, status: str, headers: Any, exc_info: Any = None) -> None:
        # Django puts a space before a cookie, which some would not send on.
        headers = [(name, value.strip()) for name, value in headers]
        super().start_response(status, headers, exc_info)  # type: ignore[no-untyped-call]


def _signed_in(scope: Any) -> bool:
    """Whether a request shows a session or a token that holds; asked before a large body is taken,
    so that nobody without an account fills the disk."""
    from django.contrib.auth import SESSION_KEY
    from django.db import close_old_connections

    from .accounts.models import Token
    from .accounts.sessions import SessionStore

    headers = {name.lower(): value.decode("latin-1") for name, value in scope["headers"]}
    try:
        if header := headers.get(b"authorization"):
            return Token.shown(header) is not None
        held = SimpleCookie(headers.get(b"cookie", "")).get(settings.SESSION_COOKIE_NAME)
        return held is not None and SESSION_KEY in SessionStore(held.value)
    except (CookieError, DatabaseError):
        return False
    finally:
        close_old_connections()


async def _take(scope: Any, receive: Any, body: Any) -> None:
    # A form has more than its files: a little is allowed for that.
    size, most = 0, settings.UPLOAD_MAX_BYTES + (16 << 20)
    more, asked = True, False
    while more:
        message = await receive()
        if message["type"] != "http.request":
            raise _Gone
        part = message.get("body", b"")
        size += len(part)
        if size > most:
            raise _TooLarge(
                f"What was sent is larger than {settings.UPLOAD_MAX_BYTES >> 20} MB, which is the "
                "most that is taken."
            )
        if size > _UNKNOWN and not asked:
            asked = True
            loop = asyncio.get_running_loop()
            if not await loop.run_in_executor(_threads, _signed_in, scope):
                raise _TooLarge(
                    "More than 1 MB is taken from those only who are signed in, or show a token."
                )
        body.write(part)
        more = message.get("more_body", False)


async def _refuse(send: Any, says: str) -> None:
    data = json.dumps({"detail": says}).encode()
    headers = [(b"content-type", b"application/json"), (b"connection", b"close")]
    await send({"type": "http.response.start", "status": 413, "headers": headers})
    await send({"type": "http.response.body", "body": data})


async def application(scope: Any, receive: Any, send: Any) -> None:
    """The ASGI entry."""
    await _Request(_wsgi)(scope, receive, send)  # type: ignore[no-untyped-call]
