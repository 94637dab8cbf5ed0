"""Sessions in the database, as Django keeps them, found with SQL that is made once."""

from __future__ import annotations

from typing import Any

from django.contrib.sessions.backends import db
from django.contrib.sessions.models import Session
from django.utils import timezone

from ..lookup import Lookup

_sessions: Lookup[Session] = Lookup(lambda key: Session.objects.filter(session_key=key), "key")


class SessionStore(db.SessionStore):
    """Loads a session; everything else is Django's."""

    def _get_session_from_db(self) -> Any:
        held = _sessions.get(self.session_key)
        if held is None or held.expire_date <= timezone.now():
            self._session_key = None
            return None
        return held
