"""A signed-in photographer, a sitting, a prepared portrait, and a worker that runs when told."""

import pytest
from django.test import Client

from studio.models import Portrait, Sitting, User
from tests.pictures import bytes_of
from tests.studio.talk import PASSWORD, upload, work


@pytest.fixture(autouse=True)
def _roomy_storage(settings, tmp_path):
    settings.MEDIA_ROOT = tmp_path / "media"
    settings.LEVELS_ROOT = tmp_path / "levels"
    # Eight wrong passwords in one test must not lock the next one out.
    settings.AXES_ENABLED = False


@pytest.fixture
def database(transactional_db):
    """A database whose commits are real, with an empty job table."""
    from django.db import connection

    with connection.cursor() as cursor:
        cursor.execute("TRUNCATE procrastinate_jobs, procrastinate_workers CASCADE")
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
    """A small portrait, uploaded and prepared through the real job."""
    answer = upload(client, sitting, "Tenor 1.jpg", bytes_of("JPEG", 600, 750))
    work()
    return Portrait.objects.get(pk=answer.json()["id"])
