"""Signing in and out, and what one does with one's own account: password and tokens."""

from __future__ import annotations

from typing import Any

from django.contrib.auth import authenticate, login, logout, update_session_auth_hash
from django.contrib.auth.models import User
from django.contrib.auth.password_validation import validate_password
from django.core.exceptions import ValidationError
from django.middleware.csrf import get_token
from django.utils import timezone
from django.utils.decorators import method_decorator
from django.views.decorators.csrf import csrf_protect
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.permissions import AllowAny
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from ...core.network import shared
from ...core.network.protocols import rows
from . import guessing
from .audit import note
from .models import OneTimeLink, Token
from .roles import READER, ROLES, at_least, role_of

MOST_DAYS = 366


class UserSerializer(serializers.Serializer[Any]):
    name = serializers.CharField()
    is_owner = serializers.BooleanField(help_text="whether they are an administrator")
    role = serializers.ChoiceField(choices=ROLES)
    may = serializers.ListField(
        child=serializers.ChoiceField(choices=ROLES), help_text="the roles that theirs includes"
    )
    has_password = serializers.BooleanField()


class ProtocolSerializer(serializers.Serializer[Any]):
    name = serializers.CharField()
    title = serializers.CharField(help_text="what people call it")
    ipv4 = serializers.CharField(help_text="what it is called for IPv4 alone")
    ipv6 = serializers.CharField(help_text="what it is called for IPv6 alone")


class SessionSerializer(serializers.Serializer[Any]):
    user = UserSerializer(allow_null=True)
    protocols = ProtocolSerializer(many=True)


class CredentialsSerializer(serializers.Serializer[Any]):
    name = serializers.CharField(max_length=150)
    password = serializers.CharField(max_length=500)


class TokenSerializer(serializers.Serializer[Any]):
    token = serializers.CharField(max_length=200)


class NewPasswordSerializer(serializers.Serializer[Any]):
    password = serializers.CharField(max_length=500)
    old = serializers.CharField(
        max_length=500,
        required=False,
        allow_blank=True,
        help_text="the password until now, where there is one",
    )


class NewTokenSerializer(serializers.Serializer[Any]):
    name = serializers.CharField(max_length=100)
    role = serializers.ChoiceField(choices=ROLES)
    days = serializers.IntegerField(min_value=1, max_value=MOST_DAYS)


class HeldTokenSerializer(serializers.Serializer[Any]):
    id = serializers.IntegerField()
    name = serializers.CharField()
    role = serializers.ChoiceField(choices=ROLES)
    made_at = serializers.DateTimeField()
    expires_at = serializers.DateTimeField()
    ended_at = serializers.DateTimeField(allow_null=True)
    used_at = serializers.DateTimeField(allow_null=True)
    token = serializers.CharField(allow_null=True, help_text="only when it was just made")


class HeldTokensSerializer(serializers.Serializer[Any]):
    tokens = HeldTokenSerializer(many=True)


def _has_password(user: User) -> bool:
    return bool(user.password) and user.has_usable_password()


def _user(user: Any) -> dict[str, object] | None:
    if not user.is_authenticated:
        return None
    role = role_of(user)
    return {
        "name": user.get_username(),
        "is_owner": role == ROLES[-1],
        "role": role,
        "may": [other for other in ROLES if at_least(role, other)],
        "has_password": _has_password(user),
    }


def _session(user: dict[str, object] | None) -> Response:
    """Who is signed in, and what is the same for everybody: the protocols that are computed."""
    protocols = [
        {"name": row.name, "title": row.label, "ipv4": row.labels[0], "ipv6": row.labels[1]}
        for row in rows()
    ]
    names = dict.fromkeys(("title", "ipv4", "ipv6"), shared.LABEL)
    protocols.append({"name": shared.NAME, **names})
    return Response({"user": user, "protocols": protocols})


def _refused(sentence: str, status: int = 400) -> Response:
    return Response({"detail": sentence}, status=status)


# Signing in is protected too: nobody shall be signed in as somebody else from afar.
@method_decorator(csrf_protect, name="dispatch")
class SessionView(APIView):
    """Who is signed in; signing in with name and password; signing out."""

    permission_classes = (AllowAny,)

    @extend_schema(operation_id="session", responses=SessionSerializer)
    def get(self, request: Request) -> Response:
        get_token(request._request)
        return _session(_user(request.user))

    @extend_schema(
        operation_id="sign_in", request=CredentialsSerializer, responses=SessionSerializer
    )
    def post(self, request: Request) -> Response:
        data = CredentialsSerializer(data=request.data)
        data.is_valid(raise_exception=True)
        name, peer = data.validated_data["name"], request.META.get("REMOTE_ADDR", "")
        guessing.check(name, peer)
        user = authenticate(
            request._request, username=name, password=data.validated_data["password"]
        )
        if user is None:
            guessing.wrong(name, peer)
            # A password that was typed into the wrong field shall not stand in the trail.
            known = User.objects.filter(username=name).exists()
            note(request, "sign-in refused", who=name if known else "")
            return _refused("The name or the password is not right.")
        guessing.right(name, peer)
        login(request._request, user)
        note(request, "signed in", who=name)
        return _session(_user(user))

    @extend_schema(operation_id="sign_out", request=None, responses=SessionSerializer)
    def delete(self, request: Request) -> Response:
        if request.user.is_authenticated:
            note(request, "signed out")
        logout(request._request)
        return _session(None)


@method_decorator(csrf_protect, name="dispatch")
class LinkView(APIView):
    """Signing in with a one-time link."""

    permission_classes = (AllowAny,)

    @extend_schema(
        operation_id="sign_in_by_link", request=TokenSerializer, responses=SessionSerializer
    )
    def post(self, request: Request) -> Response:
        data = TokenSerializer(data=request.data)
        data.is_valid(raise_exception=True)
        peer = request.META.get("REMOTE_ADDR", "")
        guessing.check(None, peer)
        user = OneTimeLink.redeem(data.validated_data["token"])
        if user is None:
            guessing.wrong(None, peer)
            note(request, "link refused", who="")
            return _refused(
                "This link was used already or is too old. Start ./trochos up again for a new "
                "one, or sign in with your name and password."
            )
        login(request._request, user, backend="trochos.server.accounts.backends.Accounts")
        note(request, "signed in", "by a link", who=user.username)
        return _session(_user(user))


class PasswordView(APIView):
    """Setting one's own password."""

    needs = {"POST": READER}
    people_only = True

    @extend_schema(
        operation_id="set_password", request=NewPasswordSerializer, responses=SessionSerializer
    )
    def post(self, request: Request) -> Response:
        data = NewPasswordSerializer(data=request.data)
        data.is_valid(raise_exception=True)
        user = request.user
        assert isinstance(user, User)
        peer = request.META.get("REMOTE_ADDR", "")
        if _has_password(user):
            guessing.check(user.username, peer)
            if not user.check_password(data.validated_data.get("old", "")):
                guessing.wrong(user.username, peer)
                note(request, "password refused")
                return _refused("The password until now is not right.")
        try:
            validate_password(data.validated_data["password"], user)
        except ValidationError as error:
            return _refused(" ".join(error.messages))
        user.set_password(data.validated_data["password"])
        user.save(update_fields=["password"])
        # Whoever was signed in elsewhere is not any more.
        update_session_auth_hash(request._request, user)
        note(request, "password set")
        return _session(_user(user))


def token_json(held: Token, text: str | None = None) -> dict[str, object]:
    return {
        "id": held.pk,
        "name": held.name,
        "role": held.role,
        "made_at": held.made_at,
        "expires_at": held.expires_at,
        "ended_at": held.ended_at,
        "used_at": held.used_at,
        "token": text,
    }


class TokensView(APIView):
    """One's own tokens for automation."""

    needs = {"POST": READER}
    people_only = True

    @extend_schema(operation_id="tokens", responses=HeldTokensSerializer)
    def get(self, request: Request) -> Response:
        held = Token.objects.filter(user=request.user.pk)
        return Response({"tokens": [token_json(token) for token in held]})

    @extend_schema(
        operation_id="add_token", request=NewTokenSerializer, responses={201: HeldTokenSerializer}
    )
    def post(self, request: Request) -> Response:
        data = NewTokenSerializer(data=request.data)
        data.is_valid(raise_exception=True)
        asked = data.validated_data
        user = request.user
        assert isinstance(user, User)
        own = role_of(user)
        if not at_least(own, asked["role"]):
            return _refused(f"A token is of your own role at most, which is {own}.")
        name = asked["name"].strip()
        held, text = Token.issue(user, name, asked["role"], asked["days"])
        note(request, "token made", f"{name} ({asked['role']}, {asked['days']} days)")
        return Response(token_json(held, text), status=201)


class TokenView(APIView):
    needs = {"DELETE": READER}
    people_only = True

    @extend_schema(operation_id="end_token", responses=HeldTokenSerializer)
    def delete(self, request: Request, token: int) -> Response:
        """Ends a token of one's own, or of anybody's as an administrator; it stays in the list."""
        held = Token.objects.select_related("user").filter(pk=token).first()
        user = request.user
        assert isinstance(user, User)
        if held is None or (held.user_id != user.pk and role_of(user) != ROLES[-1]):
            return _refused("There is no such token of yours.", 404)
        if held.ended_at is None:
            held.ended_at = timezone.now()
            held.save(update_fields=["ended_at"])
            note(request, "token ended", f"{held.name} of {held.user.username}")
        return Response(token_json(held))
