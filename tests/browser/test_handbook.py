"""Every job of the handbook is walked as it is written, step by step, so that it stays true."""

import importlib.machinery
import importlib.util
import json
from pathlib import Path

import pytest
from selenium.webdriver import Keys

ROOT = Path(__file__).parents[2]
JOBS = json.loads((ROOT / "web" / "src" / "help" / "jobs.json").read_text())


def wish(room, text):
    """Type what the picture needs, and take the first that is understood."""
    before = len(room.touches())
    field = room.one("[data-start]")
    field.click()
    field.send_keys(Keys.CONTROL, "a", Keys.NULL, text)
    room.one("[data-wishes=read]")
    assert "not found on this picture" not in room.until(lambda: room.all("[role=option]"))[0].text.lower()
    room.keys(Keys.ENTER)
    room.until(lambda: len(room.touches()) == before + 1)
    room.settle()


@pytest.mark.parametrize("job", JOBS, ids=lambda job: job["job"])
def test_a_job_is_done_as_it_is_written(choir, job):
    assert 3 <= len(job["steps"]) <= 8
    room = choir(job["on"], searched=True)
    for step in job["steps"]:
        if "wish" in step:
            assert step["wish"].lower() in step["say"].lower()
            wish(room, step["wish"])
        elif "click" in step:
            room.click(step["click"], tag="button")
        elif "key" in step:
            room.keys(Keys.ESCAPE if step["key"] == "Escape" else step["key"])
            room.settle()


def test_the_handbook_in_the_docs_is_the_one_in_the_room(room):
    loader = importlib.machinery.SourceFileLoader("handbook", str(ROOT / "tools" / "handbook"))
    maker = importlib.util.module_from_spec(importlib.util.spec_from_loader("handbook", loader))
    loader.exec_module(maker)
    assert (ROOT / "docs" / "handbook.md").read_text() == maker.written()
    room.click("Keys")
    room.click("Handbook")
    room.click(JOBS[3]["job"])
    assert JOBS[3]["steps"][0]["say"] in room.text("[role=tabpanel]")
