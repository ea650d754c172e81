"""A second step at the sign-in: a code of an authenticator (TOTP, RFC 6238), or one of ten that are used up."""

from base64 import b32encode
from dataclasses import dataclass

import segno
from django.db import transaction
from django.utils.crypto import salted_hmac
from django_otp import verify_token
from django_otp.plugins.otp_static.models import StaticDevice, StaticToken
from django_otp.plugins.otp_totp.models import TOTPDevice

from studio.models import User

CODES = 10


@dataclass(frozen=True)
class Key:
    """What an authenticator is given: the secret to be typed, and a picture of it (a data address) to be read."""

    secret: str
    picture: str


def is_on(user: User) -> bool:
    """Whether signing in takes a code."""
    return bool(TOTPDevice.objects.filter(user=user, confirmed=True).exists())


def codes_left(user: User) -> int:
    """How many of the codes that are used up are left."""
    return int(StaticToken.objects.filter(device__user=user).count())


def begin(user: User) -> Key:
    """A new key, which counts once a code of it was given."""
    TOTPDevice.objects.filter(user=user, confirmed=False).delete()
    device = TOTPDevice.objects.create(user=user, name="authenticator", confirmed=False)
    return Key(b32encode(device.bin_key).decode(), segno.make(device.config_url, micro=False).svg_data_uri(scale=4))


@transaction.atomic
def turn_on(user: User, code: str) -> list[str] | None:
    """The codes for the day on which the authenticator is lost; None if ``code`` is not one of the new key."""
    device = TOTPDevice.objects.select_for_update().filter(user=user, confirmed=False).first()
    if device is None or not device.verify_token(_plain(code)):
        return None
    turn_off(user)
    device.confirmed = True
    device.save()
    spare = StaticDevice.objects.create(user=user, name="spare codes")
    codes = [StaticToken.random_token() for _ in range(CODES)]
    StaticToken.objects.bulk_create(StaticToken(device=spare, token=kept(code)) for code in codes)
    return codes


def turn_off(user: User) -> None:
    """Sign in by the password alone again."""
    for model in (TOTPDevice.objects.filter(confirmed=True), StaticDevice.objects.all()):
        model.filter(user=user).delete()


def passes(user: User, code: str) -> bool:
    """Whether a code is the authenticator's of this moment, or one of those that are used up (then it is)."""
    by_app = (plain := _plain(code)).isdigit()
    model = TOTPDevice if by_app else StaticDevice
    device = model.objects.filter(user=user, confirmed=True).first()
    return device is not None and verify_token(user, device.persistent_id, plain if by_app else kept(plain)) is not None


def kept(code: str) -> str:
    """What the database keeps of a spare code: 64 bits of a keyed hash (HMAC-SHA-256)."""
    return salted_hmac("studio.second_step", code, algorithm="sha256").hexdigest()[:16]


def _plain(code: str) -> str:
    return "".join(code.split()).lower()
