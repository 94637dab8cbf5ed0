"""What administrators do: accounts, roles, links, sessions, and reading the audit trail."""

from __future__ import annotations

import json
from collections.abc import Iterator
from typing import Any

from django.contrib.auth.models import User
from django.contrib.sessions.models import Session
from django.db import transaction
from django.db.models import Count, Q
from django.http import StreamingHttpResponse
from django.shortcuts import get_object_or_404
from django.utils import timezone
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, OpenApiResponse, extend_schema
from rest_framework import serializers
from rest_framework.exceptions import ValidationError
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from .audit import note
from .models import LIFETIME, Account, AuditEntry, OneTimeLink
from .roles import ADMINISTRATOR, ENGINEER, ROLES, role_of

_PAGE = 200


class AccountRequestSerializer(serializers.Serializer[Any]):
    name = serializers.RegexField(r"^[\w.@+-]{1,150}$")
    role = serializers.ChoiceField(choices=ROLES, default=ENGINEER)


class AccountChangeSerializer(serializers.Serializer[Any]):
    role = serializers.ChoiceField(choices=ROLES, required=False)
    active = serializers.BooleanField(required=False)


class AccountSerializer(serializers.Serializer[Any]):
    id = serializers.IntegerField()
    name = serializers.CharField()
    is_owner = serializers.BooleanField(help_text="whether they are an administrator")
    role = serializers.ChoiceField(choices=ROLES)
    active = serializers.BooleanField()
    last_seen = serializers.DateTimeField(allow_null=True, help_text="when they signed in last")
    sessions = serializers.IntegerField()
    tokens = serializers.IntegerField(help_text="how many of theirs hold now")
    link = serializers.CharField(allow_null=True, help_text="one-time link, only when just made")
    minutes = serializers.IntegerField(help_text="for how long such a link signs in")


class AccountListSerializer(serializers.Serializer[Any]):
    accounts = AccountSerializer(many=True)


class AuditEntrySerializer(serializers.Serializer[Any]):
    id = serializers.IntegerField()
    at = serializers.DateTimeField()
    who = serializers.CharField()
    by_token = serializers.CharField()
    peer = serializers.CharField()
    what = serializers.CharField()
    about = serializers.CharField()


class AuditSerializer(serializers.Serializer[Any]):
    entries = AuditEntrySerializer(many=True)
    kinds = serializers.ListField(child=serializers.CharField())
    more = serializers.BooleanField(help_text="whether there are older ones")


def _sessions() -> dict[str, list[str]]:
    """Who is signed in: the sessions that hold, by the number of their user."""
    held: dict[str, list[str]] = {}
    for session in Session.objects.filter(expire_date__gt=timezone.now()).iterator():
        user = session.get_decoded().get("_auth_user_id")
        if user:
            held.setdefault(str(user), []).append(session.session_key)
    return held


def _end_sessions(user: User) -> int:
    keys = _sessions().get(str(user.pk), [])
    Session.objects.filter(session_key__in=keys).delete()
    return len(keys)


def _json(user: Any, sessions: int, link: str | None = None) -> dict[str, object]:
    role = role_of(user)
    return {
        "id": user.pk,
        "name": user.username,
        "is_owner": role == ADMINISTRATOR,
        "role": role,
        "active": user.is_active,
        "last_seen": user.last_login,
        "sessions": sessions,
        "tokens": getattr(user, "held", 0),
        "link": link,
        "minutes": int(LIFETIME.total_seconds() // 60),
    }


def _users() -> Any:
    holds = Q(tokens__ended_at=None, tokens__expires_at__gt=timezone.now())
    return User.objects.select_related("account").annotate(held=Count("tokens", filter=holds))


def _one(pk: int, link: str | None = None) -> dict[str, object]:
    user = _users().get(pk=pk)
    return _json(user, len(_sessions().get(str(user.pk), [])), link)


def _link(request: Request, user: User) -> str:
    return request.build_absolute_uri(f"/sign-in#{OneTimeLink.issue(user)}")


def set_role(user: User, role: str) -> None:
    """Gives somebody a role; Django's own mark of administrators follows."""
    Account.objects.update_or_create(user=user, defaults={"role": role})
    User.objects.filter(pk=user.pk).update(is_staff=role == ADMINISTRATOR)


class AccountsView(APIView):
    """All accounts, and new ones."""

    needs = {"GET": ADMINISTRATOR, "POST": ADMINISTRATOR}
    people_only = True

    @extend_schema(operation_id="accounts", responses=AccountListSerializer)
    def get(self, request: Request) -> Response:
        sessions = _sessions()
        listed = _users().order_by("username")
        return Response({"accounts": [_json(u, len(sessions.get(str(u.pk), []))) for u in listed]})

    @extend_schema(
        operation_id="add_account",
        request=AccountRequestSerializer,
        responses={201: AccountSerializer},
    )
    def post(self, request: Request) -> Response:
        data = AccountRequestSerializer(data=request.data)
        data.is_valid(raise_exception=True)
        name = data.validated_data["name"]
        if User.objects.filter(username__iexact=name).exists():
            raise ValidationError(f"There is already an account called {name}.")
        with transaction.atomic():
            user = User.objects.create_user(name)
            set_role(user, data.validated_data["role"])
            note(request, "account made", f"{name} ({data.validated_data['role']})")
        return Response(_one(user.pk, _link(request, user)), status=201)


class AccountView(APIView):
    needs = {"PATCH": ADMINISTRATOR}
    people_only = True

    @extend_schema(
        operation_id="change_account",
        request=AccountChangeSerializer,
        responses=AccountSerializer,
    )
    def patch(self, request: Request, account: int) -> Response:
        """Gives another role, disables, or enables again. A disabled account is signed out at once,
        and its tokens do not hold."""
        data = AccountChangeSerializer(data=request.data)
        data.is_valid(raise_exception=True)
        with transaction.atomic():
            # Two administrators who disable each other at once leave one.
            listed = {u.pk: u for u in User.objects.select_for_update().order_by("pk")}
            user = listed.get(account)
            if user is None:
                raise ValidationError("There is no such account.")
            role = data.validated_data.get("role", role_of(user))
            active = data.validated_data.get("active", user.is_active)
            others = [u for u in listed.values() if u.pk != user.pk and u.is_active]
            left = any(role_of(other) == ADMINISTRATOR for other in others)
            if not left and not (active and role == ADMINISTRATOR):
                raise ValidationError(
                    f"{user.username} is the only administrator. Make somebody else one first."
                )
            if role != role_of(user):
                set_role(user, role)
                note(request, "role changed", f"{user.username}: {role}")
            if active != user.is_active:
                User.objects.filter(pk=user.pk).update(is_active=active)
                OneTimeLink.objects.filter(user=user).delete()
                if not active:
                    _end_sessions(user)
                what = "account enabled" if active else "account disabled"
                note(request, what, user.username)
        return Response(_one(account))


class AccountLinkView(APIView):
    needs = {"POST": ADMINISTRATOR}
    people_only = True

    @extend_schema(operation_id="new_link", request=None, responses={201: AccountSerializer})
    def post(self, request: Request, account: int) -> Response:
        """A new link for somebody who cannot sign in; older ones of theirs end."""
        user = get_object_or_404(User, pk=account)
        if not user.is_active:
            raise ValidationError(f"{user.username} is disabled. Enable the account first.")
        OneTimeLink.objects.filter(user=user, used_at=None).delete()
        note(request, "link made", user.username)
        return Response(_one(account, _link(request, user)), status=201)


class AccountSessionsView(APIView):
    needs = {"DELETE": ADMINISTRATOR}
    people_only = True

    @extend_schema(operation_id="end_sessions", responses=AccountSerializer)
    def delete(self, request: Request, account: int) -> Response:
        """Signs an account out everywhere."""
        user = get_object_or_404(User, pk=account)
        note(request, "sessions ended", f"{_end_sessions(user)} of {user.username}")
        return Response(_one(account))


def entry_json(entry: AuditEntry) -> dict[str, object]:
    return {
        "id": entry.pk,
        "at": entry.at,
        "who": entry.who,
        "by_token": entry.by_token,
        "peer": entry.peer,
        "what": entry.what,
        "about": entry.about,
    }


class AuditView(APIView):
    """The audit trail, the newest first."""

    needs = {"GET": ADMINISTRATOR}

    @extend_schema(
        operation_id="audit_trail",
        parameters=[
            OpenApiParameter("before", OpenApiTypes.INT, description="entries older than this one"),
            OpenApiParameter("what", str),
            OpenApiParameter("who", str),
        ],
        responses=AuditSerializer,
    )
    def get(self, request: Request) -> Response:
        asked = request.query_params
        found = AuditEntry.objects.all()
        before = asked.get("before", "")
        if before:
            if not (before.isascii() and before.isdigit() and len(before) < 19):
                raise ValidationError("before takes the number of an entry.")
            found = found.filter(pk__lt=int(before))
        if asked.get("what"):
            found = found.filter(what=asked["what"])
        if asked.get("who"):
            found = found.filter(who=asked["who"])
        entries = list(found[: _PAGE + 1])
        kinds = AuditEntry.objects.order_by("what").values_list("what", flat=True).distinct()
        return Response(
            {
                "entries": [entry_json(entry) for entry in entries[:_PAGE]],
                "kinds": list(kinds),
                "more": len(entries) > _PAGE,
            }
        )


class AuditExportView(APIView):
    needs = {"GET": ADMINISTRATOR}

    @extend_schema(
        operation_id="export_audit_trail",
        responses={
            (200, "application/jsonl"): OpenApiResponse(
                OpenApiTypes.STR, description="one JSON object a line"
            )
        },
    )
    def get(self, request: Request) -> StreamingHttpResponse:
        """The whole trail, the oldest first, one JSON object a line."""
        note(request, "audit trail exported")

        def lines() -> Iterator[str]:
            for entry in AuditEntry.objects.order_by("pk").iterator(500):
                held = {**entry_json(entry), "at": entry.at.isoformat()}
                yield json.dumps(held, ensure_ascii=False) + "\n"

        answer = StreamingHttpResponse(lines(), content_type="application/jsonl; charset=utf-8")
        answer["Content-Disposition"] = 'attachment; filename="audit-trail.jsonl"'
        return answer
