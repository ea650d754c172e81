"""One browser and one server for all browser tests of a worker; the database is real and emptied after each."""

import socket
import threading
import time
from collections.abc import Iterator
from functools import cache
from pathlib import Path

import cv2
import pytest
import uvicorn
from django.conf import settings
from django.test import Client
from selenium.webdriver import Chrome
from selenium.webdriver.common.action_chains import ActionBuilder
from selenium.webdriver.common.actions.pointer_input import PointerInput

from retouch.files.reading import read
from retouch.render.warm import warm
from studio import jobs
from studio.asgi import application
from tests.browser.driver import SIZE, chromium
from tests.browser.room import Person
from tests.finding import find_kept
from tests.studio.conftest import _roomy_storage, client, database, person, portrait, sitting  # noqa: F401
from tests.studio.prepared import prepared
from tests.studio.talk import work

PICTURES = Path(__file__).parents[2] / "demo" / "pictures"
SMALL = 750
PATIENCE = 30.0
"""Seconds in which a server that nobody asks any more must have answered."""


@pytest.fixture(scope="session")
def house() -> Iterator[tuple[uvicorn.Server, str]]:
    """The one server, and where it listens."""
    warm()
    with socket.socket() as listener:
        listener.bind(("127.0.0.1", 0))
        config = uvicorn.Config(application, lifespan="off", log_level="error")
        server = uvicorn.Server(config)
        thread = threading.Thread(target=server.run, kwargs={"sockets": [listener]}, daemon=True)
        thread.start()
        while not server.started:
            time.sleep(0.02)
        yield server, f"http://127.0.0.1:{listener.getsockname()[1]}"
        server.should_exit = True
        thread.join(5)


@pytest.fixture(scope="session")
def address(house) -> str:
    """Where the server listens."""
    return house[1]


@pytest.fixture(scope="session")
def downloads(tmp_path_factory) -> Path:
    """Where the browser puts files."""
    return tmp_path_factory.mktemp("downloads")


@pytest.fixture(scope="session")
def browser(downloads) -> Iterator[Chrome]:
    """The one browser."""
    driver = chromium(downloads)
    yield driver
    driver.quit()


@pytest.fixture
def hands(browser, house, address, person) -> Iterator[Person]:  # noqa: F811
    """A photographer at the browser, who signed in before."""
    visit = Client()
    visit.force_login(person, backend="django.contrib.auth.backends.ModelBackend")
    session = {"name": settings.SESSION_COOKIE_NAME, "value": visit.session.session_key, "url": address}
    browser.execute_cdp_cmd("Network.clearBrowserCookies", {})
    browser.execute_cdp_cmd("Network.setCookie", session | {"httpOnly": True, "sameSite": "Lax"})
    # Whatever brush the last one had in hand, this one begins with the usual; and nothing lies under the pointer.
    browser.execute_cdp_cmd("Storage.clearDataForOrigin", {"origin": address, "storageTypes": "local_storage"})
    away = ActionBuilder(browser, mouse=PointerInput("mouse", "a-mouse"))
    away.pointer_action.move_to_location(1, SIZE[1] - 1)
    away.perform()
    yield Person(browser, address)
    errors = [
        e["message"] for e in browser.get_log("browser") if e["level"] == "SEVERE" and "status of 4" not in e["message"]
    ]
    # A test that failed may still hold a button or a key; nothing may still ask the server when the tables are emptied.
    ActionBuilder(browser).clear_actions()
    browser.get("about:blank")
    # An answer that ends after the database is taken away never gives its connection back to the pool.
    ends = time.monotonic() + PATIENCE
    while house[0].server_state.tasks and time.monotonic() < ends:
        time.sleep(0.01)
    assert not errors


@pytest.fixture
def room(hands, portrait) -> Person:  # noqa: F811
    """The workroom with the made-up portrait open."""
    hands.open_portrait(portrait.pk)
    return hands


@cache
def small_copy(name: str, side: int = SMALL, changed=None) -> bytes:
    """A singer's portrait as a small PNG; ``changed``: what is done to it first."""
    picture = read(PICTURES / f"{name}.jpg").raw
    share = side / max(picture.shape)
    small = cv2.resize(picture, None, fx=share, fy=share, interpolation=cv2.INTER_AREA)
    if changed is not None:
        small = changed(small)
    return cv2.imencode(".png", small[..., ::-1])[1].tobytes()


@pytest.fixture
def choir(hands, client, sitting, monkeypatch):  # noqa: F811
    """Opens a singer's portrait, small, in the workroom."""

    monkeypatch.setattr(jobs, "find", find_kept)

    def opened(name, searched=False, **more):
        row = prepared(client, sitting, f"{name}.png", small_copy(name, **more))
        if searched:
            work("search")
        hands.open_portrait(row.pk)
        return hands

    return opened
