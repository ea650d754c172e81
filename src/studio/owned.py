"""Every object is fetched through its owner: another person's id answers exactly like one that does not exist."""

from typing import Any, cast

from django.db.models import QuerySet
from django.http import Http404, HttpRequest

from studio.models import (
    Batch,
    CarriedTo,
    CarryOver,
    Export,
    Face,
    Portrait,
    Preset,
    PressProfile,
    Sitter,
    Sitting,
    User,
)


def person(request: HttpRequest) -> User:
    """Who is signed in (every endpoint that calls this demands it)."""
    return cast(User, request.user)


def sittings(request: HttpRequest) -> QuerySet[Sitting]:
    """The sittings of who is signed in."""
    return Sitting.objects.filter(owner=person(request))


def portraits(request: HttpRequest) -> QuerySet[Portrait]:
    """The portraits of who is signed in."""
    return Portrait.objects.filter(sitting__owner=person(request))


def sitters(request: HttpRequest) -> QuerySet[Sitter]:
    """The sitters of who is signed in."""
    return Sitter.objects.filter(sitting__owner=person(request))


def faces(request: HttpRequest) -> QuerySet[Face]:
    """The faces on the portraits of who is signed in."""
    return Face.objects.filter(portrait__sitting__owner=person(request))


def exports(request: HttpRequest) -> QuerySet[Export]:
    """The exports of who is signed in, without their documents."""
    return Export.objects.filter(portrait__sitting__owner=person(request)).defer("document")


def batches(request: HttpRequest) -> QuerySet[Batch]:
    """The batches of who is signed in."""
    return Batch.objects.filter(sitting__owner=person(request))


def presets(request: HttpRequest) -> QuerySet[Preset]:
    """The presets of who is signed in, without their documents."""
    return Preset.objects.filter(owner=person(request)).defer("document")


def presses(request: HttpRequest) -> QuerySet[PressProfile]:
    """The presses of who is signed in, without their profiles."""
    return PressProfile.objects.filter(owner=person(request)).defer("data")


def carry_overs(request: HttpRequest) -> QuerySet[CarryOver]:
    """What who is signed in carried over, without the documents."""
    return CarryOver.objects.filter(sitting__owner=person(request)).defer("document")


def carried(request: HttpRequest) -> QuerySet[CarriedTo]:
    """The portraits of what who is signed in carried over."""
    return CarriedTo.objects.filter(carry_over__sitting__owner=person(request)).select_related("portrait")


def one(objects: QuerySet[Any], key: Any) -> Any:
    """The object with this id, or a 404."""
    found = objects.filter(pk=key).first()
    if found is None:
        raise Http404
    return found
