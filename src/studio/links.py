"""Links with which somebody who lost a password sets another one: for an hour, and once."""

from django.contrib.auth.tokens import default_token_generator
from django.utils.encoding import force_bytes
from django.utils.http import urlsafe_base64_decode, urlsafe_base64_encode

from studio.models import User


def link(user: User, page: str) -> str:
    """The link; ``page``: the address of the page that it opens."""
    who = urlsafe_base64_encode(force_bytes(user.pk))
    return f"{page}/{who}/{default_token_generator.make_token(user)}"


def letter(user: User, page: str) -> str:
    """What is written to somebody who asked for one."""
    return (
        "Somebody, probably you, asked for a new password for your pictures at Needlepoint.\n\n"
        f"Set it here within an hour:\n{link(user, page)}\n\n"
        "If it was not you, do nothing: the old one stays.\n"
    )


def of(who: str, token: str) -> User | None:
    """Whose link this is; None if it is nobody's, used, or too old."""
    try:
        user = User.objects.get(pk=int(urlsafe_base64_decode(who)), is_active=True)
    except (ValueError, OverflowError, User.DoesNotExist):
        return None
    return user if default_token_generator.check_token(user, token) else None
