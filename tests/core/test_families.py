"""The families of kinds: one law for all, and how often a touch runs."""

from itertools import cycle, pairwise
from typing import ClassVar

import cv2
import numpy as np
import pytest

from retouch.files.reading import read
from retouch.frame import Frame
from retouch.render.cache import Cache
from retouch.render.export import Order, export, profile_for
from retouch.render.output import to_file
from retouch.render.picture import Decoded
from retouch.render.plan import Renderer
from retouch.render.spread import changed
from retouch.sheet import Area, Set, Sheet, Touch, read_sheet
from retouch.sheet.model import touch_model
from retouch.touches import KINDS
from retouch.touches.base import Drawn, Kind, Moved, Near
from retouch.touches.repair import packed
from retouch.types import Floats
from tests.pictures import Held, grainy

PICTURE = Held(grainy(300, 240))
FULL = Frame.whole(300, 240)
SCALES = (FULL, Frame.whole(220, 176), Frame.whole(100, 80))


class Works:
    """A kind of a test works as it stands."""

    @property
    def neutral(self) -> bool:
        return False


class Crisp(Works, Near):
    """Away from the mean within a radius."""

    kind: ClassVar[str] = "crisp"
    radius: float = 0.012

    @property
    def finest(self) -> float:
        return self.radius

    @property
    def reach(self) -> float:
        return self.radius

    def changed(self, around: Floats, unit: int) -> Floats:
        by = int(self.radius * unit)
        mean = cv2.blur(around, (2 * by + 1, 2 * by + 1), borderType=cv2.BORDER_REPLICATE)
        return np.asarray(around + (around - mean))


class Copies(Works, Drawn):
    """Squares copied from a place beside them, each seeing those before it."""

    kind: ClassVar[str] = "copies"
    squares: tuple[tuple[float, float, float, float], ...] = ((0.2, 0.2, 0.3, 0.1), (0.3, 0.25, -0.1, -0.05))
    """Left and top of each square, and from where it comes."""
    side: float = 0.12

    def _square(self, at, frame):
        x, y, dx, dy = (round(v * frame.unit) for v in at)
        n = round(self.side * frame.unit)
        return Frame(frame.width, frame.height, x, y, n, n), dx, dy

    def spread(self, frame: Frame) -> Frame:
        for at in reversed(self.squares):
            square, dx, dy = self._square(at, frame)
            if _meet(square, frame):
                frame = frame.joined(Frame(*square.scale, square.x + dx, square.y + dy, square.w, square.h))
        return frame

    def reached(self, frame: Frame) -> Frame:
        for at in self.squares:
            square, dx, dy = self._square(at, frame)
            if _meet(Frame(*square.scale, square.x + dx, square.y + dy, square.w, square.h), frame):
                frame = frame.joined(square)
        return frame

    def draw(self, canvas: Floats, frame: Frame, wanted: Frame, memory) -> None:
        for at in self.squares:
            square, dx, dy = self._square(at, frame)
            source = Frame(*square.scale, square.x + dx, square.y + dy, square.w, square.h)
            if frame.holds(square) and frame.holds(source):
                canvas[square.slices_in(frame)] = canvas[source.slices_in(frame)].copy()


def _meet(a: Frame, b: Frame) -> bool:
    return a.x < b.x + b.w and b.x < a.x + a.w and a.y < b.y + b.h and b.y < a.y + a.h


class Pushed(Works, Moved):
    """Pushed sideways about a place."""

    kind: ClassVar[str] = "pushed"
    by: float = 0.02

    def bent(self, grid: Frame, pinned, name, memory) -> Floats:
        x, y = grid.places()
        near = np.clip(1 - np.hypot(x[None, :] - 0.5, y[:, None] - 0.4) / 0.3, 0, 1) ** 2
        return np.stack([self.by * near, 0 * near, 0 * near], axis=-1).astype(np.float32)


ALL: dict[str, Kind] = {n: k.model_validate(k.starts[0].settings) for n, k in KINDS.items()}
ALL["catchlight"] = KINDS["catchlight"](amount=0.8, size=0.6, eyes=[{"x": 0.45, "y": 0.4, "radius": 0.1}])
ALL |= {k.kind: k() for k in (Crisp, Copies, Pushed)}
ALL["reshape"] = KINDS["reshape"].model_validate({"strokes": [
    {"size": 0.3, "points": [[0.4, 0.3, 1], [0.44, 0.32, 1]]},
    {"does": "swell", "size": 0.2, "points": [[0.5, 0.4, 1], [0.6, 0.4, 1]], "mirror": [[0.5, 0], [0.5, 1]]},
]})  # fmt: skip
PATCHES = [
    {"way": "heal", "source": [0.2, 0.05]},
    {"way": "clone", "source": [-0.1003, 0.0507], "of": "texture"},
    {"way": "clone", "source": [0.1, 0.0], "turn": 30, "mirror": True, "scale": 1.4, "strength": 0.7},
    {"way": "smear", "of": "shading"},
    {"way": "spot", "source": [0.1, -0.2], "of": "shading"},
    {"way": "paint", "colour": "#c09070"},
]
LABELS = np.full((30, 40), 255, np.uint8)
LABELS[4:26, 4:20], LABELS[4:26, 20:36] = 0, 1
FILLED = {
    "unit": 150,
    "x": 80,
    "y": 60,
    "w": 40,
    "h": 30,
    "offsets": [[-0.21, 0.03], [0.1, -0.2]],
    "labels": packed(LABELS),
}
ALL["repair"] = KINDS["repair"].model_validate({"size": 0.02, "patches": [
    {**patch, "id": str(n), "strokes": [
        {"size": 0.1, "flow": 0.8, "points": [[0.35 + 0.05 * n, 0.3, 1], [0.4, 0.45, 1]]}]}
    for n, patch in enumerate(PATCHES)
] + [{"id": "f", "way": "fill", "filling": FILLED}]})  # fmt: skip
STROKES = {"source": "strokes", "strokes": [{"size": 0.5, "softness": 0.8, "points": [[0.4, 0.4, 1], [0.6, 0.5, 1]]}]}
BRIGHT = {"source": "tones", "ramp": [0.3, 0.6, 1, 1], "of": "below"}
AREAS = [
    Area.model_validate({"id": "a", "feather": 0.01, "parts": [STROKES]}),
    Area.model_validate({"id": "b", "feather": 0.01, "grow": 0.004, "parts": [STROKES, BRIGHT | {"join": "only"}]}),
]
HOW = {
    "plain": {},
    "in an area": {"area": "a", "strength": 0.7},
    "in an area that looks below": {"area": "b"},
    "in some tones": {"limit": {"ramp": [0.2, 0.5, 1, 1]}},
    "blended": {"blend": "soft-light"},
}


def step(settings: Kind, name: str = "t", **how) -> Touch:
    return touch_model(type(settings))(id=name, settings=settings, **how)


def sheet_of(*steps) -> Sheet:
    return Sheet.model_construct(areas=AREAS, touches=list(steps))


@pytest.mark.parametrize("name", ALL)
def test_whole_is_rectangles_is_bands_is_export(name, tmp_path):
    path = tmp_path / "p.tif"
    cv2.imwrite(str(path), (np.clip(PICTURE.colours[..., ::-1], 0, 1) * 65535 + 0.5).astype(np.uint16))
    original = read(path)
    first = step(KINDS["exposure"](ev=0.3), "e")
    # Every kind meets every scale, and every way of use does.
    scales = cycle(SCALES[n % 3] for n in range(list(ALL).index(name), 3 + list(ALL).index(name)))
    for how, extra in HOW.items():
        one = step(ALL[name], **extra)
        within = Set.model_construct(id="s", kind="set", area="a", strength=0.8, on=True, limit=None, touches=[one])
        for steps in ((first, one), (first, within)):
            _rectangles_agree(sheet_of(*steps), next(scales), f"{how} {'in a set' if steps[1] is within else ''}")
        if how in ("plain", "in an area that looks below"):
            decoded = Decoded(original)
            full = Renderer(decoded, sheet_of(first, one)).draw(FULL)
            wanted = to_file(full, profile_for("srgb", original)[0], 16).astype(int)
            export(original, sheet_of(first, one), Order("tiff", 16), tmp_path / "out.tif", found=lambda _: None)
            written = cv2.imread(str(tmp_path / "out.tif"), cv2.IMREAD_UNCHANGED)[..., ::-1].astype(int)
            assert np.abs(written - wanted).max() <= 2, how


def _rectangles_agree(sheet: Sheet, whole: Frame, said: str) -> None:
    drawn = Renderer(PICTURE, sheet).draw(whole)
    bands = [Renderer(PICTURE, sheet).draw(whole.rows(*cut)) for cut in pairwise((0, 37, 2 * whole.h // 3, whole.h))]
    np.testing.assert_allclose(np.concatenate(bands), drawn, atol=3e-6, err_msg=f"bands: {said}")
    cache = Cache()
    Renderer(PICTURE, sheet, cache, keep="t").draw(whole)
    dab = Frame(*whole.scale, whole.w // 3, whole.h // 3, whole.w // 4, whole.h // 5)
    cut = Renderer(PICTURE, sheet, cache, keep="t").draw(dab)
    np.testing.assert_allclose(cut, drawn[dab.slices_in(whole)], atol=3e-6, err_msg=f"a dab: {said}")


def test_a_drawn_kind_sees_its_own_earlier_patches_and_what_is_below():
    out = Renderer(PICTURE, sheet_of(step(KINDS["exposure"](ev=1), "e"), step(Copies()))).draw(FULL)
    below = Renderer(PICTURE, sheet_of(step(KINDS["exposure"](ev=1), "e"))).draw(FULL)
    # The first square comes from (150, 90); the second, at (90, 75), from the first.
    np.testing.assert_array_equal(out[62:70, 62:70], below[92:100, 152:160])
    np.testing.assert_array_equal(out[76:90, 92:106], below[91:105, 152:166])


def test_what_moves_goes_through_one_resampling_at_the_end():
    one, two = step(Pushed(by=0.02), "m"), step(Pushed(by=-0.02), "n")
    still = Renderer(PICTURE, sheet_of()).draw(FULL)
    moved = Renderer(PICTURE, sheet_of(one)).draw(FULL)
    assert np.abs(moved - still).max() > 0.05
    far = np.hypot(*np.meshgrid(np.arange(300) + 0.5 - 150, np.arange(240) + 0.5 - 120)) > 95
    np.testing.assert_array_equal(moved[far], still[far])
    # There and back is two displacements and one resampling: nothing is blurred twice.
    assert np.abs(Renderer(PICTURE, sheet_of(one, two)).draw(FULL) - still)[20:-20].mean() < 0.3 / 255
    # It moves what later touches make of the picture, wherever it stands in the list.
    lift = step(KINDS["exposure"](ev=1), "e")
    first, last = (Renderer(PICTURE, sheet_of(*order)).draw(FULL) for order in ((one, lift), (lift, one)))
    np.testing.assert_array_equal(first, last)
    np.testing.assert_array_equal(Renderer(PICTURE, sheet_of(one, lift)).below("e", FULL), still)


def test_a_length_below_the_pixel_invents_nothing_and_says_from_where_it_is_seen():
    sheet, small = sheet_of(step(Crisp(radius=0.005))), Frame.whole(100, 80)
    renderer = Renderer(PICTURE, sheet)
    np.testing.assert_array_equal(renderer.draw(small), PICTURE.read(small))
    assert renderer.unseen(small) == {"t": pytest.approx(1 / (0.005 * 300))}
    assert renderer.unseen(FULL) == {}


class Surveyed(Works, KINDS["zones"]):
    """A wide kind whose map depends on a setting."""

    kind: ClassVar[str] = "surveyed"
    level: float = 0.1

    @property
    def depends(self) -> str:
        return str(self.level)

    def survey(self, small, within):
        return (np.full((*small.shape[:2], 1), self.level, np.float32),)

    def apply(self, picture, maps, mask, strength):
        picture += maps[0]


def test_a_map_is_made_anew_when_a_setting_that_it_depends_on_changes():
    cache = Cache()
    for level in (0.1, 0.2):
        out = Renderer(PICTURE, sheet_of(step(Surveyed(level=level))), cache).draw(FULL)
        np.testing.assert_allclose(out - PICTURE.colours, level, atol=1e-5)


def test_another_version_of_a_kind_is_another_picture(monkeypatch):
    keys = []
    for version in (1, 2):
        monkeypatch.setattr(Crisp, "version", version)
        keys.append(Renderer(PICTURE, sheet_of(step(Crisp()))).key)
    assert keys[0] != keys[1]


@pytest.mark.parametrize("count", [4, 8])
def test_a_touch_runs_once_for_every_scale_whatever_the_areas_look_at(count):
    touches = [{"id": f"t{n}", "kind": "exposure", "settings": {"ev": 0.1}, "area": f"a{n}"} for n in range(count)]
    feathers = (0.05, 0.002)
    areas = [{"id": f"a{n}", "feather": feathers[n % 2], "grow": 0.002, "parts": [BRIGHT]} for n in range(count)]
    sheet = read_sheet({"format": "needlepoint-sheet", "version": 1, "areas": areas, "touches": touches})
    renderer = Renderer(PICTURE, sheet)
    renderer.draw(FULL)
    # The frame's own scale, and that of the wide feather's map.
    assert count <= renderer.runs <= 2 * count
    bands = Renderer(PICTURE, sheet)
    for y in range(0, 240, 40):
        bands.draw(FULL.rows(y, y + 40))
    assert bands.runs <= 6 * 2 * count


def test_areas_made_of_areas_are_worked_out_once_however_often_they_are_used():
    areas = [{"id": "a0", "parts": [STROKES]}]
    areas += [
        {"id": f"a{n}", "feather": 0.002, "parts": [{"source": "area", "area": f"a{n - 1}"}] * 2} for n in range(1, 301)
    ]
    touch = {"id": "t", "kind": "exposure", "settings": {"ev": 1}, "area": "a300"}
    sheet = read_sheet({"format": "needlepoint-sheet", "version": 1, "areas": areas, "touches": [touch]})
    assert Renderer(PICTURE, sheet).draw(Frame.whole(30, 24)).shape == (24, 30, 3)


def test_what_a_stroke_changes_is_told_before_it_is_drawn():
    """The rectangle that is told holds all that really changed, through all families, and is no whole picture."""
    stroke = {"size": 0.05, "points": [[0.22, 0.22, 1], [0.27, 0.25, 1]]}
    touches = [step(KINDS["exposure"](ev=1), "e", area="a"), step(Crisp(), "n"), step(Copies(), "c"),
               step(KINDS["exposure"](ev=-1), "f", area="b"), step(Pushed(), "m", area="a")]  # fmt: skip

    def areas(strokes):
        own = {"source": "strokes", "strokes": strokes}
        return [
            Area.model_validate({"id": "a", "feather": 0.01, "parts": [own]}),
            Area.model_validate({"id": "b", "grow": 0.01, "parts": [{"source": "area", "area": "a"}, BRIGHT]}),
        ]

    before, after = (Sheet.model_construct(areas=areas(s), touches=touches) for s in ([], [stroke]))
    new = FULL.within(0.195, 0.195, 0.295, 0.275)
    told = changed(Renderer(PICTURE, after), "a", new, new)
    differs = np.abs(Renderer(PICTURE, after).draw(FULL) - Renderer(PICTURE, before).draw(FULL)).max(-1) > 1e-5
    assert differs.any()
    rows, columns = told.slices_in(FULL)
    differs[rows, columns] = False
    assert not differs.any()
    assert told.w * told.h < 0.5 * FULL.w * FULL.h
    assert changed(Renderer(PICTURE, Sheet.model_construct(areas=areas([stroke]), touches=[])), "a", new, new) is None


def test_maps_of_the_whole_picture_stand_while_a_hand_is_down():
    zones = KINDS["zones"](shadow=1)
    cache = Cache()
    standing = Renderer(PICTURE, sheet_of(step(KINDS["exposure"](ev=0.2), "e"), step(zones, "z")), cache)
    standing.draw(SCALES[2])
    over = sheet_of(step(KINDS["exposure"](ev=0.4), "e"), step(zones, "z"))
    own, held = Renderer(PICTURE, over, Cache()), Renderer(PICTURE, over, cache, maps_of=standing)
    own.draw(SCALES[2]), held.draw(SCALES[2])
    assert (own.runs, held.runs) == (3, 2)
