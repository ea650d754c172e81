"""Repair: what a patch takes, how it lies in what is round it, and that all of it stays changeable."""

import cv2
import numpy as np
import pytest
from pydantic import ValidationError

from retouch.colour.encoding import decode, encode
from retouch.colour.oklab import to_oklab
from retouch.colour.spaces import SRGB, WORKING, between
from retouch.frame import Frame
from retouch.mend.fill import NONE, choose, evened
from retouch.mend.halves import shading
from retouch.mend.source import search, snap
from retouch.render.cache import Cache
from retouch.render.mending import filling_for, outlines_of, source_for
from retouch.render.plan import Renderer
from retouch.sheet import read_sheet
from retouch.touches.red_eye import RedEye
from retouch.touches.repair import Filling, Patch, packed
from retouch.types import Coverage, Lab, PictureError
from tests.pictures import Held

N = 600
RNG = np.random.default_rng(4)
Y, X = (v.astype(np.float32) / N for v in np.mgrid[0:N, 0:N])
RAMP = np.stack([0.35 + 0.2 * X + 0.1 * Y, 0.3 + 0.15 * Y, 0.25 + 0.1 * X], axis=-1)
GRAIN = (RAMP + RNG.normal(0, 0.02, RAMP.shape)).astype(np.float32)
WHOLE = Frame.whole(N, N)
STEP = 1 / 255


def patch(way="heal", at=((0.5, 0.5),), size=0.1, **more):
    strokes = [{"size": size, "softness": 0.5, "points": [[x, y, 1] for x, y in at]}]
    return {"id": more.pop("id", "p"), "way": way, "strokes": strokes, **more}


def sheet_of(patches, *below, **settings):
    touch = {"id": "r", "kind": "repair", "settings": {"patches": patches, **settings}}
    return read_sheet({"format": "needlepoint-sheet", "version": 1, "areas": [], "touches": [*below, touch]})


def drawn(picture, *patches, frame=WHOLE, **settings):
    return Renderer(Held(picture), sheet_of(list(patches), **settings)).draw(frame)


def inside(at=(0.5, 0.5), radius=0.04):
    return np.hypot(X - at[0], Y - at[1]) < radius


def test_a_clone_at_full_strength_is_its_source_to_the_bit_and_nothing_else_changes():
    out = drawn(GRAIN, patch("clone", source=[0.2, -0.1], size=0.12))
    middle = inside(radius=0.025)
    np.testing.assert_array_equal(out[middle], np.roll(GRAIN, (60, -120), (0, 1))[middle])
    np.testing.assert_array_equal(out[~inside(radius=0.07)], GRAIN[~inside(radius=0.07)])


@pytest.mark.parametrize("way", ["heal", "clone", "smear", "paint"])
@pytest.mark.parametrize("how", [{"strength": 0}, {"on": False}])
def test_a_patch_that_is_off_or_has_no_strength_changes_nothing(way, how):
    np.testing.assert_array_equal(drawn(GRAIN, patch(way, source=[0.1, 0.1], **how)), GRAIN)


def test_a_patch_without_source_or_with_one_outside_the_picture_changes_nothing():
    for source in (None, [1.5, 0]):
        np.testing.assert_array_equal(drawn(GRAIN, patch("clone", source=source)), GRAIN)
    # Of a source that leaves the picture in part, only what is there is laid.
    out = drawn(GRAIN, patch("clone", source=[0.48, 0.0]))
    assert (out != GRAIN).any()
    np.testing.assert_array_equal(out[:, 315:], GRAIN[:, 315:])


def test_healing_a_ramp_of_light_leaves_no_seam():
    for source in ([0.3, 0.1], [-0.2, 0.25]):
        out = drawn(RAMP, patch(source=source, size=0.2))
        assert np.abs(out - RAMP).max() < 0.3 * STEP


def test_healing_takes_texture_from_the_source_and_colour_from_round_about():
    spotted = GRAIN.copy()
    spotted[inside()] += np.float32([0.1, -0.1, -0.1])
    out = drawn(spotted, patch(source=[0.25, 0.1], size=0.13))
    assert np.abs(cv2.blur(out - GRAIN, (15, 15))[inside()]).max() < 0.01
    texture = (out - RAMP)[inside()].std() / (GRAIN - RAMP)[inside()].std()
    assert 0.95 < texture < 1.05


def test_a_spot_takes_its_sources_pores_and_not_its_patches_of_colour():
    freckled = GRAIN.copy()
    freckled -= 0.05 * np.exp(-((X - 0.75) ** 2 + (Y - 0.6) ** 2) / (2 * 0.015**2))[..., None] * np.float32([0.5, 1, 1])
    brought = [
        (drawn(freckled, patch(way, source=[0.25, 0.1], size=0.13)) - RAMP)[inside()] for way in ("heal", "spot")
    ]
    assert -0.05 < brought[0].mean() < -0.01
    assert abs(brought[1].mean()) < 0.003
    assert 0.9 < brought[1].std() / (GRAIN - RAMP)[inside()].std() < 1.05


def test_the_membrane_does_not_take_colour_from_across_an_edge():
    # Dark cloth begins just beyond the patch.
    edged = np.where((X > 0.57)[..., None], np.float32(0.1), RAMP).astype(np.float32)
    spotted = edged.copy()
    spotted[inside(radius=0.028)] -= np.float32(0.15)
    out = drawn(spotted, patch(source=[-0.25, 0.1], size=0.12))
    assert np.abs(out - edged)[inside(radius=0.028)].max() < 0.5 * STEP


def test_along_an_edge_either_side_is_healed_from_its_own_round_about():
    # A collar before a wall: light falls off along the wall and grows along the collar.
    wall, cloth = 0.7 - 0.2 * Y, 0.2 + 0.15 * Y
    edged = np.repeat(np.where(X < 0.38 + 0.2 * Y, wall, cloth)[..., None], 3, 2).astype(np.float32)
    edged = cv2.GaussianBlur(edged, (0, 0), 1)
    spotted = edged.copy()
    spotted[inside((0.5, 0.6), 0.03)] = [0.9, 0.2, 0.1]
    out = drawn(spotted, patch(at=((0.5, 0.6),), source=[-0.05, -0.25], size=0.12))
    there = inside((0.5, 0.6), 0.05)
    for side in (X < 0.36 + 0.2 * Y, X > 0.4 + 0.2 * Y):
        assert np.abs(out - edged)[there & side].max() < 0.5 * STEP


@pytest.mark.parametrize("smoother", ["gaussian", "edges", "median"])
def test_halves_add_up_and_each_is_worked_on_alone(smoother):
    lower = shading(GRAIN, 15, smoother)
    np.testing.assert_allclose(lower + (GRAIN - lower), GRAIN, atol=0.02 * STEP)
    # Light that is painted into the shading leaves the texture as it is, and the reverse.
    lit = drawn(GRAIN, patch("paint", colour="#ff8000", of="shading", size=0.3), size=0.025, smoother=smoother)
    assert np.abs((lit - GRAIN)[inside()].mean(0)).min() > 0.05
    fine = lit - cv2.GaussianBlur(lit, (0, 0), 2)
    before = GRAIN - cv2.GaussianBlur(GRAIN, (0, 0), 2)
    assert 0.95 < fine[inside()].std() / before[inside()].std() < 1.05
    smooth = drawn(GRAIN, patch("paint", of="texture", size=0.3), size=0.025, smoother=smoother)
    assert np.abs((smooth - GRAIN)[inside()].mean(0)).max() < 0.5 * STEP
    assert (smooth - RAMP)[inside()].std() < 0.5 * (GRAIN - RAMP)[inside()].std()


def test_smearing_pushes_along_the_stroke_and_no_further():
    split = np.where((X < 0.5)[..., None], np.float32(0.2), np.float32(0.7)).repeat(3, 2).astype(np.float32)
    out = drawn(split, patch("smear", at=((0.45, 0.5), (0.6, 0.5)), size=0.1))
    assert out[300, 330, 0] < 0.3
    assert np.abs(out[300, 380] - 0.7).max() < 0.02
    np.testing.assert_array_equal(out[:265], split[:265])


def test_later_patches_see_earlier_ones_and_all_see_what_lies_below():
    first = patch("clone", at=((0.3, 0.3),), source=[0.3, 0.3], size=0.14)
    second = patch("clone", at=((0.7, 0.3),), source=[-0.4, 0.0], size=0.1, id="q")
    lift = {"id": "e", "kind": "exposure", "settings": {"ev": 1}}
    out = Renderer(Held(GRAIN), sheet_of([first, second], lift)).draw(WHOLE)
    below = Renderer(Held(GRAIN), sheet_of([], lift)).draw(WHOLE)
    # Lit once: what is laid is what the lift has made, not what is lifted again.
    there = inside((0.7, 0.3), 0.02)
    np.testing.assert_array_equal(out[there], np.roll(below, (-180, 60), (0, 1))[there])


def test_another_source_of_one_patch_is_as_if_it_had_always_been():
    many = [
        patch("heal", at=((0.1 + 0.08 * (n % 10), 0.1 + 0.08 * (n // 10)),), source=[0.11, 0.06], size=0.05, id=str(n))
        for n in range(60)
    ]
    moved = [p | {"source": [-0.06, 0.08]} if p["id"] == "31" else p for p in many]
    cache = Cache()
    Renderer(Held(GRAIN), sheet_of(many), cache).draw(WHOLE)
    again = Renderer(Held(GRAIN), sheet_of(moved), cache).draw(WHOLE)
    np.testing.assert_array_equal(again, drawn(GRAIN, *moved))


def test_a_view_is_the_reduced_export_within_a_patch():
    big = cv2.resize(GRAIN, (4 * N, 4 * N), interpolation=cv2.INTER_CUBIC)
    patches = [
        patch("heal", source=[0.213, 0.104]), patch("clone", at=((0.25, 0.3),), source=[0.3, 0.05], id="q"),
        patch("smear", at=((0.7, 0.7), (0.75, 0.75)), of="shading", id="s"),
    ]  # fmt: skip
    sheet = sheet_of(patches, size=0.02)
    full = Renderer(Held(big), sheet).draw(Frame.whole(4 * N, 4 * N))
    view = Renderer(Held(big), sheet).draw(WHOLE)
    off = np.abs(cv2.resize(full, (N, N), interpolation=cv2.INTER_AREA) - view)
    for at in ((0.5, 0.5), (0.25, 0.3), (0.72, 0.72)):
        there = off[inside(at, 0.06)]
        assert there.mean() < 0.5 * STEP
        assert np.percentile(there, 99) < 3 * STEP


def test_a_spots_source_is_like_skin_and_another_is_found_beside():
    size = 120
    y, x = np.mgrid[0:size, 0:size]
    lab = np.zeros((size, size, 3), np.float32)
    lab[..., 0] = 0.7 + RNG.normal(0, 0.01, (size, size))
    spot = np.hypot(x - 60, y - 60) < 5
    lab[spot, 0] -= 0.2
    # A brow above, a second spot to the right, and no skin below.
    lab[35:42, 30:90, 0] = 0.2
    lab[np.hypot(x - 80, y - 60) < 5, 0] -= 0.2
    allowed = Coverage((y < 78).astype(np.float32))
    covered = Coverage((np.hypot(x - 60, y - 60) < 7).astype(np.float32))
    first = search(Lab(lab), covered, allowed, [])
    second = search(Lab(lab), covered, allowed, [first])
    for dx, dy in (first, second):
        there = np.hypot(x - 60 - dx, y - 60 - dy) < 7
        assert lab[there, 0].min() > 0.65
        assert allowed[there].all()
    assert np.hypot(*np.subtract(first, second)) >= 5
    assert search(Lab(lab), covered, Coverage(np.zeros((size, size), np.float32)), []) is None


class SkinAlone:
    """What was found, where everything is skin."""

    key = "skin"

    def has(self, name, of=0):
        return name in ("skin", "person")

    def coverage(self, name, of, frame, read):
        return np.full(frame.shape, np.float32(self.has(name)))


@pytest.mark.parametrize(("fold", "colourless"), [(True, False), (False, True)])
def test_a_fold_under_a_spot_stays_and_on_plain_skin_all_of_a_spot_goes(fold, colourless):
    """A blemish is blood and some melanin. Dust darkens all alike, as a fold does; but about it there are no folds."""
    shade = 1 - 0.35 * np.exp(-(((X - 0.5 - 0.1 * (Y - 0.5)) / 0.012) ** 2)) * fold
    light = decode(GRAIN * np.float32([1, 0.85, 0.8])) * shade[..., None]
    spot = np.exp(-(((X - 0.49) ** 2 + (Y - 0.5) ** 2) / (2 * 0.012**2)))
    taken = [0.5] * 3 if colourless else np.dot(0.6, [0.09, 0.52, 0.40]) + np.dot(0.13, [1.0, 1.25, 1.47])
    picture = encode(light * np.exp(-np.multiply.outer(spot, taken))).astype(np.float32)
    covering = patch("spot", ((0.49, 0.5),), 0.09)
    found = Renderer(Held(picture), sheet_of([]), found=SkinAlone)
    chosen = source_for(found, "r", Patch.model_validate(covering), [])
    out = drawn(picture, covering | chosen._asdict())
    wanted, there = to_oklab(encode(light)), inside((0.49, 0.5), 0.03)

    def off(result):
        return np.linalg.norm(cv2.GaussianBlur(to_oklab(result) - wanted, (0, 0), 2.5), axis=-1)[there].mean()

    assert off(out) < (0.6 if fold else 0.3) * off(picture)
    if fold:
        assert off(out) < 0.6 * off(drawn(picture, covering | {"source": chosen.source}))


def filling_of(picture, covering, **more):
    renderer = Renderer(Held(picture), sheet_of([]))
    return filling_for(renderer, "r", Patch.model_validate(covering), None, 0).model_dump(mode="json")


def test_a_thing_before_a_line_is_filled_and_the_line_goes_on():
    wall = np.where((Y > 0.5)[..., None], np.float32([0.3, 0.25, 0.2]), np.float32([0.6, 0.65, 0.7])).astype(np.float32)
    wall += RNG.normal(0, 0.01, wall.shape).astype(np.float32)
    clamp = wall.copy()
    clamp[270:330, 280:320] = (0.8, 0.3, 0.1)
    stroke = {"size": 0.11, "softness": 0.2, "points": [[0.5, 0.46, 1], [0.5, 0.54, 1]]}
    covering = {"id": "f", "way": "fill", "strokes": [stroke]}
    patch = covering | {"filling": filling_of(clamp, covering)}
    out = drawn(clamp, patch)
    off = np.abs(out - wall)[265:335, 275:325]
    assert off.mean() < 0.03 < np.abs(clamp - wall)[270:330, 280:320].mean() / 5
    assert np.percentile(off, 98) < 0.12
    far = np.hypot(X - 0.5, Y - 0.5) > 0.2
    np.testing.assert_array_equal(out[far], clamp[far])
    # What it rests on is read anew: a change below recolours it and does not shuffle it.
    lift = {"id": "e", "kind": "exposure", "settings": {"ev": 0.5}}
    lit = Renderer(Held(clamp), sheet_of([patch], lift)).draw(WHOLE)
    again = Renderer(Held(out), sheet_of([], lift)).draw(WHOLE)
    assert np.abs(lit - again)[250:350, 260:340].mean() < 0.5 * STEP


def test_a_patch_takes_from_an_area_alone_if_it_is_told_to():
    picture = np.where((X < 0.5)[..., None], np.float32([0.7, 0.2, 0.2]), np.float32([0.2, 0.6, 0.3]))
    picture = (picture + RNG.normal(0, 0.01, picture.shape)).astype(np.float32)
    document = sheet_of([]).model_dump(mode="json")
    for name, path in (("left", "M0 0H0.49V1H0Z"), ("far", "M0 0H0.05V0.05H0Z")):
        document["areas"].append({"id": name, "parts": [{"source": "outline", "shapes": [{"path": path}]}]})
    renderer = Renderer(Held(picture), read_sheet(document))
    fill, spot = (Patch.model_validate(patch(way, at=((0.55, 0.5),), size=0.08)) for way in ("fill", "spot"))
    filling = filling_for(renderer, "r", fill, None, 0, "left").model_dump(mode="json")
    out = drawn(picture, patch("fill", at=((0.55, 0.5),), size=0.08, filling=filling))
    red = out[inside((0.55, 0.5), 0.03)]
    assert (red[:, 0] > red[:, 1]).all()
    assert 0.55 + source_for(renderer, "r", spot, [], "left").source[0] < 0.49
    for find in (
        lambda: filling_for(renderer, "r", fill, None, 0, "far"),
        lambda: source_for(renderer, "r", spot, [], "far"),
    ):
        with pytest.raises(PictureError, match="take from"):
            find()


def test_a_fill_beside_another_thing_does_not_come_to_look_like_it():
    # Dark hair at the left, before a backdrop that is bright at the top, where the hole is, and darker below.
    y, x = np.mgrid[:120, :160]
    backdrop = cv2.GaussianBlur(np.where(y < 70, 0.7, 0.4).astype(np.float32), (0, 0), 6)
    hair, hole = x < 60, (x >= 60) & (x < 84) & (y >= 20) & (y < 50)
    picture = np.where(hair, 0.15, backdrop) + RNG.normal(0, 0.01, backdrop.shape)
    chosen = choose(np.repeat(picture[..., None], 3, 2), hole, ~hair, 0)
    assert chosen is not None
    labels, offsets = chosen
    by = offsets[labels[hole]]
    assert picture[y[hole] + by[:, 1], x[hole] + by[:, 0]].mean() > 0.65
    # Nor do pixels that are half hair make it darker.
    plain = np.full((50, 70, 3), 0.7, np.float32)
    plain[:, :19], plain[:, 19] = 0.15, 0.62
    labels = np.full((30, 50), NONE, np.uint8)
    labels[5:25, 10:40] = 0
    assert np.abs(evened(plain, 10, labels, np.array([[10, 0]]))).max() < STEP


def test_no_line_shows_where_a_fill_takes_from_the_pictures_border():
    picture = np.repeat((0.4 + 0.2 * Y)[..., None], 3, 2)
    labels = np.full((30, 30), NONE, np.uint8)
    labels[5:15, 5:25], labels[15:25, 5:25] = 0, 1
    # The lower half from the picture's first rows on, the upper from beside.
    by = [(0.3, 0.0), (0.3, -75 / 150)]
    filling = {"unit": 150, "x": 60, "y": 60, "w": 30, "h": 30, "offsets": by, "labels": packed(labels)}
    out = drawn(picture, {"id": "f", "way": "fill", "filling": filling})[240:360, 300, 0]
    assert np.abs(np.diff(out)).max() < STEP


def test_nothing_to_fill_with_and_nothing_to_fill_are_told():
    whole = {"id": "f", "way": "fill", "strokes": [{"size": 2.0, "points": [[0.5, 0.5, 1]]}]}
    with pytest.raises(PictureError, match="could fill"):
        filling_of(GRAIN, whole)
    outside = {"id": "f", "way": "fill", "strokes": [{"size": 0.1, "points": [[3.5, 0.5, 1]]}]}
    with pytest.raises(PictureError, match="nothing here"):
        filling_of(GRAIN, outside)


@pytest.mark.parametrize(
    "labels", ["not base 64", packed(np.full((3, 3), 9, np.uint8)), packed(np.zeros((2, 3), np.uint8))]
)
def test_a_filling_that_is_not_whole_is_refused(labels):
    with pytest.raises(ValidationError, match="filling"):
        Filling(unit=100, x=0, y=0, w=3, h=3, offsets=[(0.1, 0)], labels=labels)


def test_a_knit_is_met_to_the_pixel():
    knit = (0.5 + 0.2 * np.sin(2 * np.pi * X * N / 13) * np.sin(2 * np.pi * Y * N / 9)).astype(np.float32)
    picture = np.stack([knit] * 3, axis=-1) + RNG.normal(0, 0.01, (N, N, 3)).astype(np.float32)
    dx, dy = snap(picture, Coverage(inside().astype(np.float32)), (133, 4), 8)
    assert (dx % 13, dy % 9) == (0, 0)
    assert np.hypot(dx - 133, dy - 4) < 10


def encoded(*linear_srgb):
    return encode(between(SRGB, WORKING) @ np.array(linear_srgb))


@pytest.mark.parametrize(
    ("glow", "more"),
    [((0.55, 0.02, 0.015), {}), ((0.7, 0.2, 0.02), {}), ((0.6, 0.4, 0.3), {"pale": 1, "darker": 0.85})],
)
def test_what_a_flash_lit_in_a_pupil_goes_dark_and_the_small_light_stays(glow, more):
    rule = RedEye(amount=1, **more).rule
    dark = to_oklab(rule(encoded(*glow)))
    assert np.hypot(dark[1], dark[2]) < 0.02
    assert dark[0] < 0.75 * to_oklab(encoded(*glow))[0]
    for spared in ((0.95, 0.93, 0.9), (0.03, 0.02, 0.016), (0.0, 0.0, 0.0)):
        colour = encoded(*spared)
        np.testing.assert_allclose(rule(colour), colour, atol=0.02 if max(spared) < 0.1 else 1e-6)
    np.testing.assert_array_equal(RedEye().rule(encoded(*glow)), encoded(*glow))


@pytest.mark.parametrize("form", ["round", "window"])
def test_a_catchlight_stands_on_the_same_side_of_both_eyes_and_at_its_size(form):
    eyes = [{"x": 0.3, "y": 0.4, "radius": 0.05}, {"x": 0.7, "y": 0.4, "radius": 0.05}]
    settings = {"eyes": eyes, "amount": 0.8, "clock": 90, "far": 0.5, "size": 0.4, "form": form}
    touch = {"id": "c", "kind": "catchlight", "settings": settings}
    sheet = read_sheet({"format": "needlepoint-sheet", "version": 1, "areas": [], "touches": [touch]})
    more = Renderer(Held(RAMP), sheet).draw(WHOLE) - RAMP
    for x in (0.3, 0.7):
        near = np.where(np.hypot(X - x, Y - 0.4) < 0.1, more[..., 0], 0)
        assert (near * X).sum() / near.sum() == pytest.approx(x + 0.025, abs=0.002)
        assert (near * Y).sum() / near.sum() == pytest.approx(0.4, abs=0.002)
    lit = np.hypot(X - 0.325, Y - 0.4) < 0.03
    assert more[lit].max() > 0.3
    np.testing.assert_array_equal(more[(np.abs(X - 0.325) > 0.022) & (np.abs(X - 0.725) > 0.022)], 0)


def test_an_area_becomes_the_outlines_of_a_patch_holes_and_all():
    ring = {"id": "a", "parts": [{"source": "outline", "shapes": [
        {"path": "M0.2 0.2H0.8V0.8H0.2Z"}, {"path": "M0.4 0.4H0.6V0.6H0.4Z", "take": True}]}]}  # fmt: skip
    document = {"format": "needlepoint-sheet", "version": 1, "areas": [ring, {"id": "b", "parts": []}],
                "touches": [{"id": "r", "kind": "repair", "settings": {}}]}  # fmt: skip
    renderer = Renderer(Held(GRAIN), read_sheet(document))
    strokes = [s.model_dump() for s in outlines_of(renderer, "r", "a")]
    out = drawn(GRAIN, {"id": "p", "way": "paint", "colour": "#ff0000", "strokes": strokes})
    covered = renderer.area("a", WHOLE, "r") > 0.5
    assert ((out != GRAIN).any(2) ^ covered).mean() < 0.01
    assert not (out != GRAIN)[inside(radius=0.09)].any()
    with pytest.raises(PictureError, match="nothing here"):
        outlines_of(renderer, "r", "b")


@pytest.mark.parametrize("way", ["heal", "smear", "clone"])
def test_what_a_patch_costs_is_bounded_whatever_its_size_and_length(way):
    # The largest brush, the finest, and a way that runs to and fro without end.
    zigzag = [(4.0 * (n % 2) - 1.5, 0.3 + n / 4000, 1) for n in range(45)]
    strokes = [{"size": 2.0, "points": [[0.5, 0.5, 1]]}, {"size": 1e-5, "points": zigzag}]
    for of in ("everything", "shading"):
        mended = {"id": "p", "way": way, "of": of, "source": [0.1, 0.1], "strokes": strokes}
        assert np.isfinite(drawn(GRAIN, mended, size=0.08)).all()


def test_a_filling_from_too_far_away_is_refused():
    with pytest.raises(ValidationError, match="too far"):
        Filling(unit=40_000, x=0, y=0, w=2, h=2, offsets=[(2.0, 0)], labels=packed(np.zeros((2, 2), np.uint8)))


def test_a_shadows_edge_is_lowered_and_pores_and_edges_of_colour_stay():
    # A hard shadow down the middle of skin, and lips below whose edge is one of colour.
    shadow = np.where(X > 0.5, 0.35, 1.0)[..., None]
    skin = np.float32([0.45, 0.28, 0.2]) * np.ones((N, N, 1), np.float32)
    skin[(Y > 0.8)] = [0.4, 0.12, 0.12]
    grain = 1 + 0.05 * RNG.normal(0, 1, (N, N, 1))
    picture = encode(skin * shadow * grain).astype(np.float32)
    touch = {"id": "s", "kind": "shadow-edge", "settings": {"amount": 0.7, "width": 0.05}}
    sheet = read_sheet({"format": "needlepoint-sheet", "version": 1, "areas": [], "touches": [touch]})
    out = Renderer(Held(picture), sheet).draw(WHOLE)

    def step(values):
        light = np.log(decode(values)[180:360].mean((0, 2)))
        return light[270:285].mean() - light[315:330].mean()

    assert step(out) < 0.75 * step(picture)
    for half in (np.s_[200:300, 150:250], np.s_[200:300, 350:450]):
        fine = [v[half] - cv2.GaussianBlur(v[half], (0, 0), 2) for v in (np.log(decode(out)), np.log(decode(picture)))]
        assert fine[0].std() / fine[1].std() == pytest.approx(1, abs=0.02)
    # It runs out away from the shadow's edge, and the lips' own edge adds nothing.
    moved = np.abs(out - picture)[440:520].mean((0, 2))
    assert moved[20:70].mean() < 0.15 * moved[300:350].mean()


def test_stray_hairs_become_the_backdrop_and_what_is_no_line_stays():
    hair = np.abs(Y - 0.3 - 0.3 * X) < 0.0022
    dot, edge = inside((0.7, 0.2), 0.02), Y > 0.8
    ground = np.where(edge[..., None], 0.15, GRAIN).astype(np.float32)
    ground[dot] -= np.float32(0.15)
    picture = ground.copy()
    picture[hair] *= np.float32(0.4)
    touch = {"id": "s", "kind": "stray-hairs", "settings": {"amount": 1.0, "width": 0.005, "threshold": 0.08}}
    sheet = read_sheet({"format": "needlepoint-sheet", "version": 1, "areas": [], "touches": [touch]})
    out = Renderer(Held(picture), sheet).draw(WHOLE)
    there = hair & (X > 0.05) & (X < 0.95)
    assert np.abs(cv2.blur(out, (9, 9)) - cv2.blur(RAMP, (9, 9)))[there].mean() < 0.01
    assert 0.7 < (out - RAMP)[there].std() / 0.02 < 1.2
    near = cv2.dilate(hair.astype(np.uint8), np.ones((25, 25), np.uint8)) > 0
    np.testing.assert_allclose(out[~near], picture[~near], atol=STEP)
