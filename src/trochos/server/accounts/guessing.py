"""Against guessing passwords: wrong ones are counted per account and per peer, in the database, so
that neither another session nor another server of the same service begins anew."""

from __future__ import annotations

from datetime import timedelta

from django.db.models import Q
from django.utils import timezone
from django.utils.crypto import salted_hmac
from rest_framework.exceptions import Throttled

from .models import FailedSignIn

WINDOW = timedelta(minutes=5)
PER_ACCOUNT = 10
PER_PEER = 30
"""Several people may sit behind one address."""


def check(name: str | None, peer: str) -> None:
    """Refuses to look at a password, or at a link (no name), at all after too many wrong ones.

    Raises:
        Throttled: with the seconds until the oldest that counts is forgotten.
    """
    since = timezone.now() - WINDOW
    FailedSignIn.objects.filter(at__lt=since).delete()
    counted = [(PER_PEER, Q(peer=peer[:45]))]
    if name is not None:
        counted.append((PER_ACCOUNT, Q(name=_same(name))))
    for most, which in counted:
        held = list(FailedSignIn.objects.filter(which, at__gte=since).order_by("-at")[:most])
        if len(held) == most:
            raise Throttled(wait=max(1.0, (held[-1].at - since).total_seconds()))


def wrong(name: str | None, peer: str) -> None:
    """Counts a wrong password, or a wrong link."""
    FailedSignIn.objects.create(name=_same(name or ""), peer=peer[:45])


def right(name: str, peer: str) -> None:
    """Forgets the wrong ones of an account from where the right one came."""
    FailedSignIn.objects.filter(name=_same(name), peer=peer).delete()


def _same(name: str) -> str:
    """What tells one name from others and gives none away: people type passwords there."""
    return salted_hmac("guessing", name.strip().lower()).hexdigest()
