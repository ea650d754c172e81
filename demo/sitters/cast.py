"""Who sings in the Saltmarsh Choir: everything that makes a sitter and what is wrong with the picture."""

from dataclasses import dataclass, field
from typing import Literal

Colour = tuple[float, float, float]


@dataclass(frozen=True)
class Light:
    """A rectangular lamp: where it stands from the eyes (decimetres), half its side, and its radiance."""

    at: Colour
    size: float
    power: float
    colour: Colour = (1.0, 0.97, 0.93)


@dataclass(frozen=True)
class Sitter:
    """One portrait. ``melanin`` 0.09 (very light) … 2.05 (very dark), ``blood`` about 0.62; colours are linear sRGB."""

    name: str
    problem: str
    seed: int
    ancestry: dict[str, float]
    female: float
    old: float
    melanin: float
    blood: float = 0.62
    blotches: float = 1.0
    under_eyes: float = 0.25
    shine: float = 0.35
    roughness: float = 0.48
    stubble: float = 0.0
    features: dict[str, float] = field(default_factory=dict)
    expression: dict[str, float] = field(default_factory=dict)
    hair: Colour = (0.045, 0.028, 0.018)
    hair_length: float = 0.5
    curl: float = 0.0
    iris: Colour = (0.10, 0.13, 0.12)
    pupil: Colour = (0.004, 0.004, 0.004)
    veins: float = 0.1
    teeth: Colour = (0.70, 0.63, 0.52)
    cloth: Colour = (0.05, 0.055, 0.07)
    turn: float = 0.07
    lights: tuple[Light, ...] = (Light((-5.0, 3.5, 7.0), 2.4, 10.0), Light((7.0, 0.0, 6.0), 4.0, 0.6))
    ambient: float = 0.10
    backdrop: Colour = (0.16, 0.16, 0.155)
    window: float = 0.0
    exposure: float = 0.0
    cast: Colour = (1.0, 1.0, 1.0)
    haze: float = 0.0
    file: Literal["jpeg", "tiff16", "p3", "turned"] = "jpeg"


AFRICAN, ASIAN, CAUCASIAN = {"african": 1.0}, {"asian": 1.0}, {"caucasian": 1.0}
SMILE = {
    "mouthSmileLeft": 0.9, "mouthSmileRight": 0.9, "jawOpen": 0.22, "mouthUpperUpLeft": 0.75,
    "mouthUpperUpRight": 0.75, "cheekSquintLeft": 0.6, "cheekSquintRight": 0.6, "mouthLowerDownLeft": 0.3,
    "mouthLowerDownRight": 0.3,
}  # fmt: skip
SLIGHT = {"mouthSmileLeft": 0.3, "mouthSmileRight": 0.3}

CHOIR = (
    Sitter("Tenor 1", "hard side light with a nose shadow", 1, CAUCASIAN, 0.0, 0.15, 0.34, stubble=0.35,
           lights=(Light((-8.0, 1.8, 3.5), 0.7, 95.0),), ambient=0.05, exposure=0.2,
           features={"nose-hump-incr": 0.3, "chin-width-incr": 0.3}),
    Sitter("Alto 2", "very dark skin, under-exposed", 2, AFRICAN, 1.0, 0.2, 1.95, hair=(0.012, 0.010, 0.009),
           hair_length=0.28, curl=1.0, iris=(0.035, 0.02, 0.012), cloth=(0.30, 0.05, 0.05), exposure=-1.1,
           backdrop=(0.22, 0.17, 0.12), expression=SLIGHT),
    Sitter("Soprano 1", "backlit by a window, face two stops under", 3, CAUCASIAN, 1.0, 0.1, 0.16,
           hair=(0.24, 0.13, 0.055), hair_length=1.5, iris=(0.09, 0.14, 0.20), cloth=(0.35, 0.36, 0.33), window=2.2,
           lights=(Light((0.0, 3.0, 18.0), 6.0, 0.75),), ambient=0.07),
    Sitter("Bass 2", "shining forehead and cheeks", 4, {"caucasian": 0.5, "asian": 0.5}, 0.0, 0.55, 0.66,
           shine=0.55, file="turned",
           roughness=0.32, hair=(0.06, 0.055, 0.05), hair_length=0.3, iris=(0.04, 0.025, 0.015),
           lights=(Light((-2.5, 5.0, 7.0), 1.2, 40.0), Light((7.0, 0.0, 6.0), 4.0, 0.7)),
           features={"head-fat-incr": 0.5}, backdrop=(0.10, 0.13, 0.17)),
    Sitter("Alto 1", "blotchy skin and shadows under the eyes", 5, CAUCASIAN, 1.0, 0.35, 0.20, file="p3", blotches=3.2,
           under_eyes=1.5, hair=(0.10, 0.045, 0.02), hair_length=1.1, iris=(0.10, 0.09, 0.04),
           cloth=(0.10, 0.16, 0.13)),
    Sitter("Soprano 2", "wide smile with yellow teeth", 6, {"african": 0.5, "caucasian": 0.5}, 1.0, 0.1, 0.85,
           expression=SMILE, teeth=(0.66, 0.50, 0.24), hair=(0.02, 0.014, 0.01), hair_length=0.9, curl=0.8,
           iris=(0.05, 0.028, 0.014), cloth=(0.45, 0.30, 0.06), backdrop=(0.20, 0.20, 0.21)),
    Sitter("Tenor 2", "red-veined eyes", 7, ASIAN, 0.0, 0.75, 0.46, file="tiff16", veins=1.0, hair=(0.28, 0.27, 0.26),
           hair_length=0.35, iris=(0.035, 0.02, 0.012), cloth=(0.03, 0.03, 0.035)),
    Sitter("Mezzo 1", "flash-red pupils", 8, ASIAN, 1.0, 0.1, 0.38, pupil=(0.42, 0.02, 0.015),
           hair=(0.014, 0.011, 0.010), hair_length=1.4, iris=(0.04, 0.024, 0.014), cloth=(0.16, 0.10, 0.20),
           lights=(Light((0.4, 0.7, 15.0), 0.3, 2400.0),), ambient=0.06, backdrop=(0.25, 0.22, 0.18),
           expression=SLIGHT),
    Sitter("Soprano 3", "flat light, washed-out pale skin", 9, CAUCASIAN, 1.0, 0.0, 0.09, blood=0.34,
           hair=(0.42, 0.27, 0.12), hair_length=1.3, iris=(0.14, 0.17, 0.19), cloth=(0.50, 0.50, 0.47),
           lights=(Light((0.0, 3.0, 18.0), 9.0, 2.0),), ambient=0.35, exposure=0.35, haze=0.05),
    Sitter("Bass 1", "cool cast", 10, {"african": 0.6, "caucasian": 0.4}, 0.0, 0.5, 1.15, cast=(0.76, 0.97, 1.32),
           hair=(0.02, 0.018, 0.017), hair_length=0.18, curl=1.0, stubble=0.3, iris=(0.035, 0.02, 0.012),
           features={"nose-width1-incr": 0.3}, cloth=(0.12, 0.14, 0.20)),
)  # fmt: skip
