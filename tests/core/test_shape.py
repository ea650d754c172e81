"""Shapes: one to one, there and back, pinned, over their surroundings, and last of all."""

from base64 import b64encode
from pathlib import Path

import cv2
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from retouch.files.reading import read
from retouch.frame import Frame
from retouch.render.export import profile_for
from retouch.render.output import to_file
from retouch.render.picture import Decoded
from retouch.render.plan import Renderer
from retouch.shape.field import LEAST, Field, at_places, grid_of, least_share
from retouch.shape.forms import FaceForm
from retouch.sheet import read_sheet
from retouch.touches.reshape import Reshape, ShapeStroke
from retouch.types import Encoded
from tests.core.test_families import Held

PAIRS = Path(__file__).parents[2] / "demo" / "pairs"
WIDTH, HEIGHT = 600, 750
FULL = Frame.whole(WIDTH, HEIGHT)
GRID = grid_of(WIDTH, HEIGHT)
X, Y = FULL.places()


def picture_of(kind: str) -> Held:
    """Lines two pixels apart, or soft tones of many sizes."""
    y, x = np.mgrid[:HEIGHT, :WIDTH]
    if kind == "lines":
        tone = 0.5 + 0.3 * ((x // 4) % 2)
    else:
        tone = 0.5 + 0.15 * np.sin(x / 9) * np.cos(y / 13) + 0.1 * np.sin((x + y) / 31)
    return Held(Encoded(np.repeat(tone[..., None], 3, axis=2).astype(np.float32)))


SOFT, LINES = picture_of("soft"), picture_of("lines")


def stroke(*places, does="push", size=0.2, flow=1.0, **more):
    return {"does": does, "size": size, "softness": 0.7, "flow": flow, "points": [[*p, 1] for p in places], **more}


def sheet_of(*strokes, areas=(), **more):
    touch = {"id": "s", "kind": "reshape", "settings": {"strokes": list(strokes), **more.pop("settings", {})}, **more}
    return read_sheet({"format": "needlepoint-sheet", "version": 2, "areas": list(areas), "touches": [touch]})


def drawn(picture, sheet, frame=FULL):
    return Renderer(picture, sheet).draw(frame)


PUSH = stroke((0.4, 0.4), (0.44, 0.41))
BACK = stroke((0.44, 0.41), (0.4, 0.4))
POOL = {"id": "a", "parts": [{"source": "pool", "centre": [0.4, 0.5], "radii": [0.15, 0.15], "softness": 0.2}]}


def test_nothing_and_there_and_back():
    np.testing.assert_array_equal(drawn(SOFT, sheet_of()), SOFT.colours)
    there = drawn(SOFT, sheet_of(PUSH))
    assert np.abs(there - SOFT.colours).max() > 0.1
    again = drawn(SOFT, sheet_of(PUSH, BACK))
    assert np.abs(again - SOFT.colours).mean() < 0.3 / 255
    np.testing.assert_allclose(again, SOFT.colours, atol=2 / 255)
    # Giving back and smoothing out take it back as well, the weaker the more is left.
    whole = stroke(*[(0.35 + 0.02 * n, 0.4) for n in range(8)] * 4, does="back", size=0.6)
    given_back = drawn(SOFT, sheet_of(PUSH, whole))
    assert np.abs(given_back - SOFT.colours).max() < 0.2 * np.abs(there - SOFT.colours).max()


def test_outside_its_reach_a_pattern_stays_to_the_bit():
    out = drawn(LINES, sheet_of(PUSH))
    far = np.hypot(X[None, :] - 0.42, Y[:, None] - 0.405) > 0.14
    np.testing.assert_array_equal(out[far], LINES.colours[far])
    assert np.abs(out - LINES.colours).max() > 0.2


def test_what_was_under_the_brush_goes_along_with_it():
    dot = np.full((HEIGHT, WIDTH, 3), 0.2, np.float32)
    dot[298:303, 298:303] = 0.8
    moved = drawn(Held(Encoded(dot)), sheet_of(stroke((0.4, 0.4), (0.43, 0.4), size=0.16)))[..., 0] - 0.2
    middle = (moved * X[None, :]).sum() / moved.sum()
    assert middle == pytest.approx(0.4005 + 0.03, abs=0.002)


def test_a_pinned_area_never_moves():
    sheet = sheet_of(stroke((0.3, 0.5), (0.36, 0.5), size=0.3), areas=[POOL], settings={"pinned": "a"})
    renderer = Renderer(LINES, sheet)
    inside = renderer.area("a", FULL) == 1
    x, y = (v[inside] for v in np.meshgrid(X, Y))
    bx, by = renderer.shapes.back(x, y)
    assert np.hypot(bx - x, by - y).max() * HEIGHT <= 0.1
    assert np.abs(renderer.draw(FULL) - LINES.colours)[~inside].max() > 0.2


PLACES = st.tuples(st.floats(0.1, 0.7), st.floats(0.1, 0.9))
STROKES = st.builds(
    lambda does, ends, size, flow, softness: ShapeStroke(
        does=does, size=size, flow=flow, softness=softness, points=[(*p, 1.0) for p in ends]
    ),
    st.sampled_from(["push", "swell", "draw-in", "turn", "turn-back", "smooth", "back"]),
    st.lists(PLACES, min_size=1, max_size=5),
    st.floats(0.05, 0.5), st.floats(0.1, 1), st.floats(0, 1),
)  # fmt: skip


@settings(max_examples=15, deadline=None)
@given(st.lists(STROKES, min_size=1, max_size=5), st.floats(0.1, 1))
def test_no_picture_folds_whatever_is_done_and_however_weakly(strokes, strength):
    kind = Reshape(strokes=strokes)
    moves = kind.bent(GRID, None, "", Renderer(SOFT, sheet_of()))[..., :2] * strength
    x, y = np.meshgrid(*GRID.places())
    assert least_share(x + moves[..., 0], y + moves[..., 1], GRID.unit) >= LEAST - 1e-3
    # Between the nodes as well.
    fine = Frame.whole(GRID.width * 2, GRID.height * 2)
    x, y = np.meshgrid(*fine.places())
    dx, dy = at_places(np.ascontiguousarray(moves), x, y)
    assert least_share(x + dx, y + dy, fine.unit) > 0.1


def test_a_stroke_that_would_fold_the_picture_ends_and_says_so():
    far = stroke((0.3, 0.5), (0.5, 0.5), size=0.1)
    renderer = Renderer(SOFT, sheet_of(far))
    renderer.draw(FULL)
    assert renderer.shapes.ended == ["s"]
    calm = Renderer(SOFT, sheet_of(PUSH))
    calm.draw(FULL)
    assert calm.shapes.ended == []


def test_no_stroke_takes_longer_than_somebody_waits_and_no_shape_holds_without_end():
    to_and_fro = [(0.1 + 0.6 * (n % 2), 0.5, 1.0) for n in range(300)]
    for size in (0.005, 0.1, 1.0):
        endless = ShapeStroke(size=size, points=to_and_fro)
        assert endless.cost < 5e7
        assert sum(1 for _ in endless.dabs()) * min(1, size) ** 2 * 640**2 < 5e7
    with pytest.raises(ValueError, match="begin another shape"):
        Reshape(strokes=[endless] * 20)


@pytest.mark.parametrize("area", [None, "a"])
@pytest.mark.parametrize("lying", [False, True])
def test_a_place_is_found_again_within_a_twentieth_of_a_pixel(area, lying):
    strokes = stroke((0.4, 0.45), (0.43, 0.5), size=0.3), stroke((0.35, 0.5), does="swell", size=0.3)
    picture = Held(Encoded(np.ascontiguousarray(SOFT.colours.swapaxes(0, 1)))) if lying else SOFT
    renderer = Renderer(picture, sheet_of(*strokes, areas=[POOL], area=area))
    x, y = np.meshgrid(np.linspace(0.02, 0.78, 90), np.linspace(0.02, 0.98, 90))
    x, y = (y, x) if lying else (x, y)
    bx, by = renderer.shapes.back(x, y)
    assert np.hypot(bx - x, by - y).max() > 0.01
    fx, fy = renderer.shapes.forth(bx, by)
    away = np.hypot(fx - x, fy - y)
    if area is not None:
        # Where the thing was and is no longer, what lies behind it is seen, which lies nowhere in the original.
        whole = renderer.scaled(2000)
        covered = renderer.shapes.covered(whole)[0].covered
        rows, columns = (np.clip((v * whole.unit).astype(int), 0, whole.unit) for v in (by, bx))
        left = (bx == x) & (by == y) & (covered[rows, columns] > 0.4)
        assert left.mean() < 0.02
        away = away[~left]
    assert away.max() * HEIGHT <= 0.05


def test_a_thing_moves_over_its_surroundings_which_stay():
    round_thing = {"id": "a", "parts": [POOL["parts"][0] | {"radii": [0.1, 0.1]}]}
    sheet = sheet_of(*[stroke(*[(0.4, 0.5)] * 2, does="swell", size=0.5)] * 4, areas=[round_thing], area="a")
    covered = Renderer(LINES, sheet).area("a", FULL)[..., None]
    red = np.array((0.7, 0.2, 0.1), np.float32)
    picture = Held(Encoded(covered * red + (1 - covered) * LINES.colours))
    renderer = Renderer(picture, sheet)
    out = renderer.draw(FULL)
    now = renderer.shapes.shown(lambda frame: renderer.area("a", frame), FULL)
    assert (now > 0.5).sum() > 1.2 * (covered > 0.5).sum()
    # Where nothing of it lies, lines stay lines; where it lies whole, it is seen alone.
    beside = (cv2.dilate(now, np.ones((5, 5))) == 0) & (covered[..., 0] == 0)
    assert beside.mean() > 0.8
    assert np.abs(out - picture.colours)[beside].max() <= 1 / 255
    assert np.abs(out[now > 0.999] - red).max() < 0.02
    # Drawn in, what lay behind it is continued and nothing of it is left.
    draws_in = [stroke((0.4, 0.5), does="draw-in", size=0.5)] * 4
    small = Renderer(picture, sheet_of(*draws_in, areas=[round_thing], area="a"))
    left = small.shapes.shown(lambda frame: small.area("a", frame), FULL)
    bare = (covered[..., 0] > 0.5) & (left < 0.001)
    assert bare.sum() > 300
    assert np.abs(small.draw(FULL)[bare] - LINES.colours.mean((0, 1))).max() < 0.2


def test_hair_swells_towards_the_same_sitters_fuller_hair_before_the_same_backdrop():
    plain, full = (read(PAIRS / f"fuller-hair-{which}.jpg") for which in ("without", "with"))
    masks = [cv2.imread(str(PAIRS / f"fuller-hair-{which}.png"), 0) / np.float32(255) for which in ("without", "with")]
    png = b64encode((PAIRS / "fuller-hair-without.png").read_bytes()).decode()
    hair = {"id": "a", "parts": [{"source": "file", "png": png}]}
    swells = [stroke(*[(x, 0.62) for x in np.linspace(0, 1, 9)], does="swell", size=0.6, flow=1)] * 3
    renderer = Renderer(Decoded(plain), sheet_of(*swells, areas=[hair], area="a"))
    whole = Frame.whole(800, 800)
    out = to_file(renderer.draw(whole), profile_for("srgb", plain)[0], 8).astype(int)
    now = renderer.shapes.shown(lambda frame: renderer.area("a", frame), whole)

    def alike(a, b):
        return np.minimum(a, b).sum() / np.maximum(a, b).sum()

    # It comes to lie much more as the fuller hair does; the backdrop beside it is that of the picture, to the step.
    assert alike(now, masks[1]) > alike(*masks) + 0.04
    bare = cv2.dilate(np.maximum.reduce([now, *masks]), np.ones((5, 5))) < 0.004
    assert bare.mean() > 0.3
    assert np.abs(out - plain.raw)[bare].max() <= 1
    # As far from the fuller one's as the two pictures' own noise.
    assert np.abs(out - full.raw)[bare].mean() < np.abs(plain.raw.astype(int) - full.raw)[bare].mean() + 0.02


@pytest.mark.parametrize("second", ["a", "b", None])
def test_two_shapes_of_one_sheet_go_together(second):
    areas = [POOL, {"id": "b", "parts": [POOL["parts"][0] | {"centre": [0.45, 0.45]}]}]
    base = sheet_of(PUSH, areas=areas, area="a")
    more = sheet_of(stroke((0.4, 0.5), (0.42, 0.54)), areas=areas, area=second).touches[0]
    sheet = base.model_copy(update={"touches": [*base.touches, more.model_copy(update={"id": "t"})]})
    renderer = Renderer(SOFT, sheet)
    out = renderer.draw(FULL)
    # What neither covers, before or after, is as it was; rectangles of it are the whole.
    shown = [renderer.shapes.shown(lambda frame, a=a: renderer.area(a, frame), FULL) for a in "ab"]
    assert all((s >= 0).all() and (s <= 1).all() and s.max() > 0.9 for s in shown)
    touched = np.maximum.reduce([*shown, *(renderer.area(a, FULL) for a in "ab")])
    if second is not None:
        apart = cv2.dilate(touched, np.ones((5, 5))) == 0
        np.testing.assert_allclose(out[apart], SOFT.colours[apart], atol=1 / 255)
    part = Frame(WIDTH, HEIGHT, 200, 250, 180, 170)
    np.testing.assert_allclose(Renderer(SOFT, sheet).draw(part), out[part.slices_in(FULL)], atol=3e-5)
    assert np.abs(out - SOFT.colours).max() > 0.05


def test_a_coverage_lies_on_the_shaped_picture_as_what_it_covers():
    disc = np.hypot(X[None, :] - 0.4, Y[:, None] - 0.5) < 0.1
    picture = Held(Encoded(np.where(disc[..., None], np.float32(0.9), np.float32(0.1)).repeat(3, 2)))
    hard = {"id": "a", "parts": [{"source": "pool", "centre": [0.4, 0.5], "radii": [0.1, 0.1], "softness": 0.0}]}
    renderer = Renderer(picture, sheet_of(stroke((0.42, 0.5), (0.46, 0.52), size=0.3), areas=[hard]))
    seen = renderer.draw(FULL)[..., 0] > 0.5
    covered = renderer.shapes.shown(lambda frame: renderer.area("a", frame), FULL) > 0.5
    assert (seen & covered).sum() / (seen | covered).sum() >= 0.995


def test_a_small_view_is_the_reduced_picture():
    sheet = sheet_of(PUSH, stroke((0.3, 0.6), does="turn", size=0.3))
    half = Frame.whole(WIDTH // 2, HEIGHT // 2)
    small, full = drawn(SOFT, sheet, half), drawn(SOFT, sheet)
    off = 255 * np.abs(small - full.reshape(HEIGHT // 2, 2, WIDTH // 2, 2, 3).mean((1, 3)))
    assert off.mean() <= 0.5
    assert np.quantile(off, 0.99) <= 4


FORM = FaceForm(
    chin=(0.4, 0.6), top=(0.4, 0.3), eyes=((0.34, 0.41), (0.46, 0.43)), iris=0.012, mouth=((0.36, 0.53), (0.44, 0.53)),
    jaw=[(0.3, 0.5), (0.33, 0.56), (0.5, 0.5), (0.47, 0.56)], nose=((0.38, 0.48), (0.42, 0.48)),
    shoulders=((0.15, 0.8), (0.65, 0.8)),
)  # fmt: skip


def test_parts_of_a_face_move_as_their_words_say_and_by_no_more():
    def of(**amounts):
        moves = Reshape(forms=[FORM], **amounts).bent(GRID, None, "", Renderer(SOFT, sheet_of()))
        return lambda place: [float(v[0]) for v in at_places(moves[..., :2], *(np.array([p]) for p in place))]

    height = 0.3
    # Content comes from the other side of where it goes to.
    assert of(mouth=0.02)(FORM.mouth[0])[1] == pytest.approx(0.02 * height, rel=0.15)
    dx, dy = of(eyes=0.08)((0.34 + 0.012, 0.41))
    assert (dx, dy) == (pytest.approx(-0.012 * (1 - 1 / 1.08), rel=0.1), pytest.approx(0, abs=1e-4))
    level = of(eyes_level=1)
    assert level(FORM.eyes[0])[1] - level(FORM.eyes[1])[1] == pytest.approx(-0.02, rel=0.1)
    assert of(jaw=-0.03)(FORM.jaw[0])[0] < -0.1 * 0.03 * height
    assert of(posture=4)((0.4, 0.45))[0] == pytest.approx(-0.07 * 0.255, rel=0.15)
    assert of(right_shoulder=-0.12)((0.15, 0.8))[1] == pytest.approx(-0.12 * height, rel=0.2)
    assert Reshape(forms=[FORM]).neutral


def test_a_stroke_that_grows_comes_out_as_the_finished_one():
    from retouch.touches.reshape import WetShape

    whole = ShapeStroke(size=0.2, points=[(0.3 + 0.01 * n, 0.4, 1.0) for n in range(9)])
    wet, memory = WetShape(), Renderer(SOFT, sheet_of())
    for count in (2, 5, 9):
        part = ShapeStroke(size=0.2, points=whole.points[:count])
        part.__dict__["wet"] = wet
        grown = Reshape(strokes=[part]).bent(GRID, None, "", memory)
    done = Reshape(strokes=[whole]).bent(GRID, None, "", memory)
    # The last piece of the way is laid once it will not change any more.
    assert np.abs(grown - done)[..., :2].max() < 0.125 * 0.2
    field = Field(GRID)
    field.lay(whole.dabs())
    np.testing.assert_allclose(field.kept, done, atol=1e-6)
