"""Accounts: register, sign in and out, CSRF, throttling, headers."""

import logging
from datetime import timedelta

import pytest
from django.core import mail
from django.test import Client
from django.utils import timezone
from django_otp.plugins.otp_static.models import StaticToken
from django_otp.plugins.otp_totp.models import TOTPDevice

from studio.models import Try, User, Visit
from studio.storage import LEVELS_PER_PIXEL
from tests.studio.talk import JSON, PASSWORD, code_of, work

BACKEND = "django.contrib.auth.backends.ModelBackend"

NEW = {"email": "Bo@Choir.example", "password": "dunlin-at-low-tide"}


def with_token() -> tuple[Client, dict[str, str]]:
    """A browser that enforces CSRF, and the header with its token."""
    client = Client(enforce_csrf_checks=True)
    client.get("/api/session")
    return client, {"X-CSRFToken": client.cookies["csrftoken"].value}


def test_register_sign_out_and_in_again(database):
    client, header = with_token()
    assert client.post("/api/accounts", NEW, JSON, headers=header).json()["email"] == "bo@choir.example"
    header = {"X-CSRFToken": client.cookies["csrftoken"].value}
    assert client.get("/api/sittings").json() == []
    assert client.delete("/api/session", headers=header).json()["email"] is None
    assert client.get("/api/sittings").status_code == 401

    client, header = with_token()
    assert client.post("/api/session", NEW, JSON, headers=header).json()["email"] == "bo@choir.example"
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


def test_another_password_ends_every_other_session_and_a_wrong_one_changes_nothing(client, person, caplog):
    elsewhere = Client()
    elsewhere.force_login(person)
    change = "/api/account/password"
    for old, new, words in (("not-this-one", "dunlin-at-low-tide", "not the one"), (PASSWORD, "1234567890", "common")):
        answer = client.post(change, {"old": old, "new": new}, JSON)
        assert answer.status_code == 400
        assert words in answer.json()["detail"]
    with caplog.at_level(logging.INFO, "studio.doors"):
        assert client.post(change, {"old": PASSWORD, "new": "dunlin-at-low-tide"}, JSON).status_code == 200
    work()
    assert [m.to for m in mail.outbox] == [[person.username]]
    assert f"password was changed.: {person.pk} from 127.0.0.1" in caplog.text
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


def test_an_account_says_where_one_is_signed_in_and_ends_it_from_elsewhere(client, person, portrait, settings):
    elsewhere = Client(headers={"User-Agent": "Another browser"})
    elsewhere.force_login(person, backend=BACKEND)
    assert elsewhere.get("/api/sittings").status_code == 200
    account = client.get("/api/account").json()
    size = portrait.bytes + LEVELS_PER_PIXEL * 600 * 750
    assert (account["bytes"], account["most_bytes"]) == (size, settings.QUOTA_BYTES)
    there = next(v for v in account["visits"] if not v["here"])
    assert there["browser"] == "Another browser"
    stranger = Client()
    stranger.force_login(User.objects.create_user("cy"), backend=BACKEND)
    assert stranger.delete(f"/api/visits/{there['id']}").status_code == 404
    assert client.delete(f"/api/visits/{there['id']}").status_code == 204
    assert elsewhere.get("/api/sittings").status_code == 401
    assert [v["here"] for v in client.get("/api/account").json()["visits"]] == [True]


def test_who_was_away_for_long_signs_in_again(client, settings):
    assert client.get("/api/sittings").status_code == 200
    Visit.objects.update(seen=timezone.now() - timedelta(seconds=settings.IDLE_SECONDS - 60))
    assert client.get("/api/sittings").status_code == 200
    Visit.objects.update(seen=timezone.now() - timedelta(seconds=settings.IDLE_SECONDS + 60))
    assert client.get("/api/sittings").status_code == 401


def test_a_lost_password_is_set_anew_by_a_link_once(client, person, settings):
    settings.EMAIL_HOST = ""
    browser, header = with_token()
    answers = [
        browser.post("/api/links", {"email": email}, JSON, headers=header).json()
        for email in ("nobody@choir.example", " Ada@choir.example")
    ]
    assert answers[0] == answers[1]
    work()
    assert [m.to for m in mail.outbox] == [[person.username]]
    who, token = mail.outbox[0].body.split("http://testserver/new-password/")[1].split()[0].split("/")
    body = {"who": who, "token": token}
    refused = browser.post("/api/links/password", {**body, "password": "1234567890"}, JSON, headers=header)
    assert "common" in refused.json()["detail"]
    assert client.get("/api/sittings").status_code == 200
    new = {**body, "password": "dunlin-at-low-tide"}
    assert browser.post("/api/links/password", new, JSON, headers=header).status_code == 200
    assert client.get("/api/sittings").status_code == 401
    assert "used already" in browser.post("/api/links/password", new, JSON, headers=header).json()["detail"]
    person.refresh_from_db()
    assert person.check_password("dunlin-at-low-tide")


def test_a_second_step_asks_for_a_code_and_each_spare_one_opens_once(client, person, settings):
    assert client.post("/api/account/key", {"password": "not-this-one"}, JSON).status_code == 400
    key = client.post("/api/account/key", {"password": PASSWORD}, JSON).json()
    assert key["picture"].startswith("data:image/svg+xml")
    assert client.post("/api/account/second-step", {"code": "000000"}, JSON).status_code == 400
    assert not client.get("/api/account").json()["second_step"]
    # A wrong code makes it wait; not here.
    TOTPDevice.objects.update(throttling_failure_timestamp=None, throttling_failure_count=0)
    spare = client.post("/api/account/second-step", {"code": code_of(key["secret"])}, JSON).json()["codes"]
    assert not StaticToken.objects.filter(token__in=spare).exists()
    assert len(set(spare)) == client.get("/api/account").json()["codes_left"] == 10

    def signed_in(code):
        browser, header = with_token()
        answer = browser.post("/api/session", {"email": person.username, "password": PASSWORD}, JSON, headers=header)
        assert answer.json() == {"email": None, "second_step": True}
        assert browser.get("/api/sittings").status_code == 401
        passed = browser.post("/api/session/code", {"code": code}, JSON, headers=header)
        assert (passed.status_code == 200) == (browser.get("/api/sittings").status_code == 200)
        return passed.status_code

    assert signed_in(f" {spare[0].upper()} ") == 200
    assert signed_in(spare[0]) == 400
    # The one that turned it on is used up too: each counts once.
    assert signed_in(code_of(key["secret"])) == 400
    assert client.get("/api/account").json()["codes_left"] == 9
    browser, header = with_token()
    assert browser.post("/api/session/code", {"code": spare[1]}, JSON, headers=header).status_code == 401
    assert client.post("/api/account/one-step", {"password": PASSWORD}, JSON).status_code == 200
    browser, header = with_token()
    answer = browser.post("/api/session", {"email": person.username, "password": PASSWORD}, JSON, headers=header)
    assert answer.json()["email"] == person.username


def test_registering_without_end_is_stopped(database):
    browser, header = with_token()
    Try.objects.bulk_create(Try(what="register", who="127.0.0.1") for _ in range(20))
    answer = browser.post("/api/accounts", NEW, JSON, headers=header)
    assert (answer.status_code, User.objects.count()) == (429, 0)
    Try.objects.update(at=timezone.now() - timedelta(hours=2))
    assert browser.post("/api/accounts", NEW, JSON, headers=header).status_code == 200
