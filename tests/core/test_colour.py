"""Colour against independent references: colour-science and littleCMS."""

import struct

import colour
import imagecodecs
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from retouch.colour import encoding, icc, logs, oklab, spaces
from retouch.types import PictureError

REFERENCE = {
    spaces.SRGB: "sRGB",
    spaces.DISPLAY_P3: "Display P3",
    spaces.REC2020: "ITU-R BT.2020",
}


def test_the_encoding_is_the_srgb_curve():
    linear = np.linspace(0, 1, 1001)
    np.testing.assert_allclose(encoding.encode(linear), colour.models.eotf_inverse_sRGB(linear), atol=1e-9)
    np.testing.assert_allclose(encoding.decode(linear), colour.models.eotf_sRGB(linear), atol=1e-9)


@pytest.mark.parametrize(("most", "off"), [(0.9, 4e-5), (2.0, 2e-3)])
def test_the_near_exponential_is_as_right_as_it_says(most, off):
    for v in np.linspace(-most, most, 101, dtype=np.float32):
        assert logs.exp_of(v) == pytest.approx(np.exp(float(v)), rel=off)


@given(st.floats(-20, 20))
def test_the_encoding_is_odd_unclipped_and_undone_by_decoding(value):
    x = np.array([value])
    assert encoding.encode(-x)[0] == -encoding.encode(x)[0]
    assert encoding.decode(encoding.encode(x))[0] == pytest.approx(value, rel=1e-6, abs=1e-6)


@pytest.mark.parametrize("space", REFERENCE)
def test_matrices_follow_from_the_primaries(space):
    expected = colour.RGB_COLOURSPACES[REFERENCE[space]]
    np.testing.assert_allclose(spaces.to_xyz(space), expected.matrix_RGB_to_XYZ, atol=2e-4)


def test_adaptation_is_bradford():
    d65 = spaces.white_xyz(spaces.D65)
    expected = colour.adaptation.matrix_chromatic_adaptation_VonKries(d65, spaces.D50_XYZ, "Bradford")
    np.testing.assert_allclose(spaces.adaptation(d65, spaces.D50_XYZ), expected, atol=1e-6)


def test_whites_map_to_each_other():
    for space in REFERENCE:
        np.testing.assert_allclose(spaces.between(space, spaces.WORKING) @ np.ones(3), np.ones(3), atol=1e-12)


def test_oklab_agrees_with_colour_science():
    rng = np.random.default_rng(3)
    encoded = rng.random((200, 3))
    xyz = encoding.decode(encoded) @ spaces.to_xyz(spaces.WORKING).T
    np.testing.assert_allclose(oklab.to_oklab(encoded), colour.XYZ_to_Oklab(xyz), atol=4e-4)


def test_oklab_of_white_and_grey_is_neutral():
    grey = np.repeat(np.linspace(0, 1.5, 30)[:, None], 3, axis=1)
    lab = oklab.to_oklab(grey)
    np.testing.assert_allclose(lab[:, 1:], 0, atol=1e-4)
    assert oklab.to_oklab(np.ones(3))[0] == pytest.approx(1, abs=1e-6)


@given(st.lists(st.floats(-0.2, 3), min_size=3, max_size=3))
def test_oklab_comes_back(colours):
    x = np.array(colours)
    np.testing.assert_allclose(oklab.from_oklab(oklab.to_oklab(x)), x, atol=1e-6)


def lcms(colours, source, target):
    return imagecodecs.cms_transform(
        colours.astype(np.float32).reshape(1, -1, 3), source, target,
        colorspace="rgb", outcolorspace="rgb", outdtype="float32", intent=1,
    ).reshape(colours.shape)  # fmt: skip


def test_our_profiles_mean_the_same_to_littlecms():
    rng = np.random.default_rng(1)
    device = rng.random((500, 3)).astype(np.float32)
    p3, working = icc.profile_bytes(spaces.DISPLAY_P3), icc.profile_bytes(spaces.WORKING)
    expected = lcms(device, p3, working)
    np.testing.assert_allclose(icc.read_profile(p3).to_working(device), expected, atol=1e-4)
    np.testing.assert_allclose(icc.P3_PROFILE.to_working(device), expected, atol=1e-4)


@pytest.mark.parametrize("most", [255, 65535])
@pytest.mark.parametrize("channels", [1, 3])
def test_numbers_of_a_file_are_the_colours_that_its_profile_says(most, channels):
    dtype = np.uint8 if most == 255 else np.uint16
    raw = np.random.default_rng(1).integers(0, most + 1, (40, 30, channels)).astype(dtype)
    raw[0, 0], raw[0, 1] = 0, most
    for profile in (icc.P3_PROFILE, icc.linear_working(4.0), icc.read_profile(icc.profile_bytes(spaces.SRGB))):
        wanted = profile.to_working(raw.astype(np.float32) / np.float32(most))
        np.testing.assert_allclose(profile.numbers_to_working(raw), wanted, atol=2e-6)


def test_a_profile_goes_there_and_back():
    rng = np.random.default_rng(2)
    device = rng.random((300, 3))
    for data in (imagecodecs.cms_profile("srgb"), icc.profile_bytes(spaces.DISPLAY_P3), with_curve(gamma_curve(2.2))):
        profile = icc.read_profile(data)
        np.testing.assert_allclose(profile.from_working(profile.to_working(device)), device, atol=2e-6)
        encoded = profile.to_working(device).astype(np.float32)[None]
        np.testing.assert_allclose(profile.eight_from_working(encoded)[0], device * 255, atol=1)


def with_curve(curve: bytes) -> bytes:
    """Our sRGB profile with another tone curve in all three channels."""
    data = icc.profile_bytes(spaces.SRGB)
    at = len(data)
    out = bytearray(data + curve)
    for i in range(9):
        entry = 132 + 12 * i
        if bytes(out[entry : entry + 4]) in (b"rTRC", b"gTRC", b"bTRC"):
            struct.pack_into(">II", out, entry + 4, at, len(curve))
    struct.pack_into(">I", out, 0, len(out))
    return bytes(out)


def gamma_curve(gamma: float) -> bytes:
    return struct.pack(">4sIIH2x", b"curv", 0, 1, round(gamma * 256))


def parametric(function: int, *values: float) -> bytes:
    return struct.pack(f">4sIH2x{len(values)}i", b"para", 0, function, *(round(v * 65536) for v in values))


def sampled(values: np.ndarray) -> bytes:
    data = (values * 65535).round().astype(">u2").tobytes()
    return struct.pack(">4sII", b"curv", 0, len(values)) + data + b"\0" * (-len(data) % 4)


@pytest.mark.parametrize(
    "curve",
    [
        struct.pack(">4sII", b"curv", 0, 0),
        gamma_curve(1.8),
        sampled(np.linspace(0, 1, 300) ** 2.1),
        parametric(0, 2.2),
        parametric(1, 2.4, 0.95, 0.05),
        parametric(3, 2.4, 0.948, 0.052, 0.0774, 0.04045),
        parametric(4, 2.2, 0.95, 0.05, 0.10, 0.05, 0.01, 0.004),
    ],
    ids=["straight", "gamma", "sampled", "para 0", "para 1", "para 3", "para 4"],
)
def test_every_kind_of_tone_curve_is_read_as_littlecms_reads_it(curve):
    data = with_curve(curve)
    device = np.repeat(np.linspace(0.02, 0.98, 97)[:, None], 3, axis=1)
    expected = lcms(device, data, icc.profile_bytes(spaces.WORKING))
    np.testing.assert_allclose(icc.read_profile(data).to_working(device), expected, atol=3e-4)


def table_profile() -> bytes:
    """A profile of tables: a two-node cube that is linear sRGB, so that every interpolation of it is exact."""
    matrix = spaces.to_pcs(spaces.SRGB)
    corners = [matrix @ np.array([r, g, b]) for r in (0, 1) for g in (0, 1) for b in (0, 1)]
    cube = (np.array(corners) / (1 + 32767 / 32768) * 65535).round().astype(">u2").tobytes()
    ramp = np.array([0, 65535], ">u2").tobytes() * 3
    lut = struct.pack(">4sI4B9i2H", b"mft2", 0, 3, 3, 2, 0, *(65536 if i in (0, 4, 8) else 0 for i in range(9)), 2, 2)
    lut += ramp + cube + ramp
    base = icc.profile_bytes(spaces.SRGB)
    tags = {base[132 + 12 * i : 136 + 12 * i]: struct.unpack_from(">II", base, 136 + 12 * i) for i in range(9)}
    bodies = {t: base[o : o + s] for t, (o, s) in tags.items() if t in (b"desc", b"cprt", b"wtpt")} | {b"A2B0": lut}
    table, body, start = b"", b"", 132 + 12 * len(bodies)
    for signature, content in bodies.items():
        table += struct.pack(">4sII", signature, start + len(body), len(content))
        body += content + b"\0" * (-len(content) % 4)
    return struct.pack(">I", start + len(body)) + base[4:128] + struct.pack(">I", len(bodies)) + table + body


def test_a_profile_of_tables_goes_through_littlecms_in_float():
    profile = icc.read_profile(table_profile())
    assert isinstance(profile, icc.Table)
    device = np.random.default_rng(5).random((200, 3)).astype(np.float32)
    expected = encoding.encode(device @ spaces.between(spaces.SRGB, spaces.WORKING).T)
    np.testing.assert_allclose(profile.to_working(device), expected, atol=2e-3)


@pytest.mark.parametrize(
    ("damage", "words"),
    [
        (lambda d: d[:100], "damaged"),
        (lambda d: d[:36] + b"xxxx" + d[40:], "damaged"),
        (lambda d: d[:16] + b"CMYK" + d[20:], "CMYK"),
        (lambda d: d[:128] + b"\xff\xff\xff\xff" + d[132:], "cannot be read"),
        (lambda d: d[:300], "cannot be read"),
    ],
    ids=["short", "no signature", "cmyk", "many tags", "cut off"],
)
def test_bad_profiles_get_a_sentence(damage, words):
    with pytest.raises(PictureError, match=words):
        icc.read_profile(damage(icc.profile_bytes(spaces.SRGB)))
