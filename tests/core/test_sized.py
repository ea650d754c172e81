"""Finished pictures at the size of their use."""

import cv2
import imagecodecs
import numpy as np
import pytest
from PIL import Image

from retouch.colour.encoding import decode
from retouch.files.reading import read
from retouch.render.export import Order, export
from retouch.render.sized import Reducing, Size, sharpened
from retouch.sheet import Sheet
from retouch.types import Encoded, PictureError
from tests.pictures import bytes_of


@pytest.mark.parametrize(
    ("size", "wanted"),
    [
        (Size(), (4000, 6000)),
        (Size("long", 1500), (1000, 1500)),
        (Size("megapixels", 6), (2000, 3000)),
        # 25.4 cm at 300 dpi are 3,000 pixels.
        (Size("print", 25.4, 300), (2000, 3000)),
        (Size("long", 9000), (4000, 6000)),
    ],
)
def test_a_size_is_what_it_says_and_nothing_grows(size, wanted):
    assert size.of(4000, 6000) == wanted


def test_a_size_that_is_none_gets_a_sentence():
    with pytest.raises(PictureError, match="above 0"):
        Order(by="long", amount=0)


@pytest.mark.parametrize(("to", "rows"), [((40, 50), 7), ((37, 46), 64), ((99, 124), 256)])
def test_reduced_in_bands_it_is_the_mean_of_the_light(to, rows):
    picture = np.random.default_rng(3).uniform(-0.05, 1.1, (125, 100, 3)).astype(np.float32)
    smaller = Reducing(100, 125, to)
    for top in range(0, 125, rows):
        smaller.add(picture[top : top + rows], top)
    whole = cv2.resize(decode(picture), to, interpolation=cv2.INTER_AREA)
    np.testing.assert_allclose(decode(smaller.picture()), whole, atol=2e-5)


def test_sharpened_for_its_use_edges_gain_and_flat_tones_stay():
    picture = np.full((200, 160, 3), 0.4, np.float32)
    picture[:, 80:] = 0.6
    picture = Encoded(cv2.GaussianBlur(picture, (0, 0), 1.0))
    np.testing.assert_array_equal(sharpened(picture, "no"), picture)
    steps = [
        np.abs(np.diff(sharpened(picture, m)[100, :, 1])).max() for m in ("no", "screen", "glossy paper", "matt paper")
    ]
    assert steps[0] < steps[1] < steps[2] < steps[3]
    np.testing.assert_allclose(sharpened(picture, "matt paper")[:, :60], 0.4, atol=1e-4)


@pytest.mark.parametrize(
    ("form", "bits"), [("jpeg", 8), ("webp", 8), ("avif", 8), ("avif", 16), ("png", 16), ("tiff", 8)]
)
def test_another_program_opens_the_file_with_its_size_profile_and_colours(tmp_path, form, bits):
    source, path = tmp_path / "in.jpg", tmp_path / "out"
    source.write_bytes(bytes_of("JPEG", 300, 240))
    original = read(source)
    order = Order(form, bits, "display-p3", 95, "long", 150, 300, "screen")
    export(original, Sheet(), order, path, found=lambda _: None)
    with Image.open(path) as opened:
        assert opened.size == (150, 120)
        assert b"P3" in opened.info["icc_profile"] or "P3".encode("utf-16-be") in opened.info["icc_profile"]
        assert opened.mode in ("RGB", "RGB;16") or opened.mode.startswith("I;16")
    again = read(path)
    mean = again.to_working(again.raw).mean((0, 1))
    np.testing.assert_allclose(mean, original.to_working(original.raw).mean((0, 1)), atol=0.02)


def test_what_a_file_cannot_hold_gets_a_sentence():
    with pytest.raises(PictureError, match="WebP holds 8 bits"):
        Order("webp", 16)


@pytest.mark.parametrize("bits", [8, 16])
def test_a_jpeg_xl_shows_what_the_png_shows_and_is_srgb_alone(tmp_path, bits):
    (tmp_path / "in.jpg").write_bytes(bytes_of("JPEG", 300, 240))
    original, paths = read(tmp_path / "in.jpg"), (tmp_path / "out.jxl", tmp_path / "out.png")
    for form, path in zip(("jxl", "png"), paths, strict=True):
        export(original, Sheet(), Order(form, bits, quality=98), path, found=lambda _: None)
    drawn = imagecodecs.jpegxl_decode(paths[0].read_bytes())
    png = imagecodecs.png_decode(paths[1].read_bytes())
    assert (drawn.dtype, drawn.shape) == (png.dtype, png.shape)
    assert np.abs(drawn.astype(float) - png).mean() <= np.iinfo(png.dtype).max / 255
    with pytest.raises(PictureError, match="written in sRGB"):
        Order("jxl", into="display-p3")
