"""Who sings in the Saltmarsh Choir: everything that makes a sitter and what is wrong with the picture."""

from dataclasses import dataclass, field
from typing import Literal

Colour = tuple[float, float, float]
CLASSES = (
    "backdrop", "clothing", "skin", "face-skin", "lips", "teeth", "mouth", "eye-whites", "irises", "pupils", "brows",
    "lashes", "hair", "things",
)  # fmt: skip
"""What every ray may meet; things are glasses and clamps."""


@dataclass(frozen=True)
class Light:
    """A rectangular lamp: where it stands from the eyes (decimetres), half its side, and its radiance."""

    at: Colour
    size: float
    power: float
    colour: Colour = (1.0, 0.97, 0.93)


@dataclass(frozen=True)
class Sitter:
    """One sitter and, for the first of a picture, the picture.

    ``melanin`` 0.09 (very light) … 2.05 (very dark), ``blood`` about 0.62; colours are linear sRGB; angles are radians;
    ``exposure`` is EV from a face exposed as its albedo asks; lengths are decimetres. ``relief`` is how uneven skin
    stands; ``blemishes`` 1 is a face full of them; without ``strands`` a head is bald; ``beard`` is its length;
    ``distance`` is the camera's, ``above`` how far over the eyes it looks; ``levels`` are steps of subdivision:
    with four a vertex lies to about a quarter of a millimetre of cheek, so that there are pores.
    """

    name: str
    problem: str
    seed: int
    ancestry: dict[str, float]
    female: float
    old: float
    melanin: float
    blood: float = 0.62
    blotches: float = 1.0
    blotch: float = 9.0
    """How many of them, at most, lie on a decimetre."""
    flush: float = 1.0
    under_eyes: float = 0.25
    pores: float = 1.0
    relief: float = 1.0
    blemishes: float = 0.3
    freckles: float = 0.0
    scar: float = 0.0
    shine: float = 0.35
    roughness: float = 0.48
    stubble: float = 0.0
    beard: float = 0.0
    child: float = 0.0
    features: dict[str, float] = field(default_factory=dict)
    expression: dict[str, float] = field(default_factory=dict)
    hair: Colour = (0.045, 0.028, 0.018)
    strands: int = 52_000
    hair_length: float = 0.5
    curl: float = 0.0
    locks: float = 0.55
    volume: float = 0.16
    weight: float = 1.0
    parting: float | None = None
    flyaways: int = 40
    iris: Colour = (0.10, 0.13, 0.12)
    pupil: Colour = (0.004, 0.004, 0.004)
    wide_pupil: float = 1.0
    veins: float = 0.1
    teeth: Colour = (0.70, 0.63, 0.52)
    cloth: Colour = (0.05, 0.055, 0.07)
    stripes: Colour | None = None
    neckline: Literal["crew", "v", "boat", "straps", "high", "bare"] = "crew"
    glasses: Colour | None = None
    clamp: bool = False
    wears: tuple[Literal["cap", "hat", "headscarf", "scarf"], ...] = ()
    wool: Colour = (0.3, 0.3, 0.3)
    microphone: bool = False
    strap: bool = False
    hand: bool = False
    place: Colour = (0.0, 0.0, 0.0)
    body: float = 0.0
    twist: float = 0.0
    nod: float = 0.0
    tilt: float = 0.0
    turn: float = 0.07
    beside: tuple["Sitter", ...] = ()
    field: float = 17.2
    proportion: float = 0.8
    distance: float = 14.5
    above: float = -0.22
    lights: tuple[Light, ...] = (Light((-5.0, 3.5, 7.0), 2.4, 10.0), Light((7.0, 0.0, 6.0), 4.0, 0.6))
    ambient: float = 0.10
    scene: Literal["wall", "window", "foliage", "panels", "leather", "linen"] = "wall"
    backdrop: Colour = (0.16, 0.16, 0.155)
    exposure: float = 0.0
    cast: Colour = (1.0, 1.0, 1.0)
    haze: float = 0.0
    grain: float = 0.3
    height: int = 3000
    levels: int = 4
    file: Literal["jpeg", "tiff16", "p3", "turned", "dng"] = "jpeg"


AFRICAN, ASIAN, CAUCASIAN = {"african": 1.0}, {"asian": 1.0}, {"caucasian": 1.0}
SMILE = {
    "mouthSmileLeft": 0.7, "mouthSmileRight": 0.7, "jawOpen": 0.03, "mouthUpperUpLeft": 1.5,
    "mouthUpperUpRight": 1.5, "mouthStretchLeft": 0.3, "mouthStretchRight": 0.3, "cheekSquintLeft": 0.5,
    "cheekSquintRight": 0.5, "mouthLowerDownLeft": 0.8, "mouthLowerDownRight": 0.8, "eyeSquintLeft": 0.3,
    "eyeSquintRight": 0.3,
}  # fmt: skip
SLIGHT = {"mouthSmileLeft": 0.35, "mouthSmileRight": 0.3, "cheekSquintLeft": 0.2, "cheekSquintRight": 0.2}

CHOIR = (
    Sitter("Tenor 1", "hard side light with a nose shadow", 1, CAUCASIAN, 0.0, 0.15, 0.34, stubble=0.35, height=5480,
           relief=0.25, pores=0.6,
           lights=(Light((-8.0, 1.8, 3.5), 0.7, 95.0),), ambient=0.05, hair_length=0.42, parting=0.28,
           features={"nose-hump-incr": 0.3, "chin-width-incr": 0.3}, body=0.25, twist=-0.15, turn=0.05),
    Sitter("Alto 2", "very dark skin, under-exposed", 2, AFRICAN, 1.0, 0.2, 1.95, hair=(0.012, 0.010, 0.009),
           hair_length=0.42, curl=1.0, locks=0.3, volume=0.35, weight=0.1, iris=(0.035, 0.02, 0.012),
           cloth=(0.30, 0.05, 0.05), neckline="boat", exposure=-1.3, backdrop=(0.22, 0.17, 0.12), expression=SLIGHT,
           features={"head-oval": 0.5}, body=-0.3, twist=0.2, tilt=0.05),
    Sitter("Soprano 1", "backlit by a window, face two stops under", 3, CAUCASIAN, 1.0, 0.1, 0.16,
           hair=(0.24, 0.13, 0.055), hair_length=2.1, parting=0.0, iris=(0.09, 0.14, 0.20), cloth=(0.35, 0.36, 0.33),
           lights=(Light((0.0, 3.0, 18.0), 6.0, 0.75),), ambient=0.07, exposure=-2.0, scene="window", file="dng",
           features={"head-oval": 0.6, "nose-scale-horiz-decr": 0.3}, body=0.35, twist=-0.2, tilt=-0.04),
    Sitter("Bass 2", "shining forehead and cheeks", 4, {"caucasian": 0.5, "asian": 0.5}, 0.0, 0.55, 0.66,
           shine=0.55, file="turned", roughness=0.38, hair=(0.06, 0.055, 0.05), hair_length=0.32, parting=-0.25,
           iris=(0.04, 0.025, 0.015), stubble=0.2,
           lights=(Light((-2.5, 5.0, 7.0), 1.5, 26.0), Light((7.0, 0.0, 6.0), 4.0, 0.7)),
           features={"head-fat-incr": 0.5, "neck-double-incr": 0.4}, backdrop=(0.10, 0.13, 0.17), body=-0.2,
           twist=0.1),
    Sitter("Alto 1", "blotchy skin and shadows under the eyes", 5, CAUCASIAN, 1.0, 0.35, 0.20, file="p3", blotches=3.2,
           under_eyes=1.5, hair=(0.10, 0.045, 0.02), hair_length=1.5, parting=0.22, curl=0.25,
           iris=(0.10, 0.09, 0.04), cloth=(0.10, 0.16, 0.13), neckline="v", body=0.2, twist=-0.1,
           features={"head-diamond": 0.4}),
    Sitter("Soprano 2", "wide smile with yellow teeth", 6, {"african": 0.5, "caucasian": 0.5}, 1.0, 0.1, 0.85,
           expression=SMILE, teeth=(0.66, 0.50, 0.24), hair=(0.02, 0.014, 0.01), hair_length=1.2, curl=0.75,
           volume=0.4, weight=0.5, parting=-0.1, iris=(0.05, 0.028, 0.014), cloth=(0.45, 0.30, 0.06),
           neckline="boat", backdrop=(0.20, 0.20, 0.21), body=-0.25, twist=0.2, tilt=0.06),
    Sitter("Tenor 2", "red-veined eyes", 7, ASIAN, 0.0, 0.75, 0.46, file="tiff16", grain=0.06, veins=1.0,
           hair=(0.28, 0.27, 0.26), hair_length=0.38, parting=0.3, iris=(0.035, 0.02, 0.012),
           cloth=(0.03, 0.03, 0.035), features={"head-square": 0.4}, body=0.15, twist=-0.1),
    Sitter("Mezzo 1", "flash-red pupils", 8, ASIAN, 1.0, 0.1, 0.38, pupil=(0.55, 0.02, 0.015), wide_pupil=1.7,
           hair=(0.014, 0.011, 0.010), hair_length=2.0, parting=-0.2, iris=(0.04, 0.024, 0.014),
           cloth=(0.16, 0.10, 0.20), lights=(Light((0.4, 0.7, 15.0), 0.3, 2400.0),), ambient=0.06,
           backdrop=(0.25, 0.22, 0.18), expression=SLIGHT, neckline="v", features={"head-round": 0.4}, tilt=-0.06),
    Sitter("Soprano 3", "flat light, washed-out pale skin", 9, CAUCASIAN, 1.0, 0.0, 0.09, blood=0.34,
           hair=(0.42, 0.27, 0.12), hair_length=1.8, parting=0.15, curl=0.15, iris=(0.14, 0.17, 0.19),
           cloth=(0.50, 0.50, 0.47), lights=(Light((0.0, 3.0, 18.0), 9.0, 2.0),), ambient=0.35, exposure=0.35,
           haze=0.05, neckline="boat", features={"head-invertedtriangular": 0.4}, body=-0.35, twist=0.25),
    Sitter("Bass 1", "cool cast", 10, {"african": 0.6, "caucasian": 0.4}, 0.0, 0.5, 1.15, cast=(0.76, 0.97, 1.32),
           hair=(0.02, 0.018, 0.017), hair_length=0.22, curl=0.9, locks=0.2, volume=0.12, weight=0.0, stubble=0.3,
           iris=(0.035, 0.02, 0.012), features={"nose-width1-incr": 0.3, "head-rectangular": 0.4},
           cloth=(0.12, 0.14, 0.20), body=0.3, twist=-0.25),
    Sitter("Mezzo 2 and Bass 3", "two people of different skin tone, shoulders touching", 11, CAUCASIAN, 1.0, 0.3, 0.13,
           hair=(0.20, 0.06, 0.02), hair_length=1.3, parting=-0.2, curl=0.3, iris=(0.08, 0.12, 0.07),
           cloth=(0.06, 0.12, 0.14), neckline="v", place=(-1.45, 0.35, 0.35), body=0.4, twist=-0.3, tilt=-0.05,
           expression=SLIGHT, turn=0.0, field=21.5, proportion=1.25, height=4384, backdrop=(0.13, 0.15, 0.15),
           lights=(Light((-5.0, 4.0, 9.0), 3.0, 10.0), Light((7.0, 1.0, 7.0), 4.0, 1.2)),
           beside=(
               Sitter("Bass 3", "", 12, AFRICAN, 0.0, 0.35, 1.55, hair=(0.013, 0.011, 0.010), hair_length=0.16,
                      curl=0.9, locks=0.2, volume=0.09, weight=0.0, stubble=0.25, iris=(0.03, 0.018, 0.011),
                      cloth=(0.09, 0.05, 0.03), place=(1.5, -1.0, -0.4), body=-0.35, twist=0.25, tilt=0.03, turn=0.0,
                      expression=SLIGHT),
           )),
    Sitter("Alto 3", "flyaway hair over foliage, and a clamp behind the collar", 13, CAUCASIAN, 1.0, 0.25, 0.28,
           hair=(0.13, 0.06, 0.025), hair_length=1.15, parting=0.1, curl=0.35, flyaways=420, iris=(0.06, 0.07, 0.03),
           cloth=(0.28, 0.30, 0.33), neckline="boat", clamp=True, scene="foliage", body=0.45, twist=-0.3, ambient=0.35,
           lights=(Light((-5.0, 4.0, 8.0), 4.0, 4.0), Light((4.5, 3.5, -5.0), 1.4, 34.0, (1.0, 0.93, 0.8)))),
    Sitter("Baritone 1", "glasses, and a warm cast from lamps", 14,
           {"asian": 0.5, "african": 0.2, "caucasian": 0.3}, 0.0, 0.35, 0.80, stubble=0.5,
           hair=(0.025, 0.018, 0.014), hair_length=0.5, parting=0.25, curl=0.3,
           iris=(0.04, 0.024, 0.014), glasses=(0.02, 0.014, 0.01), cast=(1.18, 0.98, 0.70), cloth=(0.20, 0.21, 0.19),
           backdrop=(0.22, 0.19, 0.15), body=-0.3, twist=0.2, nod=0.05, features={"nose-hump-incr": 0.2}),
)  # fmt: skip
