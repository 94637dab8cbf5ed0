"""Signing in and out, and accounts."""

from __future__ import annotations

from typing import Any

from django.contrib.auth import authenticate, login, logout, update_session_auth_hash
from django.contrib.auth.models import User
from django.contrib.auth.password_validation import validate_password
from django.core.exceptions import ValidationError
from django.middleware.csrf import get_token
from django.utils.decorators import method_decorator
from django.views.decorators.csrf import csrf_protect
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.permissions import AllowAny, IsAdminUser
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.throttling import AnonRateThrottle
from rest_framework.views import APIView

from ...core.network.protocols import rows
from .models import OneTimeLink


class SignInThrottle(AnonRateThrottle):
    scope = "sign-in"


class UserSerializer(serializers.Serializer[Any]):
    name = serializers.CharField()
    is_owner = serializers.BooleanField()


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


class AccountRequestSerializer(serializers.Serializer[Any]):
    name = serializers.RegexField(r"^[\w.@+-]{1,150}$")


class AccountSerializer(serializers.Serializer[Any]):
    name = serializers.CharField()
    is_owner = serializers.BooleanField()
    link = serializers.CharField(allow_null=True, help_text="one-time link, only when just made")


class AccountListSerializer(serializers.Serializer[Any]):
    accounts = AccountSerializer(many=True)


class NewPasswordSerializer(serializers.Serializer[Any]):
    password = serializers.CharField(max_length=500)


def _user(user: Any) -> dict[str, object] | None:
    if not user.is_authenticated:
        return None
    return {"name": user.get_username(), "is_owner": user.is_staff}


def _session(user: dict[str, object] | None) -> Response:
    """Who is signed in, and what is the same for everybody: the protocols that are computed."""
    protocols = [
        {"name": row.name, "title": row.label, "ipv4": row.labels[0], "ipv6": row.labels[1]}
        for row in rows()
    ]
    return Response({"user": user, "protocols": protocols})


def _refused(sentence: str, status: int = 400) -> Response:
    return Response({"detail": sentence}, status=status)


# Signing in is protected too: nobody shall be signed in as somebody else from afar.
@method_decorator(csrf_protect, name="dispatch")
class SessionView(APIView):
    """Who is signed in; signing in with name and password; signing out."""

    permission_classes = (AllowAny,)

    def get_throttles(self) -> list[Any]:
        return [SignInThrottle()] if self.request.method == "POST" else []

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
        user = authenticate(
            request._request,
            username=data.validated_data["name"],
            password=data.validated_data["password"],
        )
        if user is None:
            return _refused("The name or the password is not right.")
        login(request._request, user)
        return _session(_user(user))

    @extend_schema(operation_id="sign_out", request=None, responses=SessionSerializer)
    def delete(self, request: Request) -> Response:
        logout(request._request)
        return _session(None)


@method_decorator(csrf_protect, name="dispatch")
class LinkView(APIView):
    """Signing in with a one-time link."""

    permission_classes = (AllowAny,)
    throttle_classes = (SignInThrottle,)

    @extend_schema(
        operation_id="sign_in_by_link", request=TokenSerializer, responses=SessionSerializer
    )
    def post(self, request: Request) -> Response:
        data = TokenSerializer(data=request.data)
        data.is_valid(raise_exception=True)
        user = OneTimeLink.redeem(data.validated_data["token"])
        if user is None:
            return _refused(
                "This link was used already or is too old. Start ./trochos up again for a new "
                "one, or sign in with your name and password."
            )
        login(request._request, user, backend="django.contrib.auth.backends.ModelBackend")
        return _session(_user(user))


class AccountsView(APIView):
    """All accounts, and new ones; for the owner."""

    permission_classes = (IsAdminUser,)

    @extend_schema(operation_id="accounts", responses=AccountListSerializer)
    def get(self, request: Request) -> Response:
        return Response(
            {
                "accounts": [
                    {"name": user.username, "is_owner": user.is_staff, "link": None}
                    for user in User.objects.order_by("username")
                ]
            }
        )

    @extend_schema(
        operation_id="add_account", request=AccountRequestSerializer, responses=AccountSerializer
    )
    def post(self, request: Request) -> Response:
        data = AccountRequestSerializer(data=request.data)
        data.is_valid(raise_exception=True)
        name = data.validated_data["name"]
        if User.objects.filter(username__iexact=name).exists():
            return _refused(f"There is already an account called {name}.")
        user = User.objects.create_user(name)
        link = request.build_absolute_uri(f"/sign-in#{OneTimeLink.issue(user)}")
        return Response({"name": name, "is_owner": False, "link": link}, status=201)


class PasswordView(APIView):
    """Setting one's own password."""

    @extend_schema(
        operation_id="set_password", request=NewPasswordSerializer, responses=SessionSerializer
    )
    def post(self, request: Request) -> Response:
        data = NewPasswordSerializer(data=request.data)
        data.is_valid(raise_exception=True)
        user = request.user
        assert isinstance(user, User)
        try:
            validate_password(data.validated_data["password"], user)
        except ValidationError as error:
            return _refused(" ".join(error.messages))
        user.set_password(data.validated_data["password"])
        user.save(update_fields=["password"])
        update_session_auth_hash(request._request, user)
        return _session(_user(user))
