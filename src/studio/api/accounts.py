"""Register, sign in, sign out; another password; an account taken away with everything."""

from typing import Annotated

from django.contrib.auth import authenticate, login, logout, update_session_auth_hash
from django.contrib.auth.password_validation import validate_password
from django.core.exceptions import ValidationError
from django.core.validators import validate_email
from django.db import IntegrityError, transaction
from django.http import HttpRequest, HttpResponse
from django.middleware.csrf import get_token
from ninja import Router
from ninja.errors import HttpError
from ninja.utils import check_csrf
from pydantic import BaseModel, Field

from studio import owned
from studio.models import User
from studio.storage import forget

router = Router(tags=["accounts"])


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
    """Who is signed in, if anybody."""

    email: str | None


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
        raise HttpError(429, "Too many wrong passwords. Wait a quarter of an hour, then try again.")
    if not isinstance(user, User):
        raise HttpError(400, otherwise)
    return user


def _good(password: str, user: User) -> None:
    try:
        validate_password(password, user)
    except ValidationError as error:
        raise HttpError(400, " ".join(error.messages)) from error


@router.post("session", response=Person, auth=None)
def sign_in(request: HttpRequest, data: Credentials) -> Person:
    """Sign in; too many wrong tries lock the name for a while."""
    _guard(request)
    email = data.email.strip().lower()
    user = _known(request, email, data.password, "This e-mail address and password do not go together.")
    login(request, user)
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
    try:
        with transaction.atomic():
            user = User.objects.create_user(email, email, data.password)
    except IntegrityError as error:
        raise HttpError(400, "There is an account with this e-mail address. Sign in instead.") from error
    login(request, user, backend="django.contrib.auth.backends.ModelBackend")
    return Person(email=email)


@router.post("account/password", response=Person)
def another_password(request: HttpRequest, data: PasswordsIn) -> Person:
    """Set another password; every other session of this account ends."""
    user = _known(request, request.user.get_username(), data.old, "The password is not the one that you have now.")
    _good(data.new, user)
    user.set_password(data.new)
    user.save(update_fields=["password"])
    update_session_auth_hash(request, user)
    return Person(email=user.get_username())


@router.post("account/deletion", response=Person)
def take_away(request: HttpRequest, data: PasswordIn) -> Person:
    """Delete the account with its sittings, originals, sheets and files."""
    user = _known(request, request.user.get_username(), data.password, "This is not your password. All is kept.")
    with transaction.atomic():
        for portrait in owned.portraits(request):
            forget(portrait)
        logout(request)
        user.delete()
    return Person(email=None)
