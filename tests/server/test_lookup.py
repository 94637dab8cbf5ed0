"""A row by one value, with SQL that is made once: the same as Django's own question gives."""

from __future__ import annotations

import pytest
from django.contrib.auth.models import User
from django.db import connection
from django.forms.models import model_to_dict
from django.test import Client
from django.test.utils import CaptureQueriesContext
from surveys import ROOT

from trochos.local import read_folder
from trochos.server.accounts.administration import set_role
from trochos.server.accounts.backends import Accounts
from trochos.server.accounts.models import Account
from trochos.server.surveys import store
from trochos.server.surveys.documents import stored_survey
from trochos.server.surveys.models import StoredSurvey

pytestmark = pytest.mark.django_db


def test_a_user_comes_with_the_account_in_one_question() -> None:
    ada = User.objects.create_user("ada", email="ada@ferry.example")
    set_role(ada, "operator")
    bob = User.objects.create_user("bob")
    Account.objects.filter(user=bob).delete()
    for number in (ada.pk, bob.pk):  # the SQL is made by now
        Accounts().get_user(number)
    with CaptureQueriesContext(connection) as asked:
        found = Accounts().get_user(ada.pk)
        assert found == ada and model_to_dict(found) == model_to_dict(User.objects.get(pk=ada.pk))
        assert found.account.role == "operator" and found.account.user is found
    assert len([q for q in asked if "accounts_account" in q["sql"]]) == 1
    with pytest.raises(Account.DoesNotExist):
        _ = Accounts().get_user(bob.pk).account
    assert Accounts().get_user(10**9) is None


def test_who_is_disabled_is_out_at_once(client: Client) -> None:
    ada = User.objects.create_user("ada")
    client.force_login(ada)
    assert client.get("/api/surveys").status_code == 200
    User.objects.filter(pk=ada.pk).update(is_active=False)
    assert client.get("/api/surveys").status_code == 403


def test_a_session_of_before_still_holds_and_an_expired_one_does_not(client: Client) -> None:
    ada = User.objects.create_user("ada")
    client.force_login(ada, backend="django.contrib.auth.backends.ModelBackend")
    assert client.get("/api/surveys").status_code == 200
    with connection.cursor() as cursor:
        cursor.execute("update django_session set expire_date = now() - interval '1 minute'")
    assert client.get("/api/surveys").status_code == 403


def test_a_survey_is_what_django_finds_without_its_texts() -> None:
    made = store.store(read_folder(ROOT / "demo" / "healthy"), "healthy", None)
    found, plain = stored_survey(made.pk), StoredSurvey.objects.get(pk=made.pk)
    assert "archive" in found.get_deferred_fields()
    assert model_to_dict(found) == model_to_dict(plain)
    assert found.findings == plain.findings and found.taken_at == plain.taken_at
    assert bytes(found.archive) == bytes(plain.archive)
