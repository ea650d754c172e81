"""Windows on one portrait follow each other."""

import json

import pytest
from asgiref.sync import async_to_sync
from django.test import AsyncClient, Client

from studio import following
from studio.models import User
from tests.studio.talk import edit, exposure, insert


@pytest.fixture
def heard(client, person, portrait, monkeypatch):
    """The events of somebody's window while something is done in another one."""
    monkeypatch.setattr(following, "LOOK", 0.01)

    def told(doing, many):
        async def listen():
            browser = AsyncClient()
            await browser.aforce_login(person, backend="django.contrib.auth.backends.ModelBackend")
            answer = await browser.get(f"/api/portraits/{portrait.pk}/following")
            out = []
            async for piece in answer.streaming_content:
                if piece.startswith(b"data:"):
                    out.append(json.loads(piece[5:]))
                if len(out) == many:
                    break
                if len(out) < many:
                    await following.asyncio.to_thread(doing, len(out))
            return out

        return async_to_sync(listen)()

    return told


def test_each_edit_is_heard_of_with_its_words(client, portrait, heard):
    def doing(number):
        edit(client, portrait, number - 1, insert(["touches"], exposure(f"t{number}")), words=f"edit {number}")
        following.connection.close()

    assert heard(doing, 3) == [
        {"revision": 0, "words": ""},
        {"revision": 1, "words": "edit 1"},
        {"revision": 2, "words": "edit 2"},
    ]


def test_nobody_hears_of_anothers_portrait(client, portrait):
    path = f"/api/portraits/{portrait.pk}/following"
    assert Client().get(path).status_code == 401
    stranger = Client()
    stranger.force_login(User.objects.create_user("cy"), backend="django.contrib.auth.backends.ModelBackend")
    assert stranger.get(path).status_code == 404
    assert stranger.get("/api/portraits/00000000-0000-4000-8000-000000000000/following").status_code == 404
    assert client.post(path).status_code == 405
