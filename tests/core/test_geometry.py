"""Turned, straightened, cropped: the finished picture is a rectangle laid on the upright original."""

import cv2
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from retouch.files.reading import read
from retouch.frame import Frame
from retouch.render.cache import Cache
from retouch.render.export import Order, export
from retouch.render.plan import Renderer
from retouch.render.spread import changed
from retouch.shape.geometry import Geometry, Placing
from retouch.sheet import Sheet, read_sheet
from retouch.sheet.telling import told
from tests.pictures import Held, grainy, smooth

WIDTH, HEIGHT = 300, 200
PICTURE = Held(grainy(WIDTH, HEIGHT))
CUT = {"centre": [0.4, 0.3], "size": [0.35, 0.25]}
GEOMETRIES = [
    {"turns": 1}, {"turns": 2}, {"turns": 3}, {"crop": CUT}, {"turns": 1, "crop": CUT}, {"turns": 3, "crop": CUT},
    {"straighten": 4.0}, {"turns": 1, "straighten": -7.5, "crop": CUT},
]  # fmt: skip
LIFT = {"id": "t", "kind": "exposure", "settings": {"ev": 0.5}, "area": "a"}
POOL = {"id": "a", "parts": [{"source": "pool", "centre": [0.45, 0.3], "radii": [0.2, 0.1], "softness": 0.5}]}
PUSH = {
    "id": "m",
    "kind": "reshape",
    "settings": {"strokes": [{"size": 0.3, "points": [[0.4, 0.3, 1], [0.45, 0.32, 1]]}]},
}


def sheet_of(geometry, *touches):
    raw = {"format": "needlepoint-sheet", "version": 3, "areas": [POOL], "touches": list(touches)}
    return read_sheet(raw | {"geometry": geometry})


def drawn(geometry, *touches, at=None, picture=PICTURE):
    renderer = Renderer(picture, sheet_of(geometry, *touches))
    return renderer.draw(at or Frame.whole(*renderer.size))


@pytest.mark.parametrize("turns", [0, 1, 2, 3])
def test_quarters_are_exact_and_four_of_them_are_none(turns):
    out = drawn({"turns": turns}, LIFT)
    np.testing.assert_array_equal(out, np.rot90(drawn({}, LIFT), -turns))
    assert Geometry(turns=turns).turned(4 - turns).neutral


@pytest.mark.parametrize("turns", [0, 1, 2, 3])
def test_a_crop_cuts_pixels_out_as_they_are(turns):
    turned = np.rot90(drawn({}, LIFT), -turns)
    centre = {0: (150, 75), 1: (125, 150), 2: (150, 125), 3: (75, 150)}[turns]
    crop = {"centre": [150 / WIDTH, 75 / WIDTH], "size": [90 / WIDTH, 60 / WIDTH]}
    out = drawn({"turns": turns, "crop": crop}, LIFT)
    x, y = centre[0] - 45, centre[1] - 30
    np.testing.assert_array_equal(out, turned[y : y + 60, x : x + 90])


@pytest.mark.parametrize("geometry", GEOMETRIES)
@pytest.mark.parametrize("touches", [(LIFT,), (LIFT, PUSH)])
def test_rectangles_and_bands_are_the_whole(geometry, touches):
    renderer = Renderer(PICTURE, sheet_of(geometry, *touches), Cache())
    for whole in (Frame.whole(*renderer.size), renderer.finished(0.6 * max(renderer.size))):
        out = renderer.draw(whole)
        dab = Frame(*whole.scale, whole.w // 3, whole.h // 4, whole.w // 3, whole.h // 2)
        for part in (dab, whole.rows(7, whole.h // 2)):
            alone = Renderer(PICTURE, sheet_of(geometry, *touches)).draw(part)
            np.testing.assert_allclose(alone, out[part.slices_in(whole)], atol=3e-6)


def test_straightening_turns_a_line_level_and_leaves_no_corner_empty():
    # A bright line that rises to the right by five degrees, turned to the right by them.
    tilted = np.full((HEIGHT, WIDTH, 3), 0.3, np.float32)
    y, x = np.mgrid[:HEIGHT, :WIDTH]
    tilted += 0.5 * np.exp(-(((y - 100) + (x - 150) * np.tan(np.radians(5))) ** 2) / 18)[..., None].astype(np.float32)
    out = drawn({"straighten": 5}, picture=Held(tilted))
    ridges = out[..., 1].argmax(axis=0)
    assert np.ptp(ridges) <= 1
    assert out.shape[1] / out.shape[0] == pytest.approx(WIDTH / HEIGHT, rel=0.01)
    # Beyond the picture its border would go on: a bright frame round the original never shows more than its own ramp.
    framed = np.full((HEIGHT, WIDTH, 3), 0.3, np.float32)
    framed[[0, -1]], framed[:, [0, -1]] = 0.9, 0.9
    for angle in (-15, -3, 8, 15):
        inner = drawn({"straighten": angle}, picture=Held(framed))
        assert (inner[2:-2, 2:-2] < 0.5).all()


@given(
    st.integers(0, 3),
    st.floats(-15, 15),
    st.floats(0, 1),
    st.floats(0, 0.7),
    st.floats(0.02, 1.5),
    st.floats(0.02, 1.5),
)
def test_what_is_cut_out_always_lies_on_the_picture_and_keeps_its_proportions(turns, angle, x, y, w, h):
    geometry = Geometry(turns=turns, straighten=angle, crop={"centre": (x, y), "size": (w, h)})
    placing = Placing(geometry, 600, 400)
    cx, cy, wide, high = placing.box
    assert wide * h == pytest.approx(high * w, abs=1e-9)
    corners = [placing._back(a * wide / 2, b * high / 2) for a in (-1, 1) for b in (-1, 1)]
    for dx, dy in corners:
        assert -1e-6 <= cx + dx <= 1 + 1e-6
        assert -1e-6 <= cy + dy <= 400 / 600 + 1e-6
    width, height = placing.size
    rect = Frame(width, height, width // 3, height // 3, max(1, width // 3), max(1, height // 3))
    upright = placing.upright(rect)
    assert upright.x >= 0
    assert upright.y >= 0
    assert upright.x + upright.w <= upright.width
    assert upright.y + upright.h <= upright.height
    # What is seen of it holds the rectangle that it was asked for.
    assert placing.seen(upright, rect).joined(rect) == placing.seen(upright, rect)


@pytest.mark.parametrize("geometry", GEOMETRIES)
def test_an_area_lies_where_its_content_lies(geometry):
    renderer = Renderer(PICTURE, sheet_of(geometry, LIFT))
    whole = Frame.whole(*renderer.size)
    covered = renderer.shapes.shown(lambda frame: renderer.area("a", frame), whole)
    lifted = renderer.draw(whole) - drawn(geometry)
    assert ((np.abs(lifted).max(-1) > 1e-3) == (covered > 0.01))[covered != 0].mean() > 0.98
    assert np.abs(lifted[covered == 0]).max(initial=0) < 1e-3


@pytest.mark.parametrize("geometry", GEOMETRIES)
def test_a_dab_reaches_what_it_changes_on_the_finished_picture(geometry):
    before, after = (Renderer(PICTURE, sheet_of(geometry, LIFT | {"settings": {"ev": ev}})) for ev in (0.5, 0.7))
    whole = Frame.whole(*after.size)
    upright = after.shapes.placing.upright(whole)
    new = Frame.whole(*upright.scale).within(0.2, 0.15, 0.7, 0.45)
    rect = changed(after, "a", new, whole).met(whole)
    differs = np.abs(after.draw(whole) - before.draw(whole)).max(-1) > 1e-5
    differs[rect.slices_in(whole)] = False
    assert not differs.any()


@pytest.mark.parametrize("geometry", [{"turns": 1, "crop": CUT}, {"straighten": 6}])
def test_a_file_is_the_view_and_a_smaller_one_looks_like_it(geometry, tmp_path):
    path = tmp_path / "p.tif"
    picture = smooth(WIDTH, HEIGHT)
    cv2.imwrite(str(path), (picture[..., ::-1] * 65535 + 0.5).astype(np.uint16))
    original, sheet = read(path), sheet_of(geometry, LIFT)
    sizes = []
    for order in (Order("tiff", 16), Order("tiff", 16, by="long", amount=60)):
        export(original, sheet, order, tmp_path / "out.tif", found=lambda _: None)
        sizes.append(cv2.imread(str(tmp_path / "out.tif"), cv2.IMREAD_UNCHANGED))
    placing = Placing(sheet.geometry, WIDTH, HEIGHT)
    assert sizes[0].shape[1::-1] == placing.size
    assert max(sizes[1].shape) == 60
    reduced = cv2.resize(sizes[0], sizes[1].shape[1::-1], interpolation=cv2.INTER_AREA)
    assert np.abs(reduced.astype(int) - sizes[1]).mean() < 0.01 * 65535


def test_a_sheet_of_before_is_whole_and_upright():
    raw = {"format": "needlepoint-sheet", "version": 2, "areas": [POOL], "touches": [LIFT]}
    assert read_sheet(raw).geometry == Sheet().geometry
    assert read_sheet(raw).geometry.neutral


def test_a_geometry_is_told_last():
    said = [words for _, words in told(sheet_of({"turns": 3, "straighten": -2, "crop": CUT}, LIFT))]
    assert said[-1] == "The picture is turned to the left, straightened by 2.0° to the left and cropped"
    assert len(list(told(sheet_of({}, LIFT)))) == 1
