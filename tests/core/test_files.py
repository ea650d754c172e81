"""Files in and out: upright, with their profile, at their depth; and every bad file gets its sentence."""

import io
import struct
import zlib

import imagecodecs
import numpy as np
import pytest
import tifffile
from PIL import Image, ImageOps

from retouch.colour.icc import profile_bytes, read_profile
from retouch.colour.spaces import DISPLAY_P3, SRGB
from retouch.files import reading
from retouch.files.reading import EXIF_IFD, look, read
from retouch.files.writing import write
from retouch.frame import Frame
from retouch.render.export import Order, export
from retouch.render.picture import Decoded
from retouch.sheet import Sheet, read_sheet
from retouch.types import PictureError
from tests.pictures import bytes_of, file_of, smooth


def pixels(bits, width=120, height=90):
    most = 255 if bits == 8 else 65535
    return (smooth(width, height, seed=2) * most + 0.5).astype(np.uint8 if bits == 8 else np.uint16)


def exif(orientation=1):
    block = Image.Exif()
    block[0x010F], block[0x0110], block[0x0112] = "Fenland", "Fenland One", orientation
    detail = block.get_ifd(EXIF_IFD)
    detail[0x829A], detail[0x829D], detail[0x8827] = 1 / 160, 2.8, 400
    detail[0x920A], detail[0x9003] = 85.0, "2026:05:01 18:30:00"
    return block.tobytes().removeprefix(b"Exif\0\0")


@pytest.mark.parametrize(("form", "bits"), [("png", 8), ("png", 16), ("tiff", 8), ("tiff", 16)])
def test_lossless_files_come_back_to_the_bit_with_profile_and_camera(tmp_path, form, bits):
    path, values = tmp_path / "picture", pixels(bits)
    write(path, values, form, profile_bytes(DISPLAY_P3), exif())
    original = read(path)
    np.testing.assert_array_equal(original.raw, values)
    assert original.icc == profile_bytes(DISPLAY_P3)
    facts = original.facts
    assert (facts.width, facts.height, facts.bits, facts.profile) == (120, 90, bits, "Display P3")
    assert facts.camera == {
        "camera": "Fenland One", "exposure": "1/160 s", "aperture": "f/2.8", "sensitivity": "ISO 400",
        "focal length": "85 mm", "taken": "2026:05:01 18:30:00",
    }  # fmt: skip


def test_a_jpeg_comes_back_close_with_profile_and_camera(tmp_path):
    write(tmp_path / "picture", pixels(8), "jpeg", profile_bytes(SRGB), exif(), 95)
    original = read(tmp_path / "picture")
    assert np.abs(original.raw.astype(int) - pixels(8)).mean() < 2
    assert original.facts.format == "JPEG"
    assert original.facts.camera["camera"] == "Fenland One"


@pytest.mark.parametrize("orientation", range(1, 9))
@pytest.mark.parametrize("form", ["PNG", "JPEG", "TIFF"])
def test_every_orientation_is_set_upright(tmp_path, form, orientation):
    image = Image.fromarray(pixels(8))
    block = Image.Exif()
    block[0x0112] = orientation
    image.save(tmp_path / "picture", form, exif=block.tobytes() if form != "TIFF" else block)
    expected = np.asarray(ImageOps.exif_transpose(Image.open(tmp_path / "picture")))
    original = read(tmp_path / "picture")
    assert (original.facts.height, original.facts.width) == expected.shape[:2]
    assert np.abs(original.raw.astype(int) - expected).max() <= (2 if form == "JPEG" else 0)


def test_grey_files_are_read_as_neutral(tmp_path):
    values = pixels(16)[..., 0]
    tifffile.imwrite(tmp_path / "grey.tif", values, photometric="minisblack")
    Image.fromarray((values >> 8).astype(np.uint8)).save(tmp_path / "grey.png")
    for name, bits in (("grey.tif", 16), ("grey.png", 8)):
        original = read(tmp_path / name)
        assert (original.facts.bits, original.facts.channels) == (bits, 1)
        working = original.to_working(original.raw)
        assert working.shape == (90, 120, 3)
        assert np.ptp(working, axis=2).max() < 1e-5
        assert Decoded(original).read(Frame(120, 90, 5, 6, 30, 20)).shape == (20, 30, 3)


def test_transparency_is_laid_on_white(tmp_path):
    rgba = np.dstack([pixels(8), np.zeros((90, 120), np.uint8)])
    Image.fromarray(rgba).save(tmp_path / "clear.png")
    assert (read(tmp_path / "clear.png").raw == 255).all()


def broken(path, name):
    """Files that cannot be opened, by what is wrong with them."""
    good = bytes_of("PNG")
    if name == "empty":
        path.write_bytes(b"")
    elif name == "text":
        path.write_text("This is a letter, not a picture.")
    elif name == "cut short jpeg":
        path.write_bytes(bytes_of("JPEG", quality=95)[:4000])
    elif name == "cut short png":
        path.write_bytes(good[: len(good) // 2])
    elif name == "cut short tiff":
        path.write_bytes(bytes_of("TIFF")[:100_000])
    elif name == "only a start":
        path.write_bytes(good[:20])
    elif name == "damaged png":
        path.write_bytes(good[:400] + bytes(200) + good[600:])
    elif name == "too many pixels":
        header = good[12:16] + struct.pack(">II", 60_000, 60_000) + good[24:29]
        path.write_bytes(good[:12] + header + struct.pack(">I", zlib.crc32(header)) + good[33:])
    elif name == "tiny":
        file_of(path, "PNG", 8, 8)
    elif name == "cmyk jpeg":
        Image.new("CMYK", (60, 60)).save(path, "JPEG")
    elif name == "cmyk tiff":
        Image.new("CMYK", (60, 60)).save(path, "TIFF")
    elif name == "float tiff":
        tifffile.imwrite(path, np.zeros((60, 60, 3), np.float32), photometric="rgb")
    elif name == "grey profile":
        file_of(path, "PNG", icc_profile=imagecodecs.cms_profile("gray", gamma=2.2))
    elif name == "bad profile":
        file_of(path, "PNG", icc_profile=b"x" * 200)
    return path


@pytest.mark.parametrize(
    ("name", "words"),
    [
        ("empty", "empty"),
        ("text", "not a JPEG, PNG, TIFF"),
        ("cut short jpeg", "breaks off"),
        ("cut short png", "breaks off"),
        ("cut short tiff", "damaged"),
        ("only a start", "damaged"),
        ("damaged png", "damaged"),
        ("too many pixels", "3,600 million pixels"),
        ("tiny", "too small"),
        ("cmyk jpeg", "CMYK"),
        ("cmyk tiff", "CMYK"),
        ("float tiff", "another kind"),
        ("bad profile", "profile"),
        ("grey profile", "profile for grey"),
    ],
)
def test_bad_files_get_a_sentence(tmp_path, name, words):
    with pytest.raises(PictureError, match=words) as caught:
        read(broken(tmp_path / "file", name))
    assert str(caught.value).endswith(".")
    assert "\n" not in str(caught.value)


def test_too_many_pixels_are_refused_before_anything_is_decoded(tmp_path, monkeypatch):
    monkeypatch.setattr(reading, "_vips", lambda *a: pytest.fail("decoded"))
    with pytest.raises(PictureError, match="million"):
        look(broken(tmp_path / "file", "too many pixels"))


@pytest.mark.parametrize("form", ["png", "tiff"])
def test_an_empty_sheet_gives_the_picture_back(tmp_path, form):
    values = pixels(16)
    write(tmp_path / "in", values, form, profile_bytes(DISPLAY_P3), exif(6))
    original = read(tmp_path / "in")
    export(original, Sheet(), Order("png", 16, "original"), tmp_path / "out")
    back = read(tmp_path / "out")
    # A fiftieth of an 8-bit step is five steps of 16 bits.
    assert np.abs(back.raw.astype(int) - original.raw).max() <= 5
    assert back.icc == original.icc


@pytest.mark.parametrize(("form", "bits"), [("jpeg", 8), ("png", 8), ("png", 16), ("tiff", 8), ("tiff", 16)])
def test_exports_keep_camera_data_and_settle_orientation(tmp_path, form, bits):
    write(tmp_path / "in", pixels(8), "jpeg", profile_bytes(SRGB), exif(6))
    seen = []
    export(read(tmp_path / "in"), Sheet(), Order(form, bits, "display-p3"), tmp_path / "out", seen.append)
    facts = look(tmp_path / "out")
    assert (facts.width, facts.height, facts.bits) == (90, 120, bits)
    assert (facts.orientation, facts.profile) == (1, "Display P3")
    assert facts.camera["exposure"] == "1/160 s"
    assert seen == sorted(seen)
    assert seen[-1] == 1


def test_wide_colours_survive_into_display_p3_and_are_clipped_only_at_the_end(tmp_path):
    red = np.zeros((40, 40, 3), np.uint16)
    red[..., 0] = 65535
    write(tmp_path / "in", red, "png", profile_bytes(DISPLAY_P3), b"")
    up_down = [{"id": f"t{i}", "kind": "exposure", "settings": {"ev": ev}} for i, ev in enumerate((2, -2))]
    sheet = read_sheet({"format": "needlepoint-sheet", "version": 1, "touches": up_down})
    export(read(tmp_path / "in"), sheet, Order("png", 16, "display-p3"), tmp_path / "out")
    assert np.abs(read(tmp_path / "out").raw.astype(int) - red).max() <= 40


def test_a_jpeg_of_16_bits_is_refused():
    with pytest.raises(PictureError, match="8 bits"):
        Order("jpeg", 16)


def test_a_profile_that_came_with_the_file_is_the_one_that_is_used(tmp_path):
    data = bytes_of("PNG", icc_profile=profile_bytes(DISPLAY_P3))
    (tmp_path / "in").write_bytes(data)
    original = read(tmp_path / "in")
    plain = np.asarray(Image.open(io.BytesIO(data)))
    expected = read_profile(profile_bytes(DISPLAY_P3)).to_working((plain / np.float32(255)).astype(np.float32))
    np.testing.assert_allclose(original.to_working(original.raw), expected, atol=1e-6)


def test_camera_data_larger_than_any_cameras_are_left_out_and_the_picture_opens(tmp_path):
    entries = 40_000
    block = b"Exif\0\0II*\0\x08\0\0\0" + struct.pack("<H", entries)
    block += b"".join(struct.pack("<HHII", 0x9000 + n % 4000, 4, 1, n) for n in range(entries)) + b"\0" * 100_000
    path = tmp_path / "heavy.png"
    Image.fromarray(np.zeros((40, 50, 3), np.uint8)).save(path, exif=block)
    original = read(path)
    assert (original.facts.width, original.exif) == (50, b"")


def test_what_a_file_says_of_itself_is_made_of_signs_that_can_be_kept(tmp_path):
    exif = Image.Exif()
    exif[0x010F], exif[0x0110] = "Mar\0sh", "Mar\0sh \x1b[31m One"
    path = file_of(tmp_path / "a.jpg", "JPEG", exif=exif.tobytes())
    assert look(path).camera["camera"] == "Marsh [31m One"
    profile = bytearray(132)
    profile[16:20], profile[36:40] = b"L\0b ", b"acsp"
    with pytest.raises(PictureError, match="carries a Lb colour profile"):
        read_profile(bytes(profile))
