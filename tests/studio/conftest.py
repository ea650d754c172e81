"""A signed-in photographer, a sitting, a prepared portrait, and a worker that runs when told."""

from functools import cache

import pytest
from django.db import connection, transaction
from django.test import Client, TransactionTestCase

from studio.models import Portrait, Sitting, User
from tests.pictures import bytes_of
from tests.studio.prepared import prepared
from tests.studio.talk import PASSWORD

KEPT = {"django_migrations", "django_content_type", "auth_permission"}
"""Tables of the program's own, the same at every start."""


@pytest.fixture(autouse=True)
def _roomy_storage(settings, tmp_path):
    settings.MEDIA_ROOT = tmp_path / "media"
    settings.LEVELS_ROOT = tmp_path / "levels"
    # Eight wrong passwords in one test must not lock the next one out.
    settings.AXES_ENABLED = False


@cache
def _emptying() -> str:
    tables = set(connection.introspection.table_names()) - KEPT
    return "".join(f"DELETE FROM {table};" for table in sorted(tables))


def _empty(case: TransactionTestCase) -> None:
    # Whom a row belongs to is asked when all are gone.
    with transaction.atomic(), connection.cursor() as cursor:
        cursor.execute(_emptying())


# Every row goes after a test; making every table and permission anew, as Django does, takes a third of a second.
TransactionTestCase._fixture_teardown = _empty


@pytest.fixture
def database(transactional_db):
    """A database whose commits are real, and that is empty."""
    return transactional_db


@pytest.fixture
def person(database) -> User:
    return User.objects.create_user("ada@choir.example", "ada@choir.example", PASSWORD)


@pytest.fixture
def client(person) -> Client:
    client = Client()
    client.force_login(person, backend="django.contrib.auth.backends.ModelBackend")
    return client


@pytest.fixture
def sitting(person) -> Sitting:
    return Sitting.objects.create(owner=person, name="Evening rehearsal")


@pytest.fixture
def portrait(client, sitting) -> Portrait:
    """A small portrait, uploaded and prepared, that waits for its search."""
    return prepared(client, sitting, "Tenor 1.jpg", bytes_of("JPEG", 600, 750))
