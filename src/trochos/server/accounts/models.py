"""Accounts: roles, links that sign in once, tokens for automation, and the audit trail.

Of links and tokens only a digest is kept.
"""

from __future__ import annotations

import hashlib
import secrets
from collections.abc import Iterable
from datetime import timedelta
from typing import Any, NoReturn

from django.conf import settings
from django.contrib.auth.models import User
from django.db import models
from django.utils import timezone

from .roles import ENGINEER, ROLES

LIFETIME = timedelta(hours=1)
"""How long a link signs in."""
TOKEN_MARK = "trochos-"


def _digest(token: str) -> str:
    return hashlib.sha256(token.encode()).hexdigest()


class Account(models.Model):
    """What Trochos knows of a user beside name and password."""

    user = models.OneToOneField(
        settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="account"
    )
    role = models.CharField(max_length=20, choices=[(r, r) for r in ROLES], default=ENGINEER)


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


class Token(models.Model):
    """What a program asks with in a person's name, in a role, until a day."""

    user = models.ForeignKey(
        settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="tokens"
    )
    name = models.CharField(max_length=100)
    role = models.CharField(max_length=20, choices=[(r, r) for r in ROLES])
    digest = models.CharField(max_length=64, unique=True)
    made_at = models.DateTimeField(auto_now_add=True)
    expires_at = models.DateTimeField()
    ended_at = models.DateTimeField(null=True)
    used_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ("-id",)

    @classmethod
    def issue(cls, user: User, name: str, role: str, days: int) -> tuple[Token, str]:
        """A new token, and the text that is shown once."""
        text = TOKEN_MARK + secrets.token_urlsafe(32)
        held = cls.objects.create(
            user=user,
            name=name,
            role=role,
            digest=_digest(text),
            expires_at=timezone.now() + timedelta(days=days),
        )
        return held, text

    @classmethod
    def of(cls, text: str) -> Token | None:
        """The token with this text, if it holds now and its owner's account does."""
        now = timezone.now()
        held = (
            cls.objects.select_related("user", "user__account")
            .filter(digest=_digest(text), ended_at=None, expires_at__gt=now, user__is_active=True)
            .first()
        )
        if held is not None and (held.used_at is None or now - held.used_at > timedelta(minutes=1)):
            cls.objects.filter(pk=held.pk).update(used_at=now)
        return held

    @classmethod
    def shown(cls, header: str) -> Token | None:
        """The token that an Authorization header shows (RFC 6750), if it holds."""
        kind, _, text = header.partition(" ")
        return cls.of(text.strip()) if kind.lower() == "bearer" else None


class FailedSignIn(models.Model):
    """A wrong password, kept for as long as it counts against guessing. Of the name that was typed
    there is a digest."""

    name = models.CharField(max_length=150, db_index=True)
    peer = models.CharField(max_length=45, db_index=True)
    at = models.DateTimeField(auto_now_add=True)


class AppendOnly(models.QuerySet["AuditEntry"]):
    """Entries are added and read; the application has no way to change one."""

    def update(self, **_: Any) -> NoReturn:
        raise TypeError("the audit trail is only added to")

    def delete(self) -> NoReturn:
        raise TypeError("the audit trail is only added to")

    def bulk_update(self, objs: Iterable[Any], *_: Any, **__: Any) -> NoReturn:
        raise TypeError("the audit trail is only added to")


class AuditEntry(models.Model):
    """Who did what, and when. The database itself refuses to change or to delete one (a trigger
    of migration 0002), so names are kept as text: they outlive the accounts."""

    at = models.DateTimeField(auto_now_add=True, db_index=True)
    who = models.CharField(max_length=150, blank=True)
    by_token = models.CharField(max_length=100, blank=True)
    """The name of the token, where a program did it in that person's name."""
    peer = models.CharField(max_length=45, blank=True)
    what = models.CharField(max_length=40)
    about = models.CharField(max_length=300, blank=True)

    objects = AppendOnly.as_manager()

    class Meta:
        ordering = ("-id",)

    def save(self, *args: Any, **kwargs: Any) -> None:
        if self.pk is not None:
            raise TypeError("the audit trail is only added to")
        super().save(*args, **kwargs)

    def delete(self, *_: Any, **__: Any) -> NoReturn:
        raise TypeError("the audit trail is only added to")
