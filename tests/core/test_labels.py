"""What is said to be true of the choir's pictures is true of them."""

import json
from functools import cache
from pathlib import Path

import cv2
import numpy as np
import pytest

from demo.sitters.cast import CHOIR, CLASSES
from retouch.colour.oklab import to_oklab
from retouch.files.reading import look, read

DEMO = Path(__file__).parents[2] / "demo"
NAMES = sorted(path.stem for path in (DEMO / "labels").glob("*.json"))

pytestmark = pytest.mark.slow


def test_all_pictures_have_their_truth_and_are_the_whole_choir():
    assert sorted(path.stem for path in (DEMO / "pictures").iterdir()) == NAMES
    assert set(NAMES) == {sitter.name for sitter in CHOIR}
    assert len(NAMES) >= 12


@cache
def coverage(name):
    with np.load(DEMO / "labels" / f"{name}.npz") as stored:
        return {kind: stored[kind].astype(int) for kind in stored}


def classes(name):
    """The labels that share out a pixel, without those that say whose it is."""
    return {kind: mask for kind, mask in coverage(name).items() if not kind.startswith("person-")}


def truth(name):
    return json.loads((DEMO / "labels" / f"{name}.json").read_text())


def people(name):
    return truth(name)["people"]


def picture(name):
    return next((DEMO / "pictures").glob(f"{name}.*"))


EVERYBODY = [(name, number) for name in NAMES for number in range(1, len(people(name)) + 1)]


@pytest.mark.parametrize("name", NAMES)
def test_every_pixel_is_shared_out_whole(name):
    masks = classes(name)
    assert set(masks) == set(CLASSES)
    facts = look(picture(name))
    (height, width) = masks["skin"].shape
    assert max(height, width) == 1000
    assert width / height == pytest.approx(facts.width / facts.height, rel=0.002)
    # Sixteen rays a pixel, each rounded to 255 steps.
    assert np.abs(sum(masks.values()) - 255).max() <= len(masks)


@pytest.mark.parametrize("name", NAMES)
def test_all_but_the_backdrop_is_somebodys(name):
    masks = coverage(name)
    whole = sum(masks[f"person-{i}"] for i in range(1, len(people(name)) + 1))
    assert np.abs(whole + masks["backdrop"] - 255).max() <= 4


@pytest.mark.parametrize(("name", "number"), EVERYBODY)
def test_a_head_has_what_heads_have(name, number):
    masks = coverage(name)
    own = masks[f"person-{number}"] / 255
    share = {kind: (mask / 255 * own).mean() for kind, mask in classes(name).items()}
    assert share["face-skin"] > 0.03
    assert share["hair"] > 0.01
    assert share["face-skin"] > 15 * share["lips"] > 0
    assert share["lips"] > share["irises"] > 0
    assert share["eye-whites"] > 0
    assert share["pupils"] > 0


@pytest.mark.parametrize(("name", "number"), EVERYBODY)
def test_landmarks_lie_where_the_labels_say(name, number):
    masks, marks = coverage(name), people(name)[number - 1]["landmarks"]
    own = masks[f"person-{number}"]

    def near(mark, *kinds, reach=14):
        x, y = (round(v * 1000) for v in marks[mark])
        around = (slice(max(0, y - reach), y + reach), slice(max(0, x - reach), x + reach))
        return sum(np.minimum(masks[kind], own)[around].sum() for kind in kinds)

    assert near("iris-left", "irises", "pupils") > 0
    assert near("iris-right", "irises", "pupils") > 0
    assert near("nose-tip", "face-skin") > 0
    assert near("mouth-left", "lips", "face-skin") > 0
    assert marks["iris-left"][0] > marks["nose-tip"][0] > marks["iris-right"][0]
    assert marks["brow-left"][1] < marks["nose-tip"][1] < marks["mouth-left"][1] < marks["chin"][1]


def test_only_who_smiles_shows_teeth():
    shown = {name: (coverage(name)["teeth"] / 255).sum() for name in NAMES}
    assert shown["Soprano 2"] == max(shown.values())
    assert shown["Soprano 2"] > 20 * sorted(shown.values())[-2]


def test_the_files_are_of_the_kinds_that_photographers_bring():
    facts = {name: look(picture(name)) for name in NAMES}
    assert facts["Tenor 2"].bits == 16
    assert facts["Alto 1"].profile == "Display P3"
    assert facts["Bass 2"].orientation == 6
    assert facts["Soprano 1"].format == "raw"
    assert facts["Soprano 1"].headroom == pytest.approx(1.5)
    assert all(min(f.width, f.height) >= 2400 and max(f.width, f.height) >= 3000 for f in facts.values())
    assert sum(f.width * f.height >= 24e6 for f in facts.values()) >= 2


def test_the_raw_file_holds_the_window_that_its_white_cuts_off():
    original = read(picture("Soprano 1"))
    working = original.to_working(original.raw[::8, ::8])
    bright = working[working.min(-1) > 1.02]
    assert len(bright) > 0.1 * working.shape[0] * working.shape[1]
    assert bright.std() > 0.005


PAIRS = [("Soprano 3", "Tenor 1"), ("Tenor 1", "Alto 2"), ("Tenor 2", "Bass 1")]


def face(name, number=1):
    """The median lightness of a face."""
    original = read(picture(name))
    working = original.to_working(original.raw[::6, ::6])
    masks = coverage(name)
    mask = np.minimum(masks["face-skin"], masks[f"person-{number}"]).astype(np.uint8)
    inside = cv2.resize(mask, working.shape[1::-1], interpolation=cv2.INTER_AREA) > 250
    return np.median(to_oklab(working[inside])[:, 0])


@pytest.mark.parametrize(("lighter", "darker"), PAIRS)
def test_faces_are_as_light_as_their_skin(lighter, darker):
    assert people(lighter)[0]["ita"] > people(darker)[0]["ita"]
    assert face(lighter) > face(darker)


def test_two_people_touch_and_differ():
    name = "Mezzo 2 and Bass 3"
    masks = coverage(name)
    first, second = (cv2.dilate(masks[f"person-{i}"].astype(np.uint8), np.ones((5, 5))) > 128 for i in (1, 2))
    assert (first & second).sum() > 200
    assert people(name)[0]["ita"] > people(name)[1]["ita"] + 40
    assert face(name, 1) > face(name, 2) + 0.1
