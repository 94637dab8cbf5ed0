"""Who a session is of: the user with the account, asked in one go."""

from __future__ import annotations

from typing import Any

from django.contrib.auth.backends import ModelBackend
from django.contrib.auth.models import User

from ..lookup import Lookup

_users: Lookup[User] = Lookup(
    lambda number: User.objects.select_related("account").filter(pk=number), 1
)


class Accounts(ModelBackend):
    """Django's own, but for how a signed-in user is found."""

    def get_user(self, user_id: int) -> Any:
        found = _users.get(user_id)
        return found if found is not None and self.user_can_authenticate(found) else None
