"""Four inks through a profile: checked against the made-up press that it was made from, and by other readers."""

import io

import numpy as np
import pytest
import tifffile
from PIL import Image, ImageCms

from demo.press import PAPER, PLACE, printed
from retouch.checks import Check, looked
from retouch.colour.encoding import decode, encode
from retouch.colour.icc import profile_bytes
from retouch.colour.press import read_press
from retouch.colour.spaces import SRGB, WORKING, between
from retouch.files.reading import read
from retouch.frame import Frame
from retouch.render.export import Order, export
from retouch.render.picture import Decoded
from retouch.render.plan import Renderer
from retouch.sheet import Sheet
from retouch.types import PictureError
from tests.pictures import bytes_of

PRESS = read_press(PLACE.read_bytes())
COLOURS = np.array(
    [[1, 1, 1], [0.5, 0.5, 0.5], [0.18, 0.18, 0.18], [0.4, 0.2, 0.12], [0.6, 0.4, 0.3], [0.1, 0.2, 0.15]]
)
"""Linear sRGB that ink can print: greys, skins, a green."""


def working(linear):
    return encode(linear @ between(SRGB, WORKING).T).astype(np.float32)


def test_paper_takes_no_ink_and_inks_are_told_from_the_light_that_is_wanted():
    ink = PRESS.from_working(working(COLOURS))
    assert ink[0].max() < 0.01
    # A grey is printed by all of them, skin with little cyan.
    assert ink[3][0] < 0.1 < ink[3][1]
    assert (np.diff(ink[:3].sum(axis=1)) > 0).all()


def test_what_is_seen_beforehand_is_what_the_press_prints():
    ink = PRESS.from_working(working(COLOURS))
    seen = decode(PRESS.to_working(ink)) @ between(WORKING, SRGB).T
    # The profile's tables stand for the press's own formula, but for the black that is brought to black.
    np.testing.assert_allclose(encode(seen), encode(printed(ink) / PAPER), atol=0.012)
    # But for the green, which this ink cannot reach.
    assert np.abs(PRESS.proofed(working(COLOURS)) - working(COLOURS))[:5].max() < 0.01
    assert (PRESS.proofed(working(COLOURS[:1])) > 0.98).all()


@pytest.mark.parametrize(("form", "bits"), [("jpeg", 8), ("tiff", 8), ("tiff", 16)])
def test_other_readers_find_the_inks_and_the_profile(tmp_path, form, bits):
    source = tmp_path / "a.png"
    source.write_bytes(bytes_of("PNG", 64, 80))
    path = tmp_path / f"out.{form}"
    export(read(source), Sheet(), Order(form, bits, "press", 100), path, press=PRESS)
    if bits == 16:
        with tifffile.TiffFile(path) as file:
            page = file.pages.first
            assert (page.photometric.name, page.tags[34675].value == PRESS.data) == ("SEPARATED", True)
            ink = page.asarray() / 65535
    else:
        image = Image.open(path)
        assert (image.mode, image.info["icc_profile"]) == ("CMYK", PRESS.data)
        ink = np.asarray(image) / 255
    assert ink.shape == (80, 64, 4)
    # littleCMS through another door brings them back to the picture.
    eight = Image.fromarray((ink * 255 + 0.5).astype(np.uint8), "CMYK")
    profiles = (ImageCms.ImageCmsProfile(io.BytesIO(data)) for data in (PRESS.data, profile_bytes(SRGB)))
    flags = ImageCms.Flags.BLACKPOINTCOMPENSATION
    back = ImageCms.profileToProfile(eight, *profiles, renderingIntent=1, outputMode="RGB", flags=flags)
    proofed = decode(PRESS.proofed(read(source).to_working(read(source).raw))) @ between(WORKING, SRGB).T
    off = np.abs(np.asarray(back) / 255 - encode(np.clip(proofed, 0, 1)))
    assert np.percentile(off, 99) < 0.03


def test_the_soft_proof_is_seen_in_the_view_and_neither_file_nor_sheet_know_of_it(tmp_path):
    source = tmp_path / "a.png"
    source.write_bytes(bytes_of("PNG", 64, 80))
    renderer = Renderer(Decoded(read(source)), Sheet())
    frame = Frame.whole(64, 80)
    seen = looked(renderer, frame, Check("proof", press=PRESS))
    np.testing.assert_array_equal(seen, PRESS.proofed(renderer.draw(frame)))


@pytest.mark.parametrize(
    ("data", "said"),
    [
        (b"nothing", "not an ICC profile"),
        (profile_bytes(SRGB), "not for a press"),
        (PLACE.read_bytes()[:4000].ljust(200_000, b"\0"), "cannot be used"),
        (bytes(17 << 20), "larger than"),
    ],
)
def test_what_is_no_press_says_so(data, said):
    with pytest.raises(PictureError, match=said):
        read_press(data)


def test_files_without_inks_and_a_press_that_is_gone_say_so(tmp_path):
    with pytest.raises(PictureError, match="has no inks"):
        Order("png", into="press")
    source = tmp_path / "a.png"
    source.write_bytes(bytes_of("PNG", 64, 80))
    with pytest.raises(PictureError, match="no longer there"):
        export(read(source), Sheet(), Order("tiff", into="press"), tmp_path / "b.tif")
