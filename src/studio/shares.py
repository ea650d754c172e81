"""What one person has of the house: room for pictures, and turns at the worker."""

from typing import Any

from django.conf import settings
from django.db.models import BigIntegerField, F, Sum
from django.db.models.fields.json import KT
from django.db.models.functions import Cast, Coalesce

from retouch.types import PictureError
from studio.models import CarriedTo, Export, Portrait, User
from studio.storage import LEVELS_PER_PIXEL, DiskFull, told

UNDER_WAY = (Portrait.State.WAITING, Portrait.State.PREPARING)
ORDERED = (Export.State.WAITING, Export.State.RUNNING)


class NoRoomLeft(DiskFull):
    """The person's share of the disk is used up; says how much it is."""

    def __init__(self, taken: int, what: str):
        most = told(settings.QUOTA_BYTES)
        PictureError.__init__(
            self,
            f"Your pictures and files take {told(taken)} of the {most} that you have here. {what} "
            "Delete what is not needed any more, and try again.",
        )


def _whole(name: str) -> Any:
    return Cast(KT(f"facts__{name}"), BigIntegerField())


def taken_by(person: User) -> int:
    """The bytes that a person's originals, levels and finished files take."""
    portraits = Portrait.objects.filter(sitting__owner=person, facts__has_keys=["width", "height"])
    sizes = portraits.aggregate(
        all=Coalesce(Sum(F("bytes") + LEVELS_PER_PIXEL * _whole("width") * _whole("height")), 0)
    )
    files = Export.objects.filter(portrait__sitting__owner=person, state=Export.State.READY)
    return int(sizes["all"]) + int(files.aggregate(all=Coalesce(Sum("bytes"), 0))["all"])


def share_for(person: User, size: int, what: str) -> None:
    """Look whether ``size`` more bytes fit into a person's share; NoRoomLeft with ``what`` was kept if not."""
    if settings.QUOTA_BYTES and (taken := taken_by(person)) + size > settings.QUOTA_BYTES:
        raise NoRoomLeft(taken, what)


def in_hand(person: User) -> int:
    """How much of a person's work waits for the worker or is done there: preparations, carrying over, exports."""
    preparing = Portrait.objects.filter(sitting__owner=person, state__in=UNDER_WAY).count()
    preparing += CarriedTo.objects.filter(carry_over__sitting__owner=person, state=CarriedTo.State.WAITING).count()
    return preparing + Export.objects.filter(portrait__sitting__owner=person, state__in=ORDERED).count()


def turn(person: User, what: str, more: int = 1) -> int:
    """The priority of ``more`` pieces of work: the more somebody has in hand, the later; the next comes before it.

    PictureError with ``what`` was kept if it is more than anybody may have in hand.
    """
    many = in_hand(person)
    if many + more > settings.MOST_IN_HAND:
        if more > 1:
            said = f"{more:,} files or portraits at once, with {many:,} still in hand, are too many"
            raise PictureError(f"{said}: {settings.MOST_IN_HAND:,} is the most. {what}")
        raise PictureError(f"{many} of your pictures and files are still in hand. {what} Try again when some are done.")
    return -many
