"""What finished files hold besides their picture, read by others: layers, XMP, EXIF, PDF."""

import io
import json
import zipfile
from xml.etree import ElementTree as ET

import numpy as np
import pytest
from hypothesis import given
from hypothesis.extra.numpy import arrays
from PIL import Image

from retouch.cli import main
from retouch.files.openraster import laid, layer_of
from retouch.files.reading import read
from retouch.files.writing import PLACE, told_exif
from retouch.files.xmp import Credits, sheet_in
from retouch.render.export import Order, export
from retouch.sheet import read_sheet
from retouch.sheet.telling import told
from retouch.types import PictureError
from tests.pictures import bytes_of

SHEET = read_sheet({
    "format": "needlepoint-sheet", "version": 2,
    "areas": [{"id": "a", "name": "the cheek", "parts": [{"id": "p", "source": "pool", "centre": [0.4, 0.5]}]}],
    "touches": [
        {"id": "t", "kind": "exposure", "settings": {"ev": 1.3}, "area": "a", "strength": 0.8},
        {"id": "s", "kind": "set", "area": "a", "limit": {"ramp": [0, 0, 0.5, 0.9]}, "touches": [
            {"id": "u", "kind": "saturation", "settings": {"amount": -0.4}, "blend": "soft-light"}]},
        {"id": "o", "kind": "exposure", "settings": {"ev": -2}, "on": False},
        {"id": "v", "kind": "white-balance", "settings": {"warmth": 30}},
    ],
})  # fmt: skip
SAID = Credits('Evening & "late"', "Ada Ö", "© Ada", "ada@choir.example", "https://choir.example/")


@pytest.fixture
def original(tmp_path):
    path = tmp_path / "Alto 1.jpg"
    path.write_bytes(bytes_of("JPEG", 200, 250))
    return path


def made(original, form, sheet=SHEET, **order):
    path = original.with_suffix(f".out.{form}")
    export(read(original), sheet, Order(form, **order), path)
    return path


def flattened(path):
    """The layers of an OpenRaster file, as Pillow lays them one over the other, and the merged picture in it."""
    with zipfile.ZipFile(path) as file:
        assert file.namelist()[0] == "mimetype"
        assert file.read("mimetype") == b"image/openraster"
        layers = list(ET.fromstring(file.read("stack.xml")).iter("layer"))
        out = Image.new("RGBA", Image.open(io.BytesIO(file.read("mergedimage.png"))).size)
        for layer in reversed(layers):
            out.alpha_composite(Image.open(io.BytesIO(file.read(layer.get("src")))).convert("RGBA"))
        merged = np.asarray(Image.open(io.BytesIO(file.read("mergedimage.png"))), int)
    return [layer.get("name") for layer in layers], np.asarray(out.convert("RGB"), int), merged


@pytest.mark.parametrize("sharpen", ["no", "screen"])
def test_layers_one_over_the_other_are_the_finished_picture(original, sharpen):
    names, laid_by_pillow, merged = flattened(made(original, "ora", by="long", amount=200, sharpen=sharpen))
    finished = np.asarray(Image.open(made(original, "png", by="long", amount=200, sharpen=sharpen)), int)
    assert np.abs(merged - finished).max() <= 1
    assert np.abs(laid_by_pillow - finished).max() <= 2
    sharpened = [f"sharpened for {sharpen}"] if sharpen != "no" else []
    assert names == [
        *sharpened,
        "Warm the whole picture by +30 mired, tint 0.0",
        "Balance: saturation on the cheek",
        "Brighten the cheek by +1.30 EV",
        "as it came",
    ]


def test_what_moves_has_moved_on_every_layer_and_is_none_itself(original):
    stroke = {"size": 0.4, "softness": 0.5, "points": [[0.3, 0.5, 1], [0.5, 0.5, 1]]}
    moves = {"id": "m", "kind": "reshape", "settings": {"strokes": [stroke]}}
    whole = SHEET.model_dump(mode="json")
    moved = read_sheet(whole | {"touches": [*whole["touches"], moves]})
    names, laid_by_pillow, _ = flattened(made(original, "ora", moved))
    finished = np.asarray(Image.open(made(original, "png", moved)), int)
    assert np.abs(laid_by_pillow - finished).max() <= 2
    assert len(names) == 4
    assert np.abs(finished - np.asarray(Image.open(made(original, "png")), int)).max() > 10


@given(arrays(np.uint8, (4, 4, 3)), arrays(np.uint8, (4, 4, 3)), arrays(np.uint8, (4, 4)))
def test_a_layer_reaches_any_result_and_is_never_less_than_its_mask(below, result, mask):
    layer = layer_of(below, result, mask)
    assert (layer[..., 3] >= mask).all()
    assert np.abs(laid(below, layer).astype(int) - result).max() <= 1


@pytest.mark.parametrize("form", ["jpeg", "png", "tiff", "webp", "avif", "jxl"])
def test_a_sheet_lies_in_every_file_and_is_the_same_when_it_comes_back(original, form):
    path = made(original, form, with_sheet=True, **vars(SAID))
    assert read_sheet(sheet_in(path)) == SHEET
    # A picture brought in with a sheet of its own gets the same.
    again = original.with_name("again.png")
    assert main(["render", str(original), "--sheet", str(path), "--out", str(again)]) == 0
    same = original.with_name("same.png")
    export(read(original), SHEET, Order("png"), same)
    assert again.read_bytes() == same.read_bytes()


def test_another_reader_finds_title_creator_rights_and_contact(original):
    image = Image.open(made(original, "jpeg", **vars(SAID)))
    about = image.getxmp()["xmpmeta"]["RDF"]["Description"]
    assert about["title"]["Alt"]["li"]["text"] == SAID.title
    assert about["creator"]["Seq"]["li"] == SAID.creator
    assert about["rights"]["Alt"]["li"]["text"] == SAID.rights
    assert about["CreatorContactInfo"]["CiEmailWork"] == SAID.email
    assert image.getexif()[0x8298].encode("latin-1").decode() == SAID.rights


def test_where_it_was_taken_goes_out_only_if_that_is_wished():
    block = Image.Exif()
    block[0x0110] = "Made-up camera"
    block.get_ifd(PLACE)[1] = "N"
    exif = block.tobytes().removeprefix(b"Exif\0\0")
    for place in (True, False):
        out = Image.Exif()
        out.load(b"Exif\0\0" + told_exif(exif, Credits(), place))
        assert (PLACE in out, out[0x0110]) == (place, "Made-up camera")


def test_a_file_without_a_sheet_and_a_sheet_too_long_for_a_jpeg_say_so(original, capsys):
    with pytest.raises(PictureError, match="no sheet"):
        sheet_in(made(original, "png"))
    assert main(["sheet", str(original)]) == 2
    assert "There is no sheet" in capsys.readouterr().err
    rng = np.random.default_rng(1)
    points = [[round(0.5 + 0.001 * float(v), 6) for v in rng.random(3)] for _ in range(9000)]
    stroke = {"size": 0.1, "softness": 0.5, "flow": 0.5, "ceiling": 1, "erase": False, "points": points}
    long = SHEET.model_dump(mode="json")
    long["areas"][0]["parts"] = [{"id": "p", "source": "strokes", "strokes": [stroke]}]
    with pytest.raises(PictureError, match="too long"):
        export(read(original), read_sheet(long), Order("jpeg", with_sheet=True), original.with_name("x.jpg"))


def test_a_sheet_is_told_in_its_sentences():
    assert list(told(SHEET)) == [
        (0, "Brighten the cheek by +1.30 EV — at 80 % strength"),
        (0, "Balance: saturation on the cheek — only in tones 0 · 0 · 50 · 90"),
        (1, "Give the whole picture less colour: −40 % — mixed by soft light"),
        (0, "Darken the whole picture by −2.00 EV — switched off"),
        (0, "Warm the whole picture by +30 mired, tint 0.0"),
    ]
    assert json.loads(SHEET.model_dump_json())["touches"]
