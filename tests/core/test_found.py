"""What the program finds by itself agrees with the exact labels, and is drawn alike at every scale."""

import base64
import itertools
import json
from functools import cache
from pathlib import Path

import cv2
import numpy as np
import pymatting
import pytest

from bench.finding import overlap, truth_of
from retouch.areas.sources.file import packed
from retouch.faces import NAMES, Found, eye_parts, mesh
from retouch.faces.bodies import crowd, laid, window
from retouch.faces.eyes import eyes
from retouch.faces.finding import find
from retouch.faces.found import Face, Map
from retouch.faces.mouth import mouth
from retouch.faces.owners import owners
from retouch.faces.upright import back, moved
from retouch.files.reading import read
from retouch.frame import Frame
from retouch.render.cache import Cache
from retouch.render.plan import Renderer
from retouch.segment.cells import regions
from retouch.segment.cut import _least_cut, boxed
from retouch.segment.guided import follow, guided
from retouch.segment.matte import matte
from retouch.sheet import read_sheet
from retouch.types import PictureError
from tests.finding import find_kept

DEMO = Path(__file__).parents[2] / "demo"
SIDE = 1600


class Small:
    """A picture in memory that is read at any smaller size."""

    def __init__(self, colours, key="small"):
        self.colours, self.key = np.asarray(colours, np.float32), key
        self.height, self.width = self.colours.shape[:2]

    def read(self, frame):
        whole = self.colours
        if (frame.width, frame.height) != (self.width, self.height):
            whole = cv2.resize(whole, (frame.width, frame.height), interpolation=cv2.INTER_AREA)
        rows, columns = slice(frame.y, frame.y + frame.h), slice(frame.x, frame.x + frame.w)
        return whole[rows, columns].copy()


@cache
def portrait(name):
    original = read(next((DEMO / "pictures").glob(f"{name}.*")))
    share = SIDE / max(original.raw.shape)
    small = cv2.resize(original.raw, None, fx=share, fy=share, interpolation=cv2.INTER_AREA)
    return Small(original.to_working(small), name)


FIRST = {}
"""What was known of each after a third of the work."""


@cache
def found(name):
    return find_kept(portrait(name), first=lambda rough: FIRST.update({name: rough}))


@cache
def labels(name):
    with np.load(DEMO / "labels" / f"{name}.npz") as stored:
        return {kind: stored[kind] for kind in stored}


def covered(name, what, of):
    height, width = labels(name)["skin"].shape
    return found(name).coverage(what, of, Frame.whole(width, height), portrait(name).read) > 0.5


LIGHT_AND_DARK = "Mezzo 2 and Bass 3"
LEAST = {"person": 0.96, "skin": 0.88, "face": 0.88, "hair": 0.85, "lips": 0.85, "brows": 0.5}


@pytest.mark.parametrize("what", LEAST)
@pytest.mark.parametrize(("name", "of"), [("Soprano 2", 1), (LIGHT_AND_DARK, 1), (LIGHT_AND_DARK, 2)])
def test_areas_agree_with_the_labels_whoever_it_is(name, of, what):
    assert overlap(covered(name, what, of), truth_of(labels(name), what, of)) >= LEAST[what]


def test_people_skin_and_faces_are_known_roughly_before_the_rest():
    whole, small = found(LIGHT_AND_DARK), portrait(LIGHT_AND_DARK)
    rough = FIRST[LIGHT_AND_DARK]
    assert rough.key != whole.key
    assert not rough.has("irises")
    height, width = labels(LIGHT_AND_DARK)["skin"].shape
    for what, of in (("person", 0), ("skin", 1), ("skin", 2), ("face", 1), ("face", 2)):
        one, other = (f.coverage(what, of, Frame.whole(width, height), small.read) > 0.5 for f in (rough, whole))
        assert overlap(one, other) > 0.9


@pytest.mark.parametrize(("what", "least"), [("eye-whites", 0.6), ("irises", 0.6), ("teeth", 0.85)])
def test_small_parts_of_a_smiling_face_agree_with_the_labels(what, least):
    assert overlap(covered("Soprano 2", what, 1), truth_of(labels("Soprano 2"), what, 1)) >= least


def test_faces_are_counted_from_the_left_and_lie_where_the_truth_says():
    people = json.loads((DEMO / "labels" / f"{LIGHT_AND_DARK}.json").read_text())["people"]
    faces = found(LIGHT_AND_DARK).faces
    assert len(faces) == len(people) == 2
    for face, person in zip(faces, people, strict=True):
        nose = np.array(face.landmarks)[mesh.NOSE[0]]
        assert np.hypot(*(nose - person["landmarks"]["nose-tip"])) < 0.02
    assert faces[0].box[0] < faces[1].box[0]


def test_two_people_share_no_pixel_and_together_are_everybody():
    one, two, both = (covered(LIGHT_AND_DARK, "person", n) for n in (1, 2, 0))
    assert (one & two).mean() < 1e-3
    assert overlap(one | two, both) > 0.995


def test_a_closed_mouth_has_no_teeth_and_an_open_one_has():
    assert not found(LIGHT_AND_DARK).has("teeth")
    assert found("Soprano 2").has("teeth", 1)
    assert covered("Soprano 2", "teeth", 0).any()


def test_the_backdrop_is_all_that_is_nobodys():
    frame = Frame.whole(320, 400)
    there, picture = found("Soprano 2"), portrait("Soprano 2")
    person, behind = (there.coverage(name, 0, frame, picture.read) for name in ("person", "backdrop"))
    assert np.abs(person + behind - 1).max() < 1e-6


@pytest.mark.parametrize("quarters", [1, 2])
def test_a_turned_picture_has_the_same_face(quarters):
    upright = portrait("Soprano 2")
    turned = find_kept(Small(np.ascontiguousarray(np.rot90(upright.colours, quarters)), "turned"))
    assert len(turned.faces) == 1
    here, there = np.array(turned.faces[0].landmarks), np.array(found("Soprano 2").faces[0].landmarks)
    (x, y), unit = there.T, max(upright.width, upright.height)
    w, h = upright.width / unit, upright.height / unit
    expected = np.stack([y, w - x] if quarters == 1 else [w - x, h - y], axis=-1)
    assert np.median(np.hypot(*(here - expected).T)) < 0.006


def test_a_picture_without_anybody_is_a_calm_answer():
    y, x = np.mgrid[:300, :400] / 400
    empty = find(Small(np.stack([x, y, 1 - x], axis=-1)))
    assert empty.faces == ()
    assert not empty.has("face")
    assert empty.coverage("skin", 0, Frame.whole(40, 30), lambda f: np.zeros((*f.shape, 3))).max() == 0
    assert empty.summary()["faces"] == []


def test_progress_rises_and_what_it_raises_ends_the_search():
    shares = []
    find(Small(np.full((200, 200, 3), 0.5)), shares.append)
    assert shares == sorted(shares)

    class Enough(Exception):
        pass

    def stop(share):
        raise Enough

    with pytest.raises(Enough):
        find(Small(np.full((200, 200, 3), 0.5)), stop)
    # The models are free again for the next search.
    assert find(Small(np.full((64, 64, 3), 0.5))).faces == ()


def test_what_was_found_is_kept_and_read_again_to_the_bit(tmp_path):
    before = found(LIGHT_AND_DARK)
    before.save(tmp_path / "found.npz")
    after = Found.load(tmp_path / "found.npz")
    assert after.faces == before.faces
    assert after.key == before.key
    frame = Frame.whole(300, 240)
    for name in NAMES:
        one, two = (f.coverage(name, 2, frame, portrait(LIGHT_AND_DARK).read) for f in (before, after))
        assert (one == two).all()
    assert (after.regions.parts == before.regions.parts).all()


def test_another_version_is_refused(tmp_path):
    np.savez(tmp_path / "old.npz", head=np.frombuffer(b'{"version": 0}', np.uint8))
    with pytest.raises(PictureError, match="another version"):
        Found.load(tmp_path / "old.npz")


@pytest.mark.parametrize("what", ["skin", "eye-whites", "hair"])
def test_a_rectangle_is_cut_from_the_whole_to_the_bit(what):
    there, read_it = found("Soprano 2"), portrait("Soprano 2").read
    whole = Frame.whole(640, 800)
    part = Frame(640, 800, 200, 300, 170, 90)
    full = there.coverage(what, 0, whole, read_it)
    assert np.abs(full[part.slices_in(whole)] - there.coverage(what, 0, part, read_it)).max() < 1e-6


def test_views_at_two_scales_agree():
    there, read_it = found("Soprano 2"), portrait("Soprano 2").read
    large = there.coverage("skin", 0, Frame.whole(1280, 1600), read_it)
    small = there.coverage("skin", 0, Frame.whole(320, 400), read_it)
    assert np.abs(cv2.resize(large, (320, 400), interpolation=cv2.INTER_AREA) - small).mean() < 0.01


# --- the parts by themselves


def test_the_guided_line_is_the_least_squares_fit_of_its_window():
    """He, Sun, Tang (2013), eqs. 19 and 20, solved window by window."""
    rng = np.random.default_rng(2)
    colours, coverage = rng.random((9, 11, 3)).astype(np.float32), rng.random((9, 11)).astype(np.float32)
    padded, values = (np.pad(v, [(2, 2), (2, 2)] + [(0, 0)] * (v.ndim - 2), "symmetric") for v in (colours, coverage))
    lines = np.zeros((9, 11, 4))
    for y, x in itertools.product(range(9), range(11)):
        window = padded[y : y + 5, x : x + 5].reshape(-1, 3).astype(np.float64)
        own = values[y : y + 5, x : x + 5].ravel().astype(np.float64)
        centred = window - window.mean(0)
        slope = np.linalg.solve(centred.T @ centred / 25 + 1e-2 * np.eye(3), centred.T @ (own - own.mean()) / 25)
        lines[y, x] = [*slope, own.mean() - slope @ window.mean(0)]
    # Away from the border, where the averaging of lines meets its own padding.
    expected = np.mean([lines[2 + dy : 7 + dy, 2 + dx : 9 + dx] for dy in range(-2, 3) for dx in range(-2, 3)], axis=0)
    assert np.allclose(guided(colours, coverage, 2, 1e-2)[2:7, 2:9], expected, atol=2e-4)


def test_a_matte_is_what_another_hand_solves():
    """Against the whole system of the band, solved by pymatting: strands over a wall that is lighter to one side."""
    rng = np.random.default_rng(3)
    strands = np.zeros((300, 300), np.float32)
    cv2.circle(strands, (150, 150), 80, 1, -1)
    for angle in rng.uniform(0, 6.28, 160):
        ends = (
            150 + r * np.array([np.cos(angle + t), np.sin(angle + t)]) for r, t in ((75, 0), (95, rng.normal(0, 0.1)))
        )
        cv2.line(strands, *(tuple(np.round(16 * e).astype(int).tolist()) for e in ends), 1, 1, cv2.LINE_AA, 4)
    hair, wall = np.array([0.25, 0.15, 0.1]), np.linspace(0.5, 0.8, 300)[None, :, None] * np.array([1, 0.95, 0.8])
    colours = strands[..., None] * hair + (1 - strands[..., None]) * wall + rng.normal(0, 0.004, (300, 300, 3))
    rough = cv2.circle(np.zeros((300, 300), np.float32), (150, 150), 84, 1, -1)
    ours = matte(colours.astype(np.float32), rough, 14)
    disc = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (29, 29))
    known = np.where(cv2.erode(rough, disc) > 0, 1.0, np.where(cv2.dilate(rough, disc) == 0, 0.0, 0.5))
    theirs = pymatting.estimate_alpha_cf(np.clip(colours, 0, 1), known)
    assert np.abs(ours - theirs).mean() < 0.001
    assert np.quantile(np.abs(ours - theirs), 0.999) < 0.05
    assert np.abs(ours - strands)[known == 0.5].mean() < 0.5 * np.abs(rough - strands)[known == 0.5].mean()


def test_a_soft_outline_a_few_pixels_off_moves_to_the_edge():
    colours = np.zeros((80, 80, 3), np.float32)
    colours[:, 40:] = 0.8
    blurred = cv2.GaussianBlur((np.arange(80) >= 42).astype(np.float32)[None].repeat(80, 0), (0, 0), 3)
    frame = Frame.whole(80, 80)
    line = guided(colours, blurred, 8)
    refined = follow(line, frame, frame, lambda f: colours)
    assert (refined[40, 38:42] > 0.5).tolist() == [False, False, True, True]
    assert np.abs(np.diff(refined[40])).max() > 3 * np.abs(np.diff(blurred[40])).max()


def face_points(width=200):
    """Landmarks of which only the eyes and the mouth mean something: open eyes, closed mouth, chin below."""
    points = np.zeros((478, 2))
    points[mesh.TOP], points[mesh.CHIN] = (width / 2, 10), (width / 2, 190)
    for eye, (numbers, centre) in enumerate(zip(mesh.EYES, ((60, 80), (140, 80)), strict=True)):
        turn = np.linspace(0, 2 * np.pi, len(numbers), endpoint=False)
        start = np.pi if eye == 0 else 0
        ring = np.stack([centre[0] + 24 * np.cos(start - turn), centre[1] + 12 * np.sin(start - turn)], axis=-1)
        points[list(numbers)] = ring
        points[list(mesh.IRISES[eye])] = np.add(centre, [[0, 0], [10, 0], [0, -10], [-10, 0], [0, 10]])
    for numbers, (rx, ry) in ((mesh.LIPS, (30, 12)), (mesh.MOUTH, (24, 0.4))):
        turn = np.linspace(np.pi, -np.pi, len(numbers), endpoint=False)
        points[list(numbers)] = np.stack([100 + rx * np.cos(turn), 140 + ry * np.sin(turn)], axis=-1)
    points[13], points[14], points[78], points[308] = (100, 139.6), (100, 140.4), (76, 140), (124, 140)
    return points


def painted_face(radius=8.0, pupil=3.5, offset=(3, 1)):
    """OKLab of a face with white eyes whose irises lie off the landmarks."""
    y, x = np.mgrid[:200, :200] + 0.5
    lab = np.zeros((200, 200, 3), np.float32)
    lab[:] = (0.65, 0.06, 0.05)
    for cx, cy in ((60, 80), (140, 80)):
        lab[((x - cx) / 24) ** 2 + ((y - cy) / 12) ** 2 < 1] = (0.85, 0.005, 0.0)
        away = np.hypot(x - cx - offset[0], y - cy - offset[1])
        lab[away < radius] = (0.45, 0.0, -0.06)
        lab[away < pupil] = (0.12, 0.0, 0.0)
    return lab


def test_irises_and_pupils_are_fitted_to_the_picture_and_not_taken_from_the_mesh():
    whites, irises, pupils = eyes(painted_face(), face_points(), (0, 1))
    assert irises.sum() + pupils.sum() == pytest.approx(2 * np.pi * 8**2, rel=0.12)
    assert pupils.sum() == pytest.approx(2 * np.pi * 3.5**2, rel=0.25)
    _y, x = np.mgrid[:200, :200] + 0.5
    left = irises[:, :100] + pupils[:, :100]
    assert (left * x[:, :100]).sum() / left.sum() == pytest.approx(63, abs=0.7)
    assert whites[80, 40] > 0.9
    assert whites[80, 63] == 0
    assert (whites + irises + pupils).max() <= 1.01


def test_a_flashs_glow_is_pupil_to_its_very_edge():
    face = painted_face(pupil=4.5)
    glow = face[..., 0] == np.float32(0.12)
    face[glow] = (0.5, 0.2, 0.1)
    pupils = eyes(face, face_points(), (0, 1))[2]
    assert overlap(pupils > 0.5, glow) > 0.85


@pytest.mark.parametrize(("upper", "lower"), [(0.7, 0.9), (1.1, 0.6), (0.9, 0.9)])
def test_lids_are_found_where_skin_ends_and_not_where_the_mesh_has_them(upper, lower):
    y, x = np.mgrid[:200, :200] + 0.5
    face, there = painted_face(), np.zeros((200, 200), bool)
    for cx in (60, 140):
        high = np.where(y < 80, 12 * upper, 12 * lower)
        there |= ((x - cx) / 24) ** 2 + ((y - 80) / high) ** 2 < 1
    for cx in (60, 140):
        near = (np.abs(x - cx) < 30) & (np.abs(y - 80) < 20)
        face[near & there & (face[..., 1] > 0.05)] = (0.85, 0.005, 0.0)
    face[~there] = (0.65, 0.06, 0.05)
    found = sum(eyes(face, face_points(), (0, 1))) > 0.5
    assert (found & there).sum() / (found | there).sum() > 0.9


@pytest.mark.parametrize("turned", [0.0, 0.4, -2.0])
@pytest.mark.parametrize("eye", [0, 1])
def test_every_eye_lies_alike_on_its_own_map_and_goes_back_to_where_it_was(eye, turned):
    spin = np.array([[np.cos(turned), -np.sin(turned)], [np.sin(turned), np.cos(turned)]])
    points = (face_points() - 100) @ spin.T + 100
    way = eye_parts.upright(points, eye)
    own = moved(points, way)
    outer, inner = (own[number] for number in mesh.CORNERS[eye])
    np.testing.assert_allclose(inner - outer, (eye_parts.WIDE, 0), atol=1e-6)
    # The forehead is above.
    assert own[mesh.TOP][1] < own[mesh.CHIN][1]
    y, x = np.mgrid[:200, :200] + 0.5
    middle = points[list(mesh.CORNERS[eye])].mean(0)
    spot = np.exp(-((x - middle[0]) ** 2 + (y - middle[1]) ** 2) / 50).astype(np.float32)
    small = eye_parts.MAP.onto(spot, way)
    assert np.unravel_index(small.argmax(), small.shape) == (
        pytest.approx(eye_parts.HIGH / 2, abs=1), pytest.approx(eye_parts.ACROSS / 2, abs=1)
    )  # fmt: skip
    assert np.abs(back(small, way, spot.shape) - spot).max() < 0.1


def test_closed_eyes_have_no_whites():
    for covered_by in eyes(painted_face(), face_points(), ()):
        assert covered_by.max() == 0
    points = face_points()
    assert mesh.eye_openness(points, 0) > mesh.CLOSED
    points[:, 1] = 80 + (points[:, 1] - 80) * 0.1
    assert mesh.eye_openness(points, 0) < mesh.CLOSED


def test_lips_follow_their_colour_within_a_band():
    lab = np.zeros((200, 200, 3), np.float32)
    lab[:] = (0.65, 0.06, 0.05)
    y, x = np.mgrid[:200, :200] + 0.5
    truth = ((x - 100) / 27) ** 2 + ((y - 141) / 14) ** 2 < 1
    lab[truth] = (0.5, 0.13, 0.03)
    lips, teeth = mouth(lab, face_points())
    assert overlap(lips > 0.5, truth) > 0.9
    assert teeth.max() == 0


def test_a_lone_face_owns_everybody_and_two_are_parted_at_the_edge_between_them():
    person = np.ones((60, 120), np.float32)
    lab = np.zeros((60, 120, 3), np.float32)
    lab[:, :60, 0], lab[:, 60:, 0] = 0.3, 0.8
    boxes = [(20.0, 5.0, 20.0, 20.0), (80.0, 5.0, 20.0, 20.0)]
    nothing = [np.zeros((0, 2))] * 2
    assert (owners(lab, person, nothing[:1], boxes[:1]) == 1).all()
    whose = owners(lab, person, nothing, boxes)
    assert (whose[:, :57] == 1).all()
    assert (whose[:, 63:] == 2).all()


def told(lab, person, boxes):
    """Whose each pixel is as rules tell."""
    of = crowd(lab, person, [np.zeros((0, 2))] * len(boxes), boxes)
    whose = (of.cost.argmin(0) + 1).astype(np.uint8)
    return np.where(person > 0, cv2.resize(whose, person.shape[::-1], interpolation=cv2.INTER_NEAREST), 0)


def test_an_arm_before_somebody_elses_chest_is_of_whose_cloth_it_is():
    person, lab = np.zeros((240, 400), np.float32), np.zeros((240, 400, 3), np.float32)
    lab[..., 0] = 0.2
    truth = np.zeros(person.shape, int)
    for number, (middle, cloth) in enumerate(((110, (0.5, -0.1, 0.05)), (290, (0.5, 0.12, 0.05))), 1):
        body, head = np.s_[110:, middle - 80 : middle + 80], np.s_[30:110, middle - 25 : middle + 25]
        truth[body], truth[head] = number, number
        lab[body], lab[head] = cloth, (0.7, 0.04, 0.05)
    arm = np.s_[160:195, 185:340]
    truth[arm], lab[arm] = 1, (0.5, -0.1, 0.05)
    person[truth > 0] = 1
    boxes = [(80.0, 30.0, 60.0, 75.0), (260.0, 30.0, 60.0, 75.0)]
    whose = told(lab, person, boxes)
    for number in (1, 2):
        assert overlap(whose == number, truth == number) > 0.85


def test_cloth_below_two_chins_is_whose_middle_it_lies_in():
    """Of who stands behind a face and an arm are seen; below that chin is cloth of who stands before."""
    person, lab = np.zeros((240, 400), np.float32), np.zeros((240, 400, 3), np.float32)
    lab[..., 0] = 0.2
    truth = np.zeros(person.shape, int)
    behind = 2, np.s_[50:110, 215:245], np.s_[105:, 190:390], (0.4, 0.1, 0.0)
    before = 1, np.s_[30:110, 115:165], np.s_[110:, 20:290], (0.6, -0.1, 0.0)
    for number, head, body, cloth in (behind, before):
        truth[body], truth[head] = number, number
        lab[body], lab[head] = cloth, (0.7, 0.04, 0.05)
    person[truth > 0] = 1
    boxes = [(110.0, 30.0, 60.0, 75.0), (210.0, 52.0, 40.0, 56.0)]
    whose = told(lab, person, boxes)
    for number in (1, 2):
        assert overlap(whose == number, truth == number) > 0.85


def test_who_stands_before_somebody_elses_face_and_hair_is_told_from_them():
    """Alto 3, and Bass 1 cut out by his labels and put before her."""
    back, front, aside, down = portrait("Alto 3"), portrait("Bass 1"), 450, 100
    her, his = (
        cv2.resize(255 - labels(name)["backdrop"], (one.width, one.height)).astype(np.float32) / 255
        for name, one in (("Alto 3", back), ("Bass 1", front))
    )
    picture = np.pad(back.colours, ((0, 0), (0, aside), (0, 0)), mode="edge")
    her, before = np.pad(her, ((0, 0), (0, aside))), np.zeros(picture.shape[:2], np.float32)
    before[down:, aside:] = his[: back.height - down, : back.width]
    picture[down:, aside:] += before[down:, aside:, None] * (
        front.colours[: back.height - down, : back.width] - picture[down:, aside:]
    )
    both = Small(picture, "both")
    answer = find_kept(both)
    for number, truth in ((1, her * (1 - before)), (2, before)):
        one = answer.coverage("person", number, Frame.whole(both.width, both.height), both.read)
        assert overlap(one > 0.5, truth > 0.5) > 0.82


def test_what_is_told_on_the_window_of_a_body_lies_where_it_was_seen():
    y, x = np.mgrid[:200, :300].astype(np.float32)
    boxes = [(60.0, 40.0, 30.0, 30.0), (180.0, 50.0, 40.0, 40.0)]
    of = crowd(np.zeros((200, 300, 3), np.float32), np.ones((200, 300), np.float32), [np.zeros((0, 2))] * 2, boxes)
    height, width = of.covered.shape
    for number in range(2):
        for place in (y, x):
            layer = cv2.resize(place, (width, height), interpolation=cv2.INTER_AREA)
            back = laid(of, number, window(of, number, layer), np.nan)
            there = np.isfinite(back)
            assert there.mean() > 0.3
            assert np.abs(back - layer)[there].max() < 6


def test_the_least_cut_is_the_least_of_all_divisions():
    rng = np.random.default_rng(3)
    for _ in range(8):
        count = 7
        front, back = rng.random(count), rng.random(count)
        never = np.zeros(count, bool)
        never[0] = True
        first, second = np.array(list(itertools.combinations(range(count), 2))).T
        smooth = rng.random(len(first)) * 0.4

        def cost(sides, front=front, back=back, first=first, second=second, smooth=smooth):
            return np.where(sides, front, back).sum() + smooth[sides[first] != sides[second]].sum()

        every = [np.array((False, *sides)) for sides in itertools.product((False, True), repeat=count - 1)]
        cut = _least_cut(front, back, never, first, second, smooth)
        assert not cut[0]
        assert cost(cut) == pytest.approx(min(map(cost, every)), abs=0.01)


def textured(shape=(240, 300), seed=5):
    rng = np.random.default_rng(seed)
    lab = np.zeros((*shape, 3), np.float32)
    lab[..., 0] = 0.5 + 0.15 * cv2.resize(rng.standard_normal((8, 10)), shape[::-1], interpolation=cv2.INTER_CUBIC)
    lab[..., 0] += 0.02 * rng.standard_normal(shape)
    return lab


def test_a_box_finds_what_stands_in_it():
    lab = textured()
    y, x = np.mgrid[:240, :300]
    truth = ((x - 150) / 50) ** 2 + ((y - 120) / 70) ** 2 < 1
    lab[truth, 1] = 0.12
    inside = (np.abs(x - 150) < 58) & (np.abs(y - 120) < 78)
    assert overlap(boxed(lab, inside), truth) > 0.95
    assert not (boxed(lab, inside) & ~_near(inside)).any()


def _near(inside):
    """The box, and as far beyond it as a cell reaches."""
    return cv2.dilate(inside.astype(np.uint8), np.ones((25, 25))) > 0


def test_regions_cross_no_known_border_and_parts_lie_in_wholes():
    lab = textured()
    classes = np.zeros(lab.shape[:2], int)
    classes[60:180, 100:220] = 1
    parts, wholes = regions(lab, classes)
    for numbers in (parts, wholes):
        for number in np.unique(numbers):
            assert len(np.unique(classes[numbers == number])) == 1
    for part in np.unique(parts):
        assert len(np.unique(wholes[parts == part])) == 1
    assert len(np.unique(wholes)) < len(np.unique(parts)) <= 95


def test_a_cloth_is_one_thing_in_light_and_shadow_and_another_colour_is_another():
    lab = textured()
    lab[:, :, 1:] = 0
    cloth, classes = np.s_[40:200, 60:240], np.ones(lab.shape[:2], int)
    for half, lightness in ((np.s_[40:200, 60:150], 0.7), (np.s_[40:200, 150:240], 0.45)):
        lab[half] = (lightness, 0.12 * (lightness + 0.16), 0.0)
    lab[100:140, 100:140] = (0.5, -0.1, 0.1)
    _, wholes = regions(lab, classes)
    at = wholes[60, 80]
    assert at == wholes[60, 220] != wholes[120, 120] != wholes[10, 10] != at
    # What is one thing by what it is stays one, whatever its colours; beside it nothing changes.
    classes[cloth] = 3
    _, wholes = regions(lab, classes, one={3})
    assert len(np.unique(wholes[cloth])) == 1


# --- in a sheet


def sheet_with(*parts):
    return read_sheet(
        {"format": "needlepoint-sheet", "version": 1, "areas": [{"id": "a", "parts": list(parts)}],
         "touches": [{"id": "t", "kind": "exposure", "settings": {"ev": 1}, "area": "a"}]}
    )  # fmt: skip


HALF = Found(
    "half",
    (Face((0, 0, 0.5, 0.5), 0.9), Face((0.5, 0, 0.5, 0.5), 0.9)),
    {
        "person": Map(Frame.whole(4, 4), np.full((4, 4), 255, np.uint8)),
        "skin-1": Map(Frame.whole(4, 4), np.array([[255, 255, 0, 0]] * 4, np.uint8)),
        "skin-2": Map(Frame.whole(4, 4), np.array([[0, 0, 0, 255]] * 4, np.uint8)),
    },
)
GREY = Small(np.full((40, 40, 3), 0.4))


def area_of(part, there):
    return Renderer(GREY, sheet_with(part), Cache(), found=lambda: there).area("a", Frame.whole(40, 40))


def test_parts_of_one_face_or_of_all():
    first = area_of({"source": "face-part", "part": "skin", "of": 1}, HALF)
    assert (first[:, :12].min(), first[:, 30:].max()) == (1, 0)
    both = area_of({"source": "face-part", "part": "skin"}, HALF)
    assert (both[:, :12].min(), both[:, 38:].min()) == (1, 1)
    assert both[:, 25].max() < 0.1
    assert area_of({"source": "face-part", "part": "teeth"}, HALF).max() == 0
    assert area_of({"source": "face-part", "part": "skin", "of": 3}, HALF).max() == 0
    assert area_of({"source": "person", "part": "backdrop"}, HALF).max() == 0


def test_nothing_is_covered_before_the_search_and_the_view_follows_it():
    sheet, cache, there = sheet_with({"source": "face-part", "part": "skin"}), Cache(), []
    frame = Frame.whole(40, 40)

    def draw():
        return Renderer(GREY, sheet, cache, found=lambda: there[-1] if there else None).draw(frame)

    assert (draw() == GREY.colours).all()
    there.append(HALF)
    assert (draw()[:, 5] != GREY.colours[:, 5]).all()


def test_a_thing_is_clicked_in_and_out_again():
    there, picture = found("Soprano 2"), portrait("Soprano 2")
    numbers, frame = there.regions.wholes, there.regions.frame
    size = Frame.whole(320, 400)
    ys, xs = np.nonzero(numbers == np.bincount(numbers.ravel()).argmax())
    at = [float(xs[len(xs) // 2] / frame.unit), float(ys[len(ys) // 2] / frame.unit)]

    def covers(*clicks):
        part = {"source": "thing", "clicks": list(clicks)}
        return Renderer(picture, sheet_with(part), Cache(), found=lambda: there).area("a", size)

    taken_in = covers({"at": at, "level": "whole"})
    assert taken_in.mean() == pytest.approx(len(xs) / numbers.size, rel=0.1)
    smaller = covers({"at": at, "level": "whole"}, {"at": at, "level": "part", "take": True})
    assert 0 < smaller.mean() < taken_in.mean()
    assert covers({"at": [1.9, 1.9]}).max() == 0


@pytest.mark.parametrize("box", [[0, 0, 0, 0], [0.5, 0.5, 0.5, 0.9], [-1, -1, -0.5, -0.5], [1.5, 1.5, 2, 2]])
def test_a_box_of_nothing_covers_nothing(box):
    assert area_of({"source": "thing", "box": box}, None).max() == 0


def test_a_box_is_cut_once_and_for_every_view_the_same():
    there, picture, cache = found("Soprano 2"), portrait("Soprano 2"), Cache()
    sheet = sheet_with({"source": "thing", "box": [0.02, 0.62, 0.78, 1.0]})
    whole, part = Frame.whole(640, 800), Frame(640, 800, 200, 560, 180, 120)
    full = Renderer(picture, sheet, cache, found=lambda: there).area("a", whole)
    assert full.mean() > 0.1
    # Another view, by another renderer on the same cache and by one that knows nothing.
    zoomed = Frame(960, 1200, 300, 840, 270, 180)
    again = Renderer(picture, sheet, cache, found=lambda: there).area("a", zoomed)
    fresh = Renderer(picture, sheet, Cache(), found=lambda: there).area("a", zoomed)
    assert (again == fresh).all()
    alone = Renderer(picture, sheet, Cache(), found=lambda: there).area("a", part)
    assert np.abs(full[part.slices_in(whole)] - alone).max() < 1e-6


# --- the whole area brought to the picture's edges


def disc(size=200, radius=60):
    y, x = np.mgrid[:size, :size] + 0.5
    return np.hypot(x - size / 2, y - size / 2) < radius


def rough_area(refine, radius=0.31):
    """A pool a little beside a bright disc of radius 0.3, and the picture."""
    colours = np.zeros((200, 200, 3), np.float32) + 0.2
    colours[disc()] = (0.8, 0.6, 0.4)
    pool = {"source": "pool", "centre": [0.5, 0.5], "radii": [radius, radius], "softness": 0}
    sheet = read_sheet(
        {"format": "needlepoint-sheet", "version": 1, "areas": [{"id": "a", "parts": [pool], "refine": refine}]}
    )
    return Renderer(Small(colours), sheet, Cache()).area("a", Frame.whole(200, 200))


@pytest.mark.parametrize("refine", ["edges", "hair"])
def test_a_careless_edge_moves_to_the_pictures(refine):
    before, after = (overlap(rough_area(how) > 0.5, disc()) for how in ("no", refine))
    assert before < 0.95
    assert after > 0.985


def test_an_area_that_is_all_or_nothing_stays_so():
    for parts, expected in (([], 0), ([{"source": "whole"}], 1)):
        for refine in ("edges", "hair"):
            area = {"id": "a", "parts": parts, "refine": refine}
            sheet = read_sheet({"format": "needlepoint-sheet", "version": 1, "areas": [area]})
            covered_by = Renderer(GREY, sheet, Cache()).area("a", Frame.whole(40, 40))
            assert np.abs(covered_by - expected).max() < 1e-4


# --- strokes that spare the structure


@pytest.mark.parametrize("name", ["Soprano 2", LIGHT_AND_DARK])
def test_a_stroke_over_everything_spares_hair_and_brows_and_covers_skin(name):
    stroke = {"size": 2, "softness": 0, "points": [[0.4, 0.4, 1]], "spare_structure": True}
    height, width = labels(name)["skin"].shape
    part = {"source": "strokes", "strokes": [stroke]}
    area = Renderer(portrait(name), sheet_with(part), Cache()).area("a", Frame.whole(width, height))

    def within(kind):
        return float(area[labels(name)[kind] > 250].mean())

    assert within("face-skin") > 0.8
    assert within("hair") < 0.12
    assert within("brows") < 0.35
    assert within("lashes") < 0.3


def test_nothing_is_spared_where_there_is_no_structure():
    stroke = {"size": 0.5, "softness": 0.5, "points": [[0.5, 0.5, 1]]}
    plain, sparing = (
        area_of({"source": "strokes", "strokes": [{**stroke, "spare_structure": spare}]}, None)
        for spare in (False, True)
    )
    assert (plain == sparing).all()


# --- mask pictures


def mask_sheet(coverage):
    part = {"source": "file", "name": "mine.png", "png": packed(coverage)}
    return sheet_with(part)


def test_a_mask_picture_covers_what_it_shows():
    coverage = np.zeros((400, 500), np.float32)
    coverage[:, :250] = 0.6
    area = Renderer(GREY, mask_sheet(coverage)).area("a", Frame.whole(40, 40))
    assert area[:, :18] == pytest.approx(0.6, abs=0.003)
    assert area[:, 22:].max() == 0


def test_a_large_mask_picture_is_reduced_and_a_noisy_one_is_refused():
    assert max(cv2.imdecode(np.frombuffer(base64.b64decode(packed(np.ones((50, 5000)))), np.uint8), 0).shape) == 2000
    with pytest.raises(PictureError, match="too much fine structure"):
        packed(np.random.default_rng(1).random((2000, 2000)))


NO_PNG = (b"GIF89a" + bytes(40), b"\x89PNG\r\n\x1a\n" + bytes(4) + b"IHDR" + b"\x7f" * 8)


@pytest.mark.parametrize("png", ["", "not base64!", *(base64.b64encode(data).decode() for data in NO_PNG)])
def test_what_is_no_small_png_is_refused(png):
    with pytest.raises(PictureError, match="mask picture"):
        sheet_with({"source": "file", "png": png})


def test_a_png_that_breaks_off_covers_nothing():
    data = base64.b64decode(packed(np.ones((40, 40))))[:40]
    area = Renderer(GREY, sheet_with({"source": "file", "png": base64.b64encode(data).decode()})).area(
        "a", Frame.whole(40, 40)
    )
    assert area.max() == 0


# --- mattes worked out in the background


def test_until_a_matte_is_there_its_area_keeps_to_edges_and_nothing_kept_is_mixed_up():
    colours = np.zeros((200, 200, 3), np.float32) + 0.2
    colours[disc()] = (0.8, 0.6, 0.4)
    pool = {"source": "pool", "centre": [0.5, 0.5], "radii": [0.31, 0.31], "softness": 0}

    def sheet(refine):
        area = {"id": "a", "parts": [pool], "refine": refine}
        touch = {"id": "t", "kind": "exposure", "settings": {"ev": 1}, "area": "a"}
        raw = {"format": "needlepoint-sheet", "version": 1, "areas": [area], "touches": [touch]}
        return read_sheet(raw)

    picture, cache, frame, waiting = Small(colours), Cache(), Frame.whole(200, 200), {}

    def renderer(refine="hair", later=lambda name, work: waiting.setdefault(name, work) is not None):
        return Renderer(picture, sheet(refine), cache, later=later)

    edges = Renderer(picture, sheet("edges"), Cache()).draw(frame)
    hair = Renderer(picture, sheet("hair"), Cache()).draw(frame)
    first = renderer()
    np.testing.assert_array_equal(first.draw(frame), edges)
    assert first.waiting == {"a"}
    assert renderer().draw(frame) is not None
    [work] = waiting.values()
    work()
    now = renderer()
    np.testing.assert_array_equal(now.draw(frame), hair)
    assert not now.waiting
    assert now.key != first.key
    # Work that has failed is not waited for: it is done at once, and says what is wrong.
    cache = Cache()
    np.testing.assert_array_equal(renderer(later=lambda name, work: False).draw(frame), hair)
