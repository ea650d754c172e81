"""Register, sign in by one step or two, sign out; passwords, visits, shares; an account taken away with everything."""

import time
from dataclasses import asdict
from datetime import datetime
from typing import Annotated, Any

from django.conf import settings
from django.contrib.auth import authenticate, login, logout, update_session_auth_hash
from django.contrib.auth.password_validation import validate_password
from django.core.exceptions import ValidationError
from django.core.validators import validate_email
from django.db import IntegrityError, transaction
from django.http import HttpRequest, HttpResponse
from django.middleware.csrf import get_token
from ninja import Router, Status
from ninja.errors import HttpError
from ninja.utils import check_csrf
from pydantic import BaseModel, Field

from studio import links, owned, second_step, visits
from studio.counting import too_often
from studio.jobs import send_link, send_note
from studio.logs import doors
from studio.models import User, Visit
from studio.shares import taken_by
from studio.storage import discard, forget

router = Router(tags=["accounts"])
HALF_WAY = 600
"""Seconds for the second step."""
HOUR = 3600
BACKEND = "django.contrib.auth.backends.ModelBackend"
LOCKED = "Too many wrong passwords. Wait a quarter of an hour, then try again."
NOT_YOURS = "This is not your password. All is kept as it was."
OFTEN = "This was tried too often from here. Wait an hour, then try again."


class Credentials(BaseModel):
    """An e-mail address and a password."""

    email: Annotated[str, Field(max_length=150)]
    password: Annotated[str, Field(max_length=200)]


class PasswordsIn(BaseModel):
    """The password as it is, and as it shall be."""

    old: Annotated[str, Field(max_length=200)]
    new: Annotated[str, Field(max_length=200)]


class PasswordIn(BaseModel):
    """The password, to be sure who asks."""

    password: Annotated[str, Field(max_length=200)]


class Person(BaseModel):
    """Who is signed in, if anybody; ``second_step``: a code is asked for first."""

    email: str | None
    second_step: bool = False


class CodeIn(BaseModel):
    """A code of the authenticator, or one of those that are used up."""

    code: Annotated[str, Field(max_length=40)]


class EmailIn(BaseModel):
    """The address of an account."""

    email: Annotated[str, Field(max_length=150)]


class LinkIn(BaseModel):
    """What a link said, and the new password."""

    who: Annotated[str, Field(max_length=40)]
    token: Annotated[str, Field(max_length=100)]
    password: Annotated[str, Field(max_length=200)]


class Said(BaseModel):
    """What became of it, in a sentence."""

    detail: str


class VisitOut(BaseModel):
    """A browser in which one is signed in; ``here``: this one."""

    id: int
    here: bool
    began: datetime
    seen: datetime
    browser: str
    address: str


class AccountOut(BaseModel):
    """An account; ``bytes`` of ``most_bytes`` (0: no end) are taken, ``codes_left`` of the second step are unused."""

    email: str
    bytes: int
    most_bytes: int
    second_step: bool
    codes_left: int
    visits: list[VisitOut]


class KeyOut(BaseModel):
    """What an authenticator is given."""

    secret: str
    picture: str


class CodesOut(BaseModel):
    """Codes that each open once."""

    codes: list[str]


def _guard(request: HttpRequest) -> None:
    """Endpoints without a session are not covered by the API's own CSRF check."""
    if check_csrf(request) is not None:
        raise HttpError(403, "This page has been open too long. Reload it and try again.")


@router.get("session", response=Person, auth=None)
def who(request: HttpRequest) -> Person:
    """Who is signed in; also hands out the CSRF cookie."""
    get_token(request)
    return Person(email=request.user.get_username() or None)


def _known(request: HttpRequest, email: str, password: str, otherwise: str) -> User:
    """Whose password this is; too many wrong tries lock the name for a while, wherever it is asked for."""
    user = authenticate(request, username=email, password=password)
    if getattr(request, "axes_locked_out", False):
        raise HttpError(429, LOCKED)
    if not isinstance(user, User):
        _count(request, "password", 60)
        raise HttpError(400, otherwise)
    return user


def _changed(request: HttpRequest, user: User, what: str) -> None:
    """Write down, and tell by mail, what was changed about an account."""
    doors(request, what, user.pk)
    send_note.defer(person=user.pk, what=what)


def _count(request: HttpRequest, what: str, most: int) -> None:
    """One more try from this address; 429 if there were too many within the hour."""
    if too_often(what, request.META.get("REMOTE_ADDR", ""), most, HOUR):
        raise HttpError(429, OFTEN)


def _good(password: str, user: User) -> None:
    try:
        validate_password(password, user)
    except ValidationError as error:
        raise HttpError(400, " ".join(error.messages)) from error


@router.post("session", response=Person, auth=None)
def sign_in(request: HttpRequest, data: Credentials) -> Person:
    """Sign in, or come to the second step; too many wrong tries lock the name for a while."""
    _guard(request)
    email = data.email.strip().lower()
    user = _known(request, email, data.password, "This e-mail address and password do not go together.")
    if second_step.is_on(user):
        request.session["half_way"] = [user.pk, time.time()]
        return Person(email=None, second_step=True)
    login(request, user)
    return Person(email=user.get_username())


@router.post("session/code", response=Person, auth=None)
def second(request: HttpRequest, data: CodeIn) -> Person:
    """The second step: a code."""
    _guard(request)
    who, since = request.session.get("half_way", (None, 0))
    user = User.objects.filter(pk=who, is_active=True).first()
    if user is None or time.time() - since > HALF_WAY:
        raise HttpError(401, "That took too long. Begin again with your password.")
    if too_often("code", str(user.pk), 10, HALF_WAY):
        raise HttpError(429, "Too many wrong codes. Wait ten minutes, then try again.")
    if not second_step.passes(user, data.code):
        raise HttpError(400, "This is not the code of this moment, nor one that is left.")
    del request.session["half_way"]
    login(request, user, backend=BACKEND)
    return Person(email=user.get_username())


@router.delete("session", response=Person)
def sign_out(request: HttpRequest) -> Person:
    """Sign out."""
    logout(request)
    return Person(email=None)


@router.post("accounts", response=Person, auth=None)
def register(request: HttpRequest, data: Credentials) -> Person | HttpResponse:
    """Make an account and sign in."""
    _guard(request)
    email = data.email.strip().lower()
    try:
        validate_email(email)
    except ValidationError as error:
        raise HttpError(400, "This does not look like an e-mail address.") from error
    _good(data.password, User(username=email, email=email))
    _count(request, "register", 20)
    try:
        with transaction.atomic():
            user = User.objects.create_user(email, email, data.password)
    except IntegrityError as error:
        raise HttpError(400, "There is an account with this e-mail address. Sign in instead.") from error
    login(request, user, backend=BACKEND)
    return Person(email=email)


@router.post("links", response=Said, auth=None)
def lost_password(request: HttpRequest, data: EmailIn) -> Said:
    """Have a link for a new password sent; the answer is the same whether there is such an account or not."""
    _guard(request)
    email = data.email.strip().lower()
    _count(request, "link", 20)
    if not too_often("link to", email, 3, HOUR):
        send_link.defer(email=email, page=request.build_absolute_uri("/new-password"))
    said = "If there is an account with this address, a link for a new password is on its way to it."
    if not settings.EMAIL_HOST:
        said += " Nothing is mailed from here: whoever runs this house finds it in the folder var/mail."
    return Said(detail=said)


@router.post("links/password", response=Said, auth=None)
def by_link(request: HttpRequest, data: LinkIn) -> Said:
    """Set a new password by a link; every session of the account ends."""
    _guard(request)
    _count(request, "by link", 60)
    user = links.of(data.who, data.token)
    if user is None:
        raise HttpError(400, "This link was used already, or is older than an hour. Ask for another one.")
    _good(data.password, user)
    user.set_password(data.password)
    user.save(update_fields=["password"])
    visits.end(list(user.visits.all()))
    _changed(request, user, "The password was set anew by a link.")
    return Said(detail="The new password is set. Sign in with it.")


@router.get("account", response=AccountOut)
def account(request: HttpRequest) -> AccountOut:
    """The account, what it takes, and where one is signed in."""
    user, here = owned.person(request), request.session.session_key
    fields = ("id", "began", "seen", "browser", "address")
    return AccountOut(
        email=user.get_username(),
        bytes=taken_by(user),
        most_bytes=settings.QUOTA_BYTES,
        second_step=second_step.is_on(user),
        codes_left=second_step.codes_left(user),
        visits=[
            VisitOut(here=visit.session == here, **{name: getattr(visit, name) for name in fields})
            for visit in visits.standing(user)
        ],
    )


@router.delete("visits/{visit_id}", response={204: None})
def end_visit(request: HttpRequest, visit_id: int) -> Any:
    """Sign out in another browser."""
    visits.end([owned.one(Visit.objects.filter(user=owned.person(request)), visit_id)])
    return Status(204, None)


@router.post("account/key", response=KeyOut)
def new_key(request: HttpRequest, data: PasswordIn) -> KeyOut:
    """A key for an authenticator; it counts once a code of it was given."""
    user = _known(request, request.user.get_username(), data.password, NOT_YOURS)
    return KeyOut(**asdict(second_step.begin(user)))


@router.post("account/second-step", response=CodesOut)
def turn_on(request: HttpRequest, data: CodeIn) -> CodesOut:
    """Sign in by two steps from now on; ten codes for the day on which the authenticator is lost."""
    codes = second_step.turn_on(owned.person(request), data.code)
    if codes is None:
        raise HttpError(400, "This is not the code that the authenticator shows now. Nothing was changed.")
    _changed(request, owned.person(request), "A second step at the sign-in was turned on.")
    return CodesOut(codes=codes)


@router.post("account/one-step", response=Said)
def turn_off(request: HttpRequest, data: PasswordIn) -> Said:
    """Sign in by the password alone again."""
    user = _known(request, request.user.get_username(), data.password, NOT_YOURS)
    second_step.turn_off(user)
    _changed(request, user, "The second step at the sign-in was turned off.")
    return Said(detail="From now on the password alone signs you in.")


@router.post("account/password", response=Person)
def another_password(request: HttpRequest, data: PasswordsIn) -> Person:
    """Set another password; every other session of this account ends."""
    user = _known(request, request.user.get_username(), data.old, "The password is not the one that you have now.")
    _good(data.new, user)
    user.set_password(data.new)
    user.save(update_fields=["password"])
    visits.end([visit for visit in user.visits.all() if visit.session != request.session.session_key])
    update_session_auth_hash(request, user)
    _changed(request, user, "The password was changed.")
    return Person(email=user.get_username())


@router.post("account/deletion", response=Person)
def take_away(request: HttpRequest, data: PasswordIn) -> Person:
    """Delete the account with its sittings, originals, sheets, presets and files."""
    user = _known(request, request.user.get_username(), data.password, NOT_YOURS)
    with transaction.atomic():
        for portrait in owned.portraits(request):
            forget(portrait)
        for preset in owned.presets(request):
            discard(preset)
        logout(request)
        user.delete()
    return Person(email=None)
