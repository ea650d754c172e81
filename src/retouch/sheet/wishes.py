"""A wish in everyday words ("teeth a bit whiter", "darken backdrop") as the ready touches that it may mean, best first.

A wish is read as *where*, *what* and *how much*, in any order. Words are told by lists of their own below, one that is
misspelt by the nearest of them; nothing is learnt and nobody outside is asked.
"""

import re
from collections.abc import Iterator
from dataclasses import dataclass, field, replace
from difflib import get_close_matches
from typing import Any

from retouch.touches import KINDS
from retouch.touches.base import BACKDROP, SKIN, ReadyPlace, found_part

PLACES = {
    "teeth": ReadyPlace("the teeth", (found_part("teeth"),), 0.001),
    "whites": ReadyPlace("the eye whites", (found_part("eye-whites"),), 0.001),
    "irises": ReadyPlace("the irises", (found_part("irises"),), 0.0006),
    "eyes": ReadyPlace("the eyes", (found_part("irises"), found_part("eye-whites"), found_part("pupils")), 0.0008),
    "pupils": ReadyPlace("the pupils", (found_part("pupils"),), 0.0006),
    "under": ReadyPlace("under the eyes", (found_part("under-eyes"),), 0.004),
    "lips": ReadyPlace("the lips", (found_part("lips"),), 0.0012),
    "brows": ReadyPlace("the brows", (found_part("brows"),), 0.0015),
    "hair": ReadyPlace("the hair", (found_part("hair"),), 0.002),
    "face": ReadyPlace("the face", (found_part("face"),), 0.006),
    "skin": SKIN,
    "person": ReadyPlace("the person", (found_part("person"),), 0.001),
    "backdrop": BACKDROP,
}
"""Places that a wish may name, by the word under which they stand below."""
WORDS = {
    # where
    "teeth": "teeth tooth smile",
    "whites": "sclera whites-of-the-eyes",
    "irises": "iris irises",
    "eyes": "eye eyes",
    "pupils": "pupil pupils",
    "under": "under-eye under-eyes eyebags",
    "lips": "lip lips mouth lipstick",
    "brows": "brow brows eyebrow eyebrows",
    "hair": "hair hairs hairdo beard",
    "face": "face faces",
    "skin": "skin complexion cheek cheeks forehead nose chin neck",
    "person": "person subject sitter figure body people",
    "backdrop": "backdrop background wall behind",
    "whole": "picture image photo everything overall whole all",
    "shadow": "shadow shadows dark-parts",
    "highlight": "highlight highlights blown overexposed clipped",
    # what
    "bright": "bright brighter brighten brightens brightness light lighter lighten lightness lift lifts expose "
    "exposure illuminate glow",
    "dark": "dark darker darken darkens dim dimmer burn underexposed deepen deeper",
    "white": "white whiten whitens whiter whitening",
    "red": "red redder redness reddish flushed ruddy pink",
    "yellow": "yellow yellowish yellower stained orange",
    "green": "green greenish",
    "blue": "blue bluish",
    "warm": "warm warmer warmth golden",
    "cool": "cool cooler cold colder",
    "soft": "soft soften softer smooth smoother smoothen",
    "sharp": "sharp sharpen sharper crisp crisper focus clearer sharpness",
    "contrast": "contrast punch punchy contrasty structure",
    "flat": "flat washed-out pale dull lifeless",
    "colour": "colour color colours colors colourful saturation saturate saturated vivid vibrant rich richer intense",
    "pale": "desaturate desaturated muted mute",
    "grey": "black-and-white monochrome greyscale grayscale",
    "shine": "shine shiny shining oily greasy grease gloss glossy sweat sweaty glare",
    "gleam": "gleam dewy glowing",
    "even": "even evened evenly uneven blotch blotchy blotches patchy patches mottled stain stains folds fold creased",
    "spot": "spot spots blemish blemishes pimple pimples acne zit zits mole moles dust speck freckle",
    "line": "scar scars scratch line crease",
    "wrinkle": "wrinkle wrinkles crows-feet",
    "circles": "circles rings bags tired",
    "thing": "clamp thing object distraction something somebody cable logo",
    "stray": "stray flyaway flyaways frizz frizzy",
    "redeye": "redeye red-eye red-eyes",
    "veins": "bloodshot veins",
    "spark": "catchlight catchlights sparkle sparkling twinkle lifeless-eyes",
    "form": "contour cheekbones sculpt form",
    "blur": "blur blurred blurry bokeh out-of-focus defocus",
    "haze": "haze hazy fog foggy mist misty veil flare",
    "hard": "hard harsh",
    "clear": "clear clean",
    "flash": "flash",
    "print": "web print paper screen instagram",
    # which way
    "more": "more increase raise boost up add stronger give some bring open enhance need needs",
    "less": "less reduce decrease lower down calm tame weaker cut lose fix",
    "gone": "remove away erase out rid delete without no off heal take get retouch",
    "back": "back recover hold",
    "too": "too",
    # how much
    "little": "little bit slightly touch gently subtle subtly tad hint",
    "much": "lot much strongly very heavily really far",
}
PHRASES = [
    (r"whites? of (the|her|his|their) eyes?|eye whites?", "sclera"),
    (r"(under|beneath|below) (the |her |his |their )?eyes?", "under-eye"),
    (r"out of focus", "out-of-focus"),
    (r"red[- ]eyes?", "red-eye"),
    (r"black (and|&) white|b ?& ?w", "monochrome"),
    (r"washed out", "washed-out"),
    (r"catch light", "catchlight"),
    (r"fly[- ]away", "flyaway"),
    (r"half (a|of a) (stop|ev)", "0.5 ev"),
    (r"(a|one) third (of a )?(stop|ev)", "0.33 ev"),
    (r"two thirds (of a )?(stop|ev)", "0.67 ev"),
    (r"(a|one) (full |whole )?(stop|ev)\b", "1 ev"),
    (r"two stops", "2 ev"),
]
FIGURE = re.compile(r"(?P<sign>[+\-−])?(?P<value>\d+(?:[.,]\d+)?)\s*(?P<unit>ev|stops?|%|percent)?")
LITTLE, MUCH = 0.5, 1.8
NEAR = 0.8
"""How like a word must be to stand for one that was misspelt."""
LIKE, MANY = 0.7, 6
_MEANS = {word: idea for idea, words in WORDS.items() for word in words.split()}
_LONG = [word for word in _MEANS if len(word) > 3]


@dataclass(frozen=True)
class Wish:
    """A ready touch (its kind and title), where it is to lie, and what is other about it.

    ``place``: a key of PLACES; none: the ready touch's own, or wherever one is; ``whole``: the whole picture was named.
    ``guess``: what was said was not understood, and this is only like it.
    """

    kind: str
    title: str
    place: str = ""
    settings: dict[str, Any] = field(default_factory=dict)
    strength: float | None = None
    whole: bool = False
    guess: bool = False


@dataclass
class _Said:
    """What was said: ideas, and how much of it."""

    ideas: set[str]
    figure: float | None
    unit: str

    def __call__(self, *ideas: str) -> bool:
        return any(idea in self.ideas for idea in ideas)

    @property
    def place(self) -> str:
        """The narrowest place that was named."""
        return next((name for name in PLACES if name in self.ideas), "")

    @property
    def weight(self) -> float:
        """How much of what a ready touch begins with."""
        return LITTLE if self("little") else MUCH if self("much") else 1.0


def wishes(text: str) -> list[Wish]:
    """The ready touches that a wish may mean, the likeliest first; if nothing is understood, those with like words."""
    said = _listen(text)
    seen: set[tuple[str, str]] = set()
    out = []
    for wish in [*_meant(said)] or _like(text, said.place):
        if (wish.kind, wish.title) not in seen:
            seen.add((wish.kind, wish.title))
            out.append(_measured(wish, said))
    return out


def _like(text: str, place: str) -> list[Wish]:
    """Ready touches in whose titles or needs something stands that is like what was written, or that lie there."""
    ready = [(model, start) for model in KINDS.values() for start in model.starts]
    told = [set(" ".join([start.title, model.title, *start.needs]).lower().split()) for model, start in ready]
    known = sorted({word for words in told for word in words if len(word) > 2})
    near = {one for word in text.lower().split() for one in get_close_matches(word, known, 3, LIKE)}
    there = PLACES[place].name if place else ""
    scores = [len(near & words) + 9 * (start.place is not None and start.place.name == there)
              for (_, start), words in zip(ready, told, strict=True)]  # fmt: skip
    best = sorted(range(len(ready)), key=lambda n: -scores[n])[:MANY]
    return [Wish(ready[n][0].kind, ready[n][1].title, guess=True) for n in best if scores[n]]


def _listen(text: str) -> _Said:
    text = " ".join(text.lower().replace("’", "'").split())
    for pattern, word in PHRASES:
        text = re.sub(rf"\b({pattern})", word, text)
    figure, unit = None, ""
    if found := FIGURE.search(text):
        figure = float(found["value"].replace(",", ".")) * (-1 if found["sign"] in ("-", "−") else 1)
        unit = "%" if found["unit"] in ("%", "percent") else "ev" if found["unit"] else ""
        text = text.replace(found[0], " ")
    ideas: set[str] = set()
    for word in re.findall(r"[a-z][a-z'-]*", text):
        near = [word] if word in _MEANS else get_close_matches(word, _LONG, 1, NEAR) if len(word) > 3 else []
        ideas.update(_MEANS[one] for one in near)
    return _Said(ideas, figure, unit)


def _meant(said: _Said) -> Iterator[Wish]:
    """Every ready touch that fits, the likeliest first. What is named most exactly is asked for first."""
    place, less = said.place, said("less", "gone")
    whole = said("whole") and not place

    def wish(kind: str, title: str, at: str = "", **settings: Any) -> Wish:
        return Wish(kind, title, at, settings, whole=whole)

    eyes = said("eyes", "irises", "pupils", "whites")
    if said("grey"):
        yield wish("saturation", "Black and white", place)
    if said("redeye") or (said("flash") and said("red", "eyes", "pupils")):
        yield wish("red-eye", "Take the red out of pupils")
    if said("spark") or (eyes and said("flat")):
        yield wish("catchlight", "Set a catchlight in the eyes")
    if said("stray"):
        yield wish("stray-hairs", "Calm stray hairs before the backdrop")
        yield wish("repair", "Stroke a stray hair away")
    if said("circles") and said("under", "eyes", "circles"):
        yield wish("exposure", "Lighten under the eyes")
        yield wish("detail", "Soften under the eyes")
    if said("wrinkle"):
        if said("under", "eyes"):
            yield wish("detail", "Soften under the eyes")
        yield wish("detail", "Soften the skin", place if place == "face" else "")
        yield wish("repair", "Heal along a stroke")
    if said("shine") or (said("gleam") and less):
        yield wish("shine", "Calm the shine")
    elif said("gleam") or (said("bright") and said("more") and place == "skin"):
        yield wish("shine", "A little more gleam", place)
    if said("spot"):
        yield wish("repair", "Take away a spot")
    if said("line"):
        yield wish("repair", "Heal along a stroke")
    if said("thing"):
        yield wish("repair", "Take away a thing")
    if said("veins") or (said("clear", "white", "red") and said("whites", "eyes")):
        yield wish("colour-bands", "Clear the eye whites")
    if place == "teeth" and said("white", "yellow", "clear") and not said("bright"):
        yield wish("colour-bands", "Whiten the teeth")
    if said("shadow"):
        yield from _of_shadows(said, wish)
    if said("highlight"):
        yield wish("zones", "Bring back the highlights", place)
    if said("hard"):
        yield wish("zones", "Even hard light", place)
        yield wish("shadow-edge", "Soften the shadows' edges on a face")
    yield from _of_backdrop(said, wish)
    yield from _of_colour(said, wish)
    if said("even"):
        yield wish("even", "Even the skin", place if place == "face" else "")
    if said("form"):
        yield wish("dodge-burn", "Give the face form")
    yield from _of_detail(said, wish)
    if said("haze"):
        clears = place != "backdrop" or less
        yield wish("haze", "Clear the veil" if clears else "Lay a veil over the backdrop", place if clears else "")
    if said("contrast", "flat"):
        if said("less") or (said("too") and said("contrast")):
            yield wish("zones", "Give back contrast", place, contrast=-0.2)
        elif place:
            yield wish("detail", "More local contrast", place)
        yield wish("curve", "Give contrast", place)
        yield wish("zones", "Give back contrast", place)
    yield from _of_light(said, wish)
    if said("gone") and not said("colour", "red", "yellow", "green", "shine"):
        yield wish("repair", "Take away a thing")


def _of_shadows(said: _Said, wish: Any) -> Iterator[Wish]:
    if said("soft", "hard") or said("skin"):
        yield wish("shadow-edge", "Soften the shadows' edges on a face")
        yield wish("repair", "Soften a shadow's edge")
    if said("dark", "less") and not said("bright", "more"):
        yield wish("zones", "Open the shadows", said.place, deep=-0.3, shadow=-0.5)
    else:
        yield wish("zones", "Open the shadows", said.place)


def _of_backdrop(said: _Said, wish: Any) -> Iterator[Wish]:
    if said("blur") or (said.place == "backdrop" and said("soft")):
        yield wish("blur", "Soften the backdrop")
    if said.place == "backdrop" and said("even"):
        yield wish("even", "Even the backdrop")


def _of_colour(said: _Said, wish: Any) -> Iterator[Wish]:
    place, less = said.place, said("less", "gone", "too")
    if said("red") and place == "lips":
        yield wish("saturation", "Richer lips", **({"amount": -0.2} if less else {}))
    elif said("red") and not said("whites", "eyes"):
        if place == "skin" and not less:
            yield wish("even", "Bring a red cheek or neck to the face's tone")
        yield wish("colour-bands", "Calm red skin", place)
        if place == "skin":
            yield wish("even", "Bring a red cheek or neck to the face's tone")
    if said("yellow") and place and place != "teeth":
        yield wish("colour-bands", "Take yellow out", place)
    elif (said("yellow") and place != "teeth") or said("cool") or (said("warm") and less):
        yield wish("white-balance", "Cool", place)
    if said("green"):
        yield wish("white-balance", "Take green out", place)
    if said("warm") and not less and place in ("skin", "face"):
        yield wish("colour-bands", "Warm the skin", place)
    if (said("warm") or (said("blue") and not place)) and not (said("warm") and less):
        yield wish("white-balance", "Warm", place)
    if said("colour", "pale"):
        if said("pale") or less:
            yield wish("saturation", "Less colour", place)
        else:
            if place == "lips":
                yield wish("saturation", "Richer lips")
            yield wish("saturation", "More colour, pale first", place)
            yield wish("saturation", "More colour, but not the skin")


def _of_detail(said: _Said, wish: Any) -> Iterator[Wish]:
    place = said.place
    if said("soft") and place not in ("backdrop",) and not said("shadow"):
        if place in ("under", "eyes"):
            yield wish("detail", "Soften under the eyes")
        yield wish("detail", "Soften the skin", "" if place in ("", "skin", "under", "eyes") else place)
    if said("sharp"):
        if place == "irises":
            yield wish("detail", "Crisp irises")
        if said("whole", "print"):
            yield wish("sharpen", "Sharpen the whole for its use")
        if place not in ("", "eyes", "brows", "lips", "hair"):
            yield wish("sharpen", "Sharpen the whole for its use", place)
        yield wish("sharpen", "Sharpen eyes, brows, lips and hair")
        yield wish("sharpen", "Sharpen all but the skin")
        yield wish("sharpen", "Sharpen the whole for its use")


def _of_light(said: _Said, wish: Any) -> Iterator[Wish]:
    place = said.place
    bright, dark = said("bright"), said("dark")
    if not bright and not dark:
        if said.figure is not None and (said.unit == "ev" or (place and not said.ideas - {place, "more"})):
            yield wish("exposure", "Brighten" if said.figure > 0 else "Darken", place)
        return
    # "Too dark" and "less dark" want light, "too bright" and "less bright" want less of it.
    turned = said("too", "less", "gone")
    darker = dark != turned if dark != bright else dark
    if said("shadow", "highlight"):
        return
    if place == "irises" and not darker:
        yield wish("exposure", "Lighter irises")
    elif place == "under" and not darker:
        yield wish("exposure", "Lighten under the eyes")
    yield wish("exposure", "Darken" if darker else "Brighten", place)
    if not darker and not place:
        yield wish("levels", "Lighten the middle")


MAIN = {
    "exposure": "ev", "white-balance": "warmth", "saturation": "amount", "shine": "amount", "sharpen": "amount",
    "haze": "amount", "stray-hairs": "amount", "red-eye": "amount", "shadow-edge": "amount", "catchlight": "amount",
}  # fmt: skip
"""The setting that says how much, of kinds that have one."""


def _measured(wish: Wish, said: _Said) -> Wish:
    """With as much of it as was said: in EV, in per cent of the whole, or in words for more and less than usual."""
    model = KINDS[wish.kind]
    ready = next(s for s in model.starts if s.title == wish.title)
    name = MAIN.get(wish.kind, "")
    settings = dict(wish.settings)
    usual = settings.get(name, ready.settings.get(name))
    strength = wish.strength
    if name == "ev" and said.figure is not None and said.unit != "%" and usual:
        settings[name] = abs(said.figure) * (1 if usual > 0 and said.figure > 0 else -1)
    elif said.figure is not None and said.unit == "%" and usual and name not in ("ev", "warmth"):
        settings[name] = abs(said.figure) / 100 * (1 if usual > 0 else -1)
    elif said.figure is not None and said.unit == "%" and name == "ev" and usual:
        # So many per cent more light, or less.
        settings[name] = (1 if usual > 0 else -1) * abs(said.figure) / 100
    elif said.figure is not None and said.unit == "%" and not name:
        strength = min(1.0, abs(said.figure) / 100)
    elif said.weight != 1:
        if usual:
            settings[name] = usual * said.weight
        elif wish.settings or wish.kind == "zones":
            told = ready.settings | wish.settings
            settings = {key: value * said.weight for key, value in told.items() if isinstance(value, float)}
        else:
            strength = min(1.0, ready.strength * said.weight)
    fields = model.model_json_schema()["properties"]
    for key, value in settings.items():
        if isinstance(value, float | int) and "minimum" in fields.get(key, {}):
            settings[key] = round(min(max(value, fields[key]["minimum"]), fields[key]["maximum"]), 3)
    return replace(wish, settings=settings, strength=strength)
