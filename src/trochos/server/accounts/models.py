"""One-time sign-in links; only a digest of the token is kept."""

from __future__ import annotations

import hashlib
import secrets
from datetime import timedelta

from django.conf import settings
from django.contrib.auth.models import User
from django.db import models
from django.utils import timezone

LIFETIME = timedelta(hours=24)


def _digest(token: str) -> str:
    return hashlib.sha256(token.encode()).hexdigest()


class OneTimeLink(models.Model):
    """A link that signs its user in once, within LIFETIME."""

    user = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE)
    digest = models.CharField(max_length=64, unique=True)
    expires_at = models.DateTimeField()
    used_at = models.DateTimeField(null=True)

    @classmethod
    def issue(cls, user: User) -> str:
        """A fresh token for a user; the token itself is not stored."""
        token = secrets.token_urlsafe(32)
        cls.objects.create(user=user, digest=_digest(token), expires_at=timezone.now() + LIFETIME)
        return token

    @classmethod
    def redeem(cls, token: str) -> User | None:
        """The user a token signs in, or None if it is unknown, used or too old."""
        # One statement decides, so two calls with one token cannot both succeed.
        taken = cls.objects.filter(
            digest=_digest(token),
            used_at=None,
            expires_at__gt=timezone.now(),
            user__is_active=True,
        ).update(used_at=timezone.now())
        if not taken:
            return None
        return cls.objects.select_related("user").get(digest=_digest(token)).user
