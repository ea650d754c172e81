"""Every object is fetched through its owner: another person's id answers exactly like one that does not exist."""

from typing import Any, cast

from django.db.models import QuerySet
from django.http import Http404, HttpRequest

from studio.models import Export, Portrait, Sitting, User


def person(request: HttpRequest) -> User:
    """Who is signed in (every endpoint that calls this demands it)."""
    return cast(User, request.user)


def sittings(request: HttpRequest) -> QuerySet[Sitting]:
    """The sittings of who is signed in."""
    return Sitting.objects.filter(owner=person(request))


def portraits(request: HttpRequest) -> QuerySet[Portrait]:
    """The portraits of who is signed in."""
    return Portrait.objects.filter(sitting__owner=person(request))


def exports(request: HttpRequest) -> QuerySet[Export]:
    """The exports of who is signed in, without their documents."""
    return Export.objects.filter(portrait__sitting__owner=person(request)).defer("document")


def one(objects: QuerySet[Any], key: Any) -> Any:
    """The object with this id, or a 404."""
    found = objects.filter(pk=key).first()
    if found is None:
        raise Http404
    return found
