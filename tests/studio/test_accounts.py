"""Accounts: register, sign in and out, CSRF, throttling, headers."""

import pytest
from django.test import Client

from studio.models import User
from tests.studio.talk import JSON, PASSWORD

NEW = {"email": "Bo@Choir.example", "password": "dunlin-at-low-tide"}


def with_token() -> tuple[Client, dict[str, str]]:
    """A browser that enforces CSRF, and the header with its token."""
    client = Client(enforce_csrf_checks=True)
    client.get("/api/session")
    return client, {"X-CSRFToken": client.cookies["csrftoken"].value}


def test_register_sign_out_and_in_again(database):
    client, header = with_token()
    assert client.post("/api/accounts", NEW, JSON, headers=header).json() == {"email": "bo@choir.example"}
    header = {"X-CSRFToken": client.cookies["csrftoken"].value}
    assert client.get("/api/sittings").json() == []
    assert client.delete("/api/session", headers=header).json() == {"email": None}
    assert client.get("/api/sittings").status_code == 401

    client, header = with_token()
    assert client.post("/api/session", NEW, JSON, headers=header).json() == {"email": "bo@choir.example"}
    assert User.objects.get().password.startswith("argon2")


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"email": "nobody"}, "e-mail"),
        ({"password": "short"}, "at least 10"),
        ({"password": "1234567890"}, "too common"),
        ({"email": "ada@choir.example"}, "There is an account"),
    ],
)
def test_what_cannot_be_registered_is_said(person, change, words):
    client, header = with_token()
    answer = client.post("/api/accounts", NEW | change, JSON, headers=header)
    assert answer.status_code == 400
    assert words in answer.json()["detail"]
    assert User.objects.count() == 1


@pytest.mark.parametrize("path", ["/api/session", "/api/accounts", "/api/sittings"])
def test_nothing_is_taken_without_a_csrf_token(person, path):
    client = Client(enforce_csrf_checks=True)
    if path == "/api/sittings":
        client.force_login(person, backend="django.contrib.auth.backends.ModelBackend")
    assert client.post(path, {"name": "x", **NEW}, JSON).status_code == 403
    assert User.objects.count() == 1


def test_wrong_passwords_are_slowed_down(person, settings):
    settings.AXES_ENABLED = True
    client, header = with_token()
    wrong = {"email": person.username, "password": "not-this-one"}
    answers = [client.post("/api/session", wrong, JSON, headers=header) for _ in range(9)]
    assert answers[0].status_code == 400
    assert "do not go together" in answers[0].json()["detail"]
    assert answers[-1].status_code == 429
    right = {"email": person.username, "password": PASSWORD}
    assert client.post("/api/session", right, JSON, headers=header).status_code == 429


def test_pages_carry_a_strict_policy(database):
    answer = Client().get("/sittings/anything")
    policy = answer["Content-Security-Policy"]
    assert "default-src 'none'" in policy
    assert "script-src 'self'" in policy
    assert "unsafe" not in policy
    assert answer["X-Frame-Options"] == "DENY"


def test_another_password_ends_every_other_session_and_a_wrong_one_changes_nothing(client, person):
    elsewhere = Client()
    elsewhere.force_login(person)
    change = "/api/account/password"
    for old, new, words in (("not-this-one", "dunlin-at-low-tide", "not the one"), (PASSWORD, "1234567890", "common")):
        answer = client.post(change, {"old": old, "new": new}, JSON)
        assert answer.status_code == 400
        assert words in answer.json()["detail"]
    assert client.post(change, {"old": PASSWORD, "new": "dunlin-at-low-tide"}, JSON).status_code == 200
    assert client.get("/api/sittings").status_code == 200
    assert elsewhere.get("/api/sittings").status_code == 401
    person.refresh_from_db()
    assert person.check_password("dunlin-at-low-tide")
    assert "m=19456" in person.password


def test_an_account_goes_with_everything(client, person, portrait, settings, django_capture_on_commit_callbacks):
    assert client.post("/api/account/deletion", {"password": "not-this-one"}, JSON).status_code == 400
    assert User.objects.filter(pk=person.pk).exists()
    with django_capture_on_commit_callbacks(execute=True):
        assert client.post("/api/account/deletion", {"password": PASSWORD}, JSON).status_code == 200
    assert not User.objects.filter(pk=person.pk).exists()
    assert not [p for p in settings.MEDIA_ROOT.rglob("*") if p.is_file()]
    assert not list(settings.LEVELS_ROOT.iterdir())
    assert client.get("/api/sittings").status_code == 401
