"""A wish in everyday words becomes the touch that it means; lists of phrases are in files beside this one."""

from pathlib import Path

import pytest

from retouch.sheet.starting import Otherwise, lacking, started
from retouch.sheet.wishes import PLACES, wishes
from retouch.touches import KINDS


def phrases(name):
    """What is written, the kind, where it lies, and what must be so of its settings."""
    for line in (Path(__file__).parent / name).read_text().splitlines():
        if line and not line.startswith("#"):
            yield [part.strip() for part in line.split("|")]


def understood(text, kind, place, must):
    first = next(iter(wishes(text)), None)
    if first is None or first.kind != kind:
        return False
    ready = next(s for s in KINDS[kind].starts if s.title == first.title)
    where = PLACES[first.place] if first.place else ready.place
    at = "-" if first.whole or where is None else where.name
    settings = KINDS[kind]().model_dump() | ready.settings | first.settings
    return place in ("*", at) and (not must or eval(must, {}, settings))


@pytest.mark.parametrize(("name", "share"), [("phrases.txt", 0.95), ("phrases_aside.txt", 0.85)])
def test_everyday_phrases_are_understood(name, share):
    told = [(phrase[0], understood(*phrase)) for phrase in phrases(name)]
    missed = [text for text, right in told if not right]
    assert len(missed) <= (1 - share) * len(told), missed


def test_every_ready_touch_that_a_phrase_means_can_be_started_as_it_was_said():
    for name in ("phrases.txt", "phrases_aside.txt"):
        for text, *_ in phrases(name):
            for wish in wishes(text):
                ready = next(s for s in KINDS[wish.kind].starts if s.title == wish.title)
                other = Otherwise(wish.place, wish.settings, wish.strength)
                placed = bool(ready.place or wish.place) or ready.from_face
                if not ready.from_face:
                    begun = started(wish.kind, wish.title, None, placed=placed, other=other)
                    assert 0 < begun.strength <= 1


def test_words_in_any_order_say_the_same_and_misspelt_ones_are_read():
    assert wishes("darken the backdrop") == wishes("backdrop: darken!") == wishes("Backdrop darker")
    assert wishes("whitten teeth")[0] == wishes("whiten teeth")[0]
    assert wishes("soften the skinn")[0].title == "Soften the skin"


@pytest.mark.parametrize(
    ("text", "settings", "strength"),
    [
        ("brighten the face by 0,7 EV", {"ev": 0.7}, None),
        ("face −0.5", {"ev": -0.5}, None),
        ("brighten by 90 ev", {"ev": 6.0}, None),
        ("less shine, 30 %", {"amount": 0.3}, None),
        ("soften the skin by 40 percent", {}, 0.4),
        ("soften the skin a little", {}, 0.5),
    ],
)
def test_how_much_is_taken_from_the_words_and_held_to_the_limits(text, settings, strength):
    first = wishes(text)[0]
    assert (first.settings, first.strength) == (settings, strength)


def test_what_is_not_understood_gives_the_nearest_ready_touches():
    assert "Lay a gradient" in [w.title for w in wishes("gradiant")]
    assert {w.kind for w in wishes("lips")} & {"saturation"}
    assert wishes("") == wishes("qqq xyz") == []


def test_a_place_that_was_not_found_is_said():
    assert lacking("exposure", "Brighten", Otherwise("teeth"), None) == "Not found on this picture: the teeth."
    assert lacking("exposure", "Brighten", Otherwise(), None) == ""
