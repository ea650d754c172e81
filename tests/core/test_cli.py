"""The command, as it is installed."""

import json
import subprocess
import sys
from pathlib import Path

import numpy as np
import pytest
from PIL import Image

from retouch.cli import main
from retouch.files.reading import look, read
from tests.pictures import file_of

COMMAND = Path(sys.executable).parent / "needlepoint"
SHEET = {
    "format": "needlepoint-sheet",
    "version": 1,
    "areas": [{"id": "a1", "name": "Left half", "parts": [
        {"source": "strokes", "strokes": [{"size": 1, "softness": 0, "points": [[-0.1, 0, 1], [-0.1, 1, 1]]}]}]}],
    "touches": [{"id": "t1", "kind": "exposure", "settings": {"ev": 1}, "area": "a1"}],
}  # fmt: skip


def needlepoint(*arguments):
    return subprocess.run([COMMAND, *map(str, arguments)], capture_output=True, text=True, check=False)


@pytest.fixture
def place(tmp_path):
    file_of(tmp_path / "in.png", "PNG", 200, 160)
    (tmp_path / "sheet.json").write_text(json.dumps(SHEET))
    return tmp_path


def test_render_and_area(place):
    out = place / "out.tif"
    done = needlepoint("render", place / "in.png", "--sheet", place / "sheet.json", "--out", out, "--bits", 16,
                       "--profile", "display-p3")  # fmt: skip
    assert (done.returncode, done.stderr) == (0, "")
    facts = look(out)
    assert (facts.width, facts.bits, facts.profile) == (200, 16, "Display P3")

    done = needlepoint("area", place / "in.png", "--sheet", place / "sheet.json", "--area", "Left half", "--out",
                       place / "mask.png")  # fmt: skip
    assert done.returncode == 0
    mask = np.asarray(Image.open(place / "mask.png"))
    assert mask.shape == (160, 200)
    assert mask[:, :70].min() == 255
    assert mask[:, 90:].max() == 0


def test_schema_is_a_json_schema_that_knows_every_kind():
    schema = json.loads(needlepoint("schema").stdout)
    assert {"ExposureTouch", "CurveTouch", "Strokes", "Set"} <= schema["$defs"].keys()


BAD = [
    ("render", "in.png", "--sheet", "none.json", "--out", "o.jpg"),
    ("render", "none.png", "--sheet", "sheet.json", "--out", "o.jpg"),
    ("render", "sheet.json", "--sheet", "sheet.json", "--out", "o.jpg"),
    ("render", "in.png", "--sheet", "in.png", "--out", "o.jpg"),
    ("render", "in.png", "--sheet", "sheet.json", "--out", "o.gif"),
    ("render", "in.png", "--sheet", "sheet.json", "--out", "o.jpg", "--bits", "16"),
    ("render", "in.png", "--sheet", "sheet.json", "--out", "o.jpg", "--quality", "0"),
    ("render", "in.png", "--sheet", "sheet.json", "--out", "nowhere/o.jpg"),
    ("area", "in.png", "--sheet", "sheet.json", "--area", "Right half", "--out", "m.png"),
    ("area", "in.png", "--sheet", "sheet.json", "--area", "a1", "--out", "m.jpg"),
    ("draw",),
    (),
]


@pytest.mark.parametrize("arguments", BAD, ids=" ".join)
def test_bad_input_is_one_line_and_code_2(place, arguments, monkeypatch, capfd):
    monkeypatch.chdir(place)
    assert main(arguments) == 2
    out, err = capfd.readouterr()
    assert out == ""
    assert err.startswith("needlepoint: ")
    assert err.count("\n") == 1


def test_the_installed_command_fails_the_same_way(place):
    done = needlepoint("render", place / "none.png", "--sheet", place / "sheet.json", "--out", place / "o.jpg")
    assert (done.returncode, done.stdout, done.stderr.count("\n")) == (2, "", 1)


def test_what_is_found_without_a_sheet(place, capsys):
    assert main(["faces", str(place / "in.png")]) == 0
    assert json.loads(capsys.readouterr().out)["faces"] == []
    for name in ("face", "backdrop"):
        assert main(["area", str(place / "in.png"), "--find", name, "--out", str(place / f"{name}.png")]) == 0
    masks = [np.asarray(Image.open(place / f"{name}.png")) for name in ("face", "backdrop")]
    assert [(mask.shape, mask.min(), mask.max()) for mask in masks] == [((160, 200), 0, 0), ((160, 200), 255, 255)]


def test_a_file_that_breaks_off_is_told_in_one_sentence(place):
    """By the installed command: what the core writes into a log stays out of the way."""
    whole = (place / "in.png").read_bytes()
    (place / "half.png").write_bytes(whole[: len(whole) // 2])
    done = needlepoint("faces", place / "half.png")
    assert (done.returncode, done.stdout, done.stderr.count("\n")) == (2, "", 1)
    assert done.stderr.startswith("needlepoint: ")


def test_many_areas_of_many_pictures_go_into_a_folder_and_one_broken_picture_stops_none(place, capsys):
    (place / "other.png").write_bytes((place / "in.png").read_bytes())
    (place / "broken.png").write_bytes(b"no picture")
    pictures = [str(place / f"{name}.png") for name in ("in", "broken", "other")]
    out = place / "masks"
    assert main(["area", *pictures, "--find", "face", "--find", "backdrop", "--out", str(out)]) == 2
    assert sorted(path.name for path in out.iterdir()) == [
        "in-backdrop.png", "in-face.png", "other-backdrop.png", "other-face.png",
    ]  # fmt: skip
    assert np.asarray(Image.open(out / "other-backdrop.png")).min() == 255
    assert "2 of 3 pictures done; not broken.png" in capsys.readouterr().err


@pytest.mark.parametrize(
    ("more", "said"),
    [
        (["--find", "skin", "--find", "hair"], "several masks go into a folder"),
        (["--find", "skin", "--of", "1"], "There are no faces on this picture"),
        (["--find", "nose"], "invalid choice"),
        (["--find", "skin", "--sheet", "sheet.json"], "either --sheet and --area, or --find"),
        ([], "either --sheet and --area, or --find"),
    ],
)
def test_finding_what_cannot_be_found_is_one_sentence(place, capsys, more, said):
    assert main(["area", str(place / "in.png"), "--out", str(place / "m.png"), *more]) == 2
    assert said in capsys.readouterr().err
    assert not (place / "m.png").exists()


def test_two_areas_whose_masks_would_have_one_name_are_refused(place, capsys):
    arguments = ["area", str(place / "in.png"), "--sheet", str(place / "sheet.json"), "--out", str(place / "masks")]
    assert main([*arguments, "--area", "Left half", "--area", "Left-half"]) == 2
    assert "“Left half” and “Left-half” would have one file name" in capsys.readouterr().err
    assert not (place / "masks").exists()


def test_measure_prints_the_gauges(place, capsys):
    assert main(["measure", str(place / "in.png"), "--sheet", str(place / "sheet.json"), "--touch", "t1"]) == 0
    [told] = json.loads(capsys.readouterr().out)
    assert told["name"] == "edge seen"
    assert told["after"] > 20
    assert "edge shows" in told["sentence"]
    for more, said in ((["--touch", "no"], "no touch “no”"), (["--area", "no"], "Its areas: “Left half”")):
        assert main(["measure", str(place / "in.png"), "--sheet", str(place / "sheet.json"), *more]) == 2
        assert said in capsys.readouterr().err


def test_a_preset_finishes_many_pictures_under_names_of_their_own(place, capsys):
    (place / "two.png").write_bytes((place / "in.png").read_bytes())
    (place / "broken.png").write_bytes(b"x")
    touch = {"id": "t", "kind": "exposure", "settings": {"ev": 1.0}}
    sheet = {"format": "needlepoint-sheet", "version": 2, "areas": [], "touches": [touch]}
    preset = {"format": "needlepoint-preset", "version": 1, "name": "Lift", "sheet": sheet}
    (place / "preset.json").write_text(json.dumps(preset))
    pictures = [str(place / f"{name}.png") for name in ("in", "broken", "two")]
    ways = ["--preset", str(place / "preset.json"), "--long", "40", "--workers", "2"]
    pattern = str(place / "web" / "{number} {name}.webp")
    assert main(["render", *pictures, *ways, "--out", pattern]) == 1
    said = capsys.readouterr().err
    assert "2 of 3 pictures done; not broken.png" in said
    made = sorted((place / "web").iterdir())
    assert [p.name for p in made] == ["001 in.webp", "003 two.webp"]
    lifted = read(made[0])
    assert max(lifted.raw.shape) == 40
    assert lifted.raw.mean() > read(place / "in.png").raw.mean() + 10
    # What is there is not overwritten in silence; several pictures need several names.
    assert main(["render", *pictures, *ways, "--out", pattern]) == 2
    assert "is there already" in capsys.readouterr().err
    assert main(["render", *pictures, *ways, "--out", str(place / "one.jpg")]) == 2
    assert main(["render", pictures[0], *ways, "--out", pattern, "--overwrite"]) == 0
