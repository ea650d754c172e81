"""Natural measures: what was done to skin, eyes and teeth in small numbers, with the range of untouched pictures.

They inform and never block. The ranges were measured on the untouched sitters of the demo by
``python -m bench.gauges`` (`docs/gauges.md`): from the lowest to the highest of them.
"""

from collections.abc import Callable
from dataclasses import dataclass

import cv2
import numpy as np

from retouch.checks.look import CHECK_UNIT, blurred, halo, unevenness
from retouch.colour.encoding import decode
from retouch.colour.oklab import to_oklab
from retouch.colour.spaces import WORKING, to_xyz, white_xyz
from retouch.colour.tones import lightness
from retouch.render.plan import Renderer
from retouch.types import Coverage, Encoded, Floats

FINE = 0.0015
"""Standard deviation, in long sides, below which structure counts as texture: pores, fine hair."""
FORM = 0.006
"""The same from which on structure counts as form: wider than a blemish."""
GLEAM, PALER = 0.12, 0.8
"""OKLab lightness over skin's median, and share of its chroma, from which skin counts as shining."""
COVERED = 0.5
LEAST = 60
"""Pixels of the map that a measure needs to say anything."""
CHIN, TOP = 152, 10
"""The face mesh's landmarks at the chin and at the top of the forehead: the face's middle line."""


@dataclass(frozen=True)
class Gauge:
    """One measure, before and after, with the range of untouched pictures; ``sentence`` if it was left by the change.

    ``before`` is None where the measure is of the change itself.
    """

    name: str
    unit: str
    before: float | None
    after: float
    low: float
    high: float
    sentence: str = ""


@dataclass(frozen=True)
class Measured:
    """What is measured: the picture before and after, and where skin, whites, teeth and the area in hand lie.

    Pictures are encoded working colours h × w × 3, coverages h × w, 0…1, all on one map of the whole picture.
    ``middle`` are two places (x, y in pixels) of the face's middle line, if the face is known.
    """

    before: Encoded
    after: Encoded
    skin: Floats
    whites: Floats
    teeth: Floats
    area: Floats
    middle: tuple[tuple[float, float], tuple[float, float]] | None = None


def gauges(renderer: Renderer, touch: str | None = None, area: str | None = None) -> list[Gauge]:
    """The measures of a touch (from below it to after it), of an area, or of everything (from the original).

    What was not found on the picture, or is too small, is left out. KeyError if the touch or area is not there.
    """
    at = renderer.scaled(CHECK_UNIT)
    if touch is not None:
        before, after = renderer.below(touch, at), renderer.above(touch, at)
        inside = renderer.reach(touch, at)
    else:
        before, after = renderer.original(at), renderer.unmoved(at)
        inside = Coverage(np.ones(at.shape, np.float32) if area is None else renderer.area(area, at))
    found = renderer.found()

    def part(name: str) -> Floats:
        if found is None:
            return np.zeros(at.shape, np.float32)
        return found.coverage(name, 0, at, renderer.original)

    middle = None
    for face in found.faces if found is not None else ():
        if face.landmarks:
            x, y = np.array([face.landmarks[i] for i in (TOP, CHIN)]).T * at.unit
            middle = (x[0], y[0]), (x[1], y[1])
            break
    measured = Measured(before, after, part("skin") * inside, part("eye-whites"), part("teeth"), inside, middle)
    return [gauge for measure in MEASURES if (gauge := measure(measured)) is not None]


def texture(measured: Measured) -> Gauge | None:
    """Texture kept: the fine structure of lightness in skin after the change, as a share of what it was.

    Fine structure is lightness less its Gaussian of FINE; its amount the root of its mean square under the skin.
    """
    if measured.skin.sum() < LEAST:
        return None
    was, now = (_rms(_fine(p), measured.skin) for p in (measured.before, measured.after))
    if was < 1e-5:
        return None
    kept = 100 * now / was
    words = ""
    if kept < TEXTURE_RANGE[0]:
        words = f"The skin keeps {kept:.0f} % of its fine structure: it begins to look like plastic."
    elif kept > TEXTURE_RANGE[1]:
        words = f"The skin has {kept:.0f} % of the fine structure it had: pores stand out."
    return Gauge("texture kept", "%", None, kept, *TEXTURE_RANGE, words)


def structure(measured: Measured) -> Gauge | None:
    """Blemishes kept: the structure of lightness in skin between pores and forms, as a share of what it was."""
    return _kept("blemishes kept", measured, (FINE, FORM), (20.0, 140.0), "")


def forms(measured: Measured) -> Gauge | None:
    """Forms kept: the structure of lightness in skin as large as nose, lids, cheekbones, as a share of what it was."""
    return _kept(
        "forms kept",
        measured,
        (FORM, 5 * FORM),
        FORMS_RANGE,
        "The face keeps {} % of its forms: it begins to look flat.",
    )


def _kept(
    name: str, measured: Measured, sizes: tuple[float, float], span: tuple[float, float], words: str
) -> Gauge | None:
    if measured.skin.sum() < LEAST:
        return None

    def amount(picture: Encoded) -> float:
        light = _filled(lightness(picture), measured.skin)
        return _rms(blurred(light, sizes[0]) - blurred(light, sizes[1]), measured.skin)

    was = amount(measured.before)
    if was < 1e-5:
        return None
    kept = 100 * amount(measured.after) / was
    return Gauge(name, "%", None, kept, *span, words.format(f"{kept:.0f}") if kept < span[0] else "")


def shine_left(measured: Measured) -> Gauge | None:
    """Shine: the share of the skin, per cent, that is much lighter and paler than skin usually is on this picture.

    Lighter than the median by GLEAM, with less than PALER of its chroma: light that is mirrored, not skin's own colour.
    """
    if measured.skin.sum() < LEAST:
        return None
    inside = measured.skin > COVERED * measured.skin.max()
    lab = to_oklab(Encoded(measured.before[inside]))
    middle, usual = np.median(lab[:, 0]), np.median(np.hypot(lab[:, 1], lab[:, 2]))

    def share(picture: Encoded) -> float:
        now = to_oklab(Encoded(picture[inside]))
        hot = (now[:, 0] > middle + GLEAM) & (np.hypot(now[:, 1], now[:, 2]) < PALER * usual)
        return float(100 * hot.mean())

    was, now = share(measured.before), share(measured.after)
    words = "Where the skin shone it has lost its light: it looks powdered." if was > 1 and now < 0.02 * was else ""
    return Gauge("shine", "%", was, now, *SHINE_RANGE, words)


def evenness(measured: Measured) -> Gauge | None:
    """Unevenness: the mid-size structure of lightness in skin (:func:`retouch.checks.look.unevenness`), L in per cent.

    Lightness beside the skin is first replaced by that of the skin next to it, so that its edges do not count.
    """
    if measured.skin.sum() < LEAST:
        return None
    was, now = (
        100 * _rms(unevenness(_filled(lightness(p), measured.skin)), measured.skin)
        for p in (measured.before, measured.after)
    )
    words = ""
    if now < EVEN_RANGE[0] <= was:
        words = "The skin is more even than any untouched one: the face may lose its form."
    elif now > EVEN_RANGE[1] >= was:
        words = "The skin has become less even than untouched ones are."
    return Gauge("unevenness", "", was, now, *EVEN_RANGE, words)


def _shows(part: Floats) -> bool:
    """Whether enough of an eye's white or of teeth is surely seen: a dark slit of a mouth tells nothing of them."""
    return int((part > COVERED).sum()) >= LEAST / 4


def whites(measured: Measured) -> Gauge | None:
    """Whites: how much lighter the teeth or eye whites are than the brightest skin, in L per cent."""
    bright = _bright_skin(measured)
    parts = [part for part in (measured.whites, measured.teeth) if _shows(part)]
    if bright is None or not parts:
        return None

    def over(picture: Encoded, skin: float) -> float:
        light = 100 * lightness(picture)
        return max(_mean(light, part) - skin for part in parts)

    was, now = over(measured.before, bright[0]), over(measured.after, bright[1])
    most = max(was, 0) + LIFT
    words = "" if now <= most else "Teeth or eye whites have become the lightest thing of the face by far."
    return Gauge("whites over skin", "", was, now, min(was, -50), most, words)


def teeth_against_eyes(measured: Measured) -> Gauge | None:
    """Teeth against eye whites: how much lighter the teeth are, in L per cent. Whiter teeth than eyes give it away."""
    if not (_shows(measured.whites) and _shows(measured.teeth)):
        return None
    lights = [100 * lightness(p) for p in (measured.before, measured.after)]
    was, now = (_mean(light, measured.teeth) - _mean(light, measured.whites) for light in lights)
    words = "" if now <= max(was, TEETH_RANGE[1]) else "The teeth are whiter than the eyes: that is seen at once."
    return Gauge("teeth over eye whites", "", was, now, *TEETH_RANGE, words)


def edge(measured: Measured) -> Gauge | None:
    """Edge: the share of the area's edge along which the change shows (:func:`retouch.checks.look.halo`), per cent."""
    covered = measured.area > COVERED
    if not covered.any() or covered.all():
        return None
    rim = cv2.morphologyEx(covered.astype(np.uint8), cv2.MORPH_GRADIENT, np.ones((3, 3), np.uint8)) > 0
    shows = halo(lightness(measured.before), lightness(measured.after)) > COVERED
    near = cv2.dilate(shows.astype(np.uint8), np.ones((5, 5), np.uint8)) > 0
    share = 100 * float(near[rim].mean())
    words = "" if share <= EDGE_RANGE[1] else "The area's edge shows where the picture has none: look at it at 100 %."
    return Gauge("edge seen", "%", None, share, *EDGE_RANGE, words)


def skin_hue(measured: Measured) -> Gauge | None:
    """Colour cast of the skin: its mean CIELAB hue angle (D65), degrees. Source: CIE 015:2018, 8.2.1."""
    if measured.skin.sum() < LEAST:
        return None
    was, now = (_hue(*_mean_lab(p, measured.skin)) for p in (measured.before, measured.after))
    words = ""
    if now < min(HUE_RANGE[0], was - 1):
        words = "The skin has gone redder than untouched skin is."
    elif now > max(HUE_RANGE[1], was + 1):
        words = "The skin has gone yellower than untouched skin is."
    return Gauge("skin hue", "°", was, now, *HUE_RANGE, words)


def skin_ita(measured: Measured) -> Gauge | None:
    """Individual typology angle of the skin, arctan((L* − 50) / b*), degrees: higher is lighter.

    Source: A. Chardon, I. Cretois, C. Hourseau, "Skin colour typology and suntanning pathways" (1991).
    """
    if measured.skin.sum() < LEAST:
        return None
    was, now = (ita(*_mean_lab(p, measured.skin)) for p in (measured.before, measured.after))
    words = ""
    if abs(now - was) > ITA_SHIFT:
        words = f"The skin has become much {'lighter' if now > was else 'darker'} than the sitter's own."
    return Gauge("skin tone, ITA", "°", was, now, was - ITA_SHIFT, was + ITA_SHIFT, words)


def balance(measured: Measured) -> Gauge | None:
    """Light balance: the ratio of the light on the two halves of the face, in EV; 0 is flat."""
    if measured.middle is None:
        return None
    (x0, y0), (x1, y1) = measured.middle
    y, x = np.mgrid[: measured.skin.shape[0], : measured.skin.shape[1]]
    left = (x - x0) * (y1 - y0) - (y - y0) * (x1 - x0) > 0
    length = np.hypot(x1 - x0, y1 - y0)
    near = np.hypot(x - (x0 + x1) / 2, y - (y0 + y1) / 2) < 0.75 * length
    halves = [measured.skin * near * side for side in (left, ~left)]
    if min(h.sum() for h in halves) < LEAST:
        return None

    def ratio(picture: Encoded) -> float:
        light = decode(picture) @ to_xyz(WORKING)[1].astype(np.float32)
        first, second = (max(_mean(light, h), 1e-6) for h in halves)
        return abs(float(np.log2(first / second)))

    was, now = ratio(measured.before), ratio(measured.after)
    words = "The light on the face has become flat." if was > 0.3 and now < FLATTER * was else ""
    return Gauge("light balance", "EV", was, now, *BALANCE_RANGE, words)


MEASURES: tuple[Callable[[Measured], Gauge | None], ...] = (
    texture, structure, forms, evenness, shine_left, whites, teeth_against_eyes, edge, skin_hue, skin_ita, balance,
)  # fmt: skip

# The spans of `docs/gauges.md`, rounded outwards.
TEXTURE_RANGE = (60.0, 140.0)
EVEN_RANGE = (1.5, 5.5)
FORMS_RANGE = (75.0, 130.0)
SHINE_RANGE = (0.0, 6.0)
HUE_RANGE = (24.0, 52.0)
TEETH_RANGE = (-20.0, 0.0)
"""Untouched teeth were darker than eye whites; how far is known of one open smile alone."""
BALANCE_RANGE = (0.0, 3.0)
EDGE_RANGE = (0.0, 10.0)
"""Of the change itself, so not measured on untouched pictures: a tenth of an edge that shows is looked for anyway."""
LIFT = 6.0
"""L per cent by which eye whites and teeth may rise over the skin: half of what they were lighter on dark skin."""
ITA_SHIFT = 10.0
"""Degrees: about half the width of the narrower classes of skin tone (13° to 27°; Chardon 1991)."""
FLATTER = 0.4
"""Share of the light balance that is left of a face when it has become flat."""


def _hue(light: float, a: float, b: float) -> float:
    return float(np.degrees(np.arctan2(b, a)))


def ita(light: float, a: float, b: float) -> float:
    """Individual typology angle of a CIELAB colour, degrees; see :func:`skin_ita`."""
    return float(np.degrees(np.arctan2(light - 50, b)))


def cielab(picture: Encoded) -> Floats:
    """CIELAB (D65) of encoded working colours … × 3. Source: CIE 015:2018, 8.2.1."""
    ratio = decode(picture).astype(np.float64) @ to_xyz(WORKING).T / white_xyz(WORKING.white)
    f = np.where(ratio > (6 / 29) ** 3, np.cbrt(ratio), ratio * (29 / 6) ** 2 / 3 + 4 / 29)
    return np.stack([116 * f[..., 1] - 16, 500 * (f[..., 0] - f[..., 1]), 200 * (f[..., 1] - f[..., 2])], axis=-1)


def _mean_lab(picture: Encoded, part: Floats) -> tuple[float, float, float]:
    # Highlights and deep shadows are of the light, not of the skin.
    light = lightness(picture)
    inside = part > COVERED
    low, high = np.percentile(light[inside], (20, 90)) if inside.any() else (0, 1)
    kept = inside & (light >= low) & (light <= high)
    light_, a, b = cielab(Encoded(picture[kept])).mean(axis=0) if kept.any() else (0.0, 0.0, 0.0)
    return float(light_), float(a), float(b)


def _bright_skin(measured: Measured) -> tuple[float, float] | None:
    inside = measured.skin > COVERED
    if inside.sum() < LEAST:
        return None
    was, now = (float(np.percentile(100 * lightness(p)[inside], 95)) for p in (measured.before, measured.after))
    return was, now


def _fine(picture: Encoded) -> Floats:
    light = lightness(picture)
    return np.asarray(light - blurred(light, FINE))


def _rms(values: Floats, weight: Floats) -> float:
    return float(np.sqrt((weight * values**2).sum() / max(weight.sum(), 1e-6)))


def _mean(values: Floats, weight: Floats) -> float:
    return float((weight * values).sum() / max(weight.sum(), 1e-6))


def _filled(light: Floats, part: Floats) -> Floats:
    """Lightness with what lies outside a part replaced by the part's own nearby."""
    # Light strokes cover little everywhere: what counts is what they cover most.
    weight = (part > COVERED * part.max()).astype(np.float32)
    around = blurred(light * weight, 0.012) / np.maximum(blurred(weight, 0.012), 1e-3)
    return np.where(weight > 0, light, around).astype(np.float32)
