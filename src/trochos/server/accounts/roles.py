"""Who may do what: four roles, each of which may do what those before it may.

A view says per method which role it takes (`needs`); whoever is signed in may look. A method that
changes something and says nothing is for administrators alone.
"""

from __future__ import annotations

from typing import Any

from django.core.exceptions import ObjectDoesNotExist
from rest_framework.exceptions import PermissionDenied
from rest_framework.permissions import SAFE_METHODS, BasePermission
from rest_framework.request import Request

READER = "reader"
"""Looks and asks."""
ENGINEER = "engineer"
"""Also opens cases, plans changes, uploads surveys."""
OPERATOR = "operator"
"""Also lets Trochos talk to devices: gathers, tests, probes, plans."""
ADMINISTRATOR = "administrator"
"""Also keeps accounts, the inventory and credentials, and deletes."""
ROLES = (READER, ENGINEER, OPERATOR, ADMINISTRATOR)


def at_least(role: str, needed: str) -> bool:
    """True if `role` may do what `needed` may."""
    return ROLES.index(role) >= ROLES.index(needed)


def role_of(user: Any) -> str:
    """A person's role. Who has none written down is an administrator if the installation made
    them one (Django's own command does), else an engineer."""
    try:
        held: str = user.account.role
    except ObjectDoesNotExist:
        return ADMINISTRATOR if user.is_staff else ENGINEER
    return held


def role_in(request: Request) -> str:
    """The role in which a request is made: a token's is never more than its owner's."""
    own = role_of(request.user)
    lent = getattr(request.auth, "role", own)
    return lent if at_least(own, lent) else own


class ByRole(BasePermission):
    """Lets those through whose role the view's method takes."""

    def has_permission(self, request: Request, view: Any) -> bool:
        user = request.user
        if not user or not user.is_authenticated:
            return False
        method = request.method or ""
        needed = getattr(view, "needs", {}).get(
            method, READER if method in SAFE_METHODS else ADMINISTRATOR
        )
        if getattr(view, "people_only", False) and request.auth is not None:
            raise PermissionDenied("This takes a person who is signed in; a token may not.")
        has = role_in(request)
        if not at_least(has, needed):
            raise PermissionDenied(
                f"This takes the role {needed}; yours is {has}. An administrator can change that."
            )
        return True
