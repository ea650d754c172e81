"""What is said to be true of the choir's pictures is true of them."""

import json
from pathlib import Path

import numpy as np
import pytest

from demo.sitters.cast import CHOIR
from retouch.colour.oklab import to_oklab
from retouch.files.reading import look, read

DEMO = Path(__file__).parents[2] / "demo"
NAMES = sorted(path.stem for path in (DEMO / "labels").glob("*.json"))


def test_all_pictures_have_their_truth_and_belong_to_the_choir():
    assert sorted(path.stem for path in (DEMO / "pictures").iterdir()) == NAMES
    assert set(NAMES) <= {sitter.name for sitter in CHOIR}
    assert len(NAMES) >= 3


def coverage(name):
    with np.load(DEMO / "labels" / f"{name}.npz") as stored:
        return {kind: stored[kind].astype(int) for kind in stored}


def truth(name):
    return json.loads((DEMO / "labels" / f"{name}.json").read_text())


def picture(name):
    return next((DEMO / "pictures").glob(f"{name}.*"))


@pytest.mark.parametrize("name", NAMES)
def test_every_pixel_is_shared_out_whole(name):
    masks = coverage(name)
    assert {m.shape for m in masks.values()} == {(1000, 800)}
    # Sixteen rays a pixel, each rounded to 255 steps.
    assert np.abs(sum(masks.values()) - 255).max() <= len(masks)


@pytest.mark.parametrize("name", NAMES)
def test_a_head_has_what_heads_have(name):
    share = {kind: (mask / 255).mean() for kind, mask in coverage(name).items()}
    assert 0.3 < share["backdrop"] < 0.8
    assert 0.05 < share["face-skin"] < 0.3
    assert share["hair"] > 0.01
    assert share["face-skin"] > 20 * share["lips"] > 20 * share["irises"] > 0
    assert share["eye-whites"] > 0
    assert share["pupils"] > 0


@pytest.mark.parametrize("name", NAMES)
def test_landmarks_lie_where_the_labels_say(name):
    masks, marks = coverage(name), truth(name)["landmarks"]

    def near(mark, *kinds, reach=14):
        x, y = (round(v * 1000) for v in marks[mark])
        around = (slice(max(0, y - reach), y + reach), slice(max(0, x - reach), x + reach))
        return sum(masks[kind][around].sum() for kind in kinds)

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
    assert {(f.width / f.height) for f in facts.values()} == {0.8}


PAIRS = [("Soprano 3", "Tenor 1"), ("Tenor 1", "Alto 2"), ("Tenor 2", "Bass 1")]


@pytest.mark.parametrize(("lighter", "darker"), PAIRS)
def test_faces_are_as_light_as_their_skin(lighter, darker):
    def face(name):
        original = read(picture(name))
        working = original.to_working(original.raw)[::4, ::4]
        rows = np.linspace(0, 999, working.shape[0]).astype(int)
        columns = np.linspace(0, 799, working.shape[1]).astype(int)
        mask = coverage(name)["face-skin"][np.ix_(rows, columns)] > 250
        return np.median(to_oklab(working[mask])[:, 0])

    assert truth(lighter)["ita"] > truth(darker)["ita"]
    assert face(lighter) > face(darker)
