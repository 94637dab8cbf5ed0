"""Writing the audit trail."""

from __future__ import annotations

from typing import Any

import structlog

from .models import AuditEntry

log = structlog.get_logger("trochos.audit")


def note(request: Any, what: str, about: str = "", who: str | None = None) -> None:
    """Says that whoever asks did `what` about `about`; `who` where nobody is signed in yet.

    Never hand in a secret, nor a text that somebody typed into a secret's field.
    """
    user = getattr(request, "user", None)
    name = who if who is not None else (user.get_username() if user is not None else "")
    by_token = getattr(getattr(request, "auth", None), "name", "") or ""
    peer = request.META.get("REMOTE_ADDR", "")
    AuditEntry(
        who=name[:150], by_token=by_token, peer=peer[:45], what=what, about=about[:300]
    ).save()
    log.info(what, who=name, by_token=by_token or None, peer=peer, about=about)


def note_system(what: str, about: str = "") -> None:
    """Says that the service did something by itself: a plan that gathers, a rule that prunes."""
    AuditEntry(who="", peer="", what=what, about=about[:300]).save()
    log.info(what, about=about)
