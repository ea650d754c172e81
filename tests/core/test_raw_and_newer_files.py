"""Raw files with their headroom, and HEIC, AVIF and WebP, opened like any other picture."""

import io
from pathlib import Path

import cv2
import numpy as np
import pytest
import tifffile
from PIL import Image

from demo.sitters.raw import HEADROOM, dng
from retouch.colour.encoding import decode
from retouch.colour.icc import profile_bytes
from retouch.colour.spaces import DISPLAY_P3, SRGB, WORKING, between
from retouch.files.reading import look, read
from retouch.frame import Frame
from retouch.render.picture import Decoded, Pyramid
from retouch.render.plan import Renderer
from retouch.sheet import Sheet, read_sheet
from retouch.types import PictureError
from tests.pictures import smooth

FILES = Path(__file__).parent / "files"

NEUTRALS = [(1.0, 1.0, 1.0), (0.55, 1.0, 0.7)]


def scene(width=320, height=400):
    """Linear sRGB from deep shadow to a lamp far above white; smooth, so that demosaicing has nothing to guess."""
    light = smooth(width, height, 3) ** 2.2
    light[: height // 5] = np.float32(2.0)
    return cv2.GaussianBlur(light, (0, 0), 6)


def written(tmp_path, neutral=(1.0, 1.0, 1.0), linear=None):
    path = tmp_path / "Soprano 1.dng"
    path.write_bytes(dng(scene() if linear is None else linear, neutral))
    return path


def to_linear_srgb(original):
    return decode(original.to_working(original.raw).astype(np.float64)) @ between(WORKING, SRGB).T


@pytest.mark.parametrize("neutral", NEUTRALS)
def test_a_raw_file_comes_back_in_the_light_that_it_was_made_from(tmp_path, neutral):
    original = read(written(tmp_path, neutral))
    expected = scene()
    found = to_linear_srgb(original)
    inside = (slice(8, -8), slice(8, -8))
    error = np.abs(found - expected)[inside]
    assert error.mean() < 0.002
    assert np.quantile(error, 0.999) < 0.02
    # What lies above white is still there.
    assert found[20, 100].min() == pytest.approx(2.0, rel=0.02)


def test_a_raw_file_says_what_it_is(tmp_path):
    facts = look(written(tmp_path))
    assert (facts.format, facts.width, facts.height, facts.bits) == ("raw", 320, 400, 16)
    assert facts.headroom == pytest.approx(HEADROOM)
    assert "Made-up camera" in facts.camera["camera"]


def test_exposure_brings_back_what_lies_above_white(tmp_path):
    original = read(written(tmp_path))
    Pyramid.store(Decoded(original), tmp_path)
    frame = Frame.whole(320, 400)
    lamp = (20, 100)
    plain = Renderer(Pyramid(tmp_path, "p"), Sheet()).draw(frame)
    assert plain[lamp].min() > 1.2
    darker = {"id": "t", "kind": "exposure", "settings": {"ev": -1.5}}
    sheet = read_sheet({"format": "needlepoint-sheet", "version": 1, "touches": [darker]})
    drawn = decode(Renderer(Pyramid(tmp_path, "p"), sheet).draw(frame).astype(np.float64))
    assert drawn[lamp] == pytest.approx(np.full(3, 2.0 * 2**-1.5), rel=0.02)


def test_a_tiff_is_not_taken_for_a_raw_file(tmp_path):
    path = tmp_path / "plain.tif"
    tifffile.imwrite(path, (smooth(64, 80) * 65535).astype(np.uint16), photometric="rgb")
    assert look(path).format == "TIFF"


def test_a_damaged_raw_file_gets_a_sentence(tmp_path):
    path = written(tmp_path)
    whole = path.read_bytes()
    path.write_bytes(whole[: len(whole) // 2])
    with pytest.raises(PictureError, match=r"damaged|breaks off"):
        read(path)


def picture():
    return (smooth(240, 300, 4) * 255).astype(np.uint8)


def saved(form, **options):
    out = io.BytesIO()
    Image.fromarray(picture()).save(out, form, icc_profile=profile_bytes(DISPLAY_P3), **options)
    return out.getvalue()


def heic():
    """The same picture, written once by an encoder that is not among our packages."""
    return (FILES / "eight.heic").read_bytes()


CASES = {
    "WebP": (lambda: saved("WEBP", lossless=True), 0),
    "AVIF": (lambda: saved("AVIF", quality=95, subsampling="4:4:4"), 2),
    "HEIC": (heic, 2),
}


@pytest.mark.parametrize("form", CASES)
def test_newer_files_come_back_with_their_profile(tmp_path, form):
    make, tolerance = CASES[form]
    path = tmp_path / "Alto 1.any"
    path.write_bytes(make())
    original = read(path)
    assert (original.facts.format, original.facts.width, original.facts.height) == (form, 240, 300)
    assert original.facts.profile == "Display P3"
    assert np.abs(original.raw.astype(int) - picture()).mean() <= tolerance


def test_a_heic_of_ten_bits_stays_deep():
    deep = (smooth(128, 160, 4) * 65535).astype(np.uint16)
    original = read(FILES / "ten.heic")
    assert original.facts.bits == 16
    assert original.raw.dtype == np.uint16
    assert np.abs(original.raw.astype(int) - deep).mean() < 400


@pytest.mark.parametrize("form", CASES)
def test_newer_files_that_break_off_get_a_sentence(tmp_path, form):
    path = tmp_path / "half.any"
    whole = CASES[form][0]()
    path.write_bytes(whole[: len(whole) // 3])
    with pytest.raises(PictureError, match=r"damaged|breaks off"):
        read(path)
