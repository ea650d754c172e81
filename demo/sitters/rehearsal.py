"""Sitters by chance, to teach the finder on: ``python -m demo.sitters.rehearsal [--hard | --crowds] --into DIR``.

Every one is drawn from its own seed: the same number makes the same sitter. None is a member of the choir or a guest.
The *hard* ones are turned, tilted, covered, oddly lit or small, and large enough to see their eyes. In *crowds*, by
which nothing is taught, people stand before and behind each other; *figures* are single people down to their hips, to
be cut out and put together.
"""

import argparse
from dataclasses import replace
from pathlib import Path

import numpy as np

from demo.sitters.cast import AFRICAN, ASIAN, CAUCASIAN, SLIGHT, SMILE, Light, Sitter

HEIGHT, LABELS, RAYS = 640, 512, 4
LARGE = 1000
"""Height, and side of the labels, of the hard ones."""
COMMON = 30
COVERED, BEARDED = range(201, 1000), range(401, 1000)
"""Most of the former are men, of whom half are bald, and half of the hard ones wear something, mostly hats; all of the
latter are bald men with beards."""


def sitter(number: int) -> Sitter:
    """Somebody by chance."""
    rng = np.random.default_rng(9000 + number)

    def one(*choices: object) -> object:
        return choices[rng.integers(len(choices))]

    def colour(low: float = 0.02, high: float = 0.55) -> tuple[float, float, float]:
        return tuple(
            (np.exp(rng.uniform(np.log(low), np.log(high))) * rng.uniform(0.5, 1.4, 3)).clip(0.005, 0.85).tolist()
        )

    covered, bearded = (number % 100_000 in of for of in (COVERED, BEARDED))
    female = float(rng.random() < (0.0 if bearded else 0.25 if covered else 0.55))
    long = rng.random() < (0.75 if female else 0.12)
    melanin = float(np.exp(rng.uniform(np.log(0.09), np.log(2.1))))
    hair = one((0.012, 0.010, 0.009), (0.03, 0.02, 0.014), (0.08, 0.045, 0.025), (0.2, 0.1, 0.05), (0.45, 0.3, 0.14),
               (0.24, 0.07, 0.025), (0.3, 0.3, 0.3), (0.72, 0.7, 0.66))  # fmt: skip
    # Few people wear something on their heads: of the last ones many do, and many of the men have beards.
    rare = number % 100_000 > COMMON
    bald = not female and rng.random() < (number < 100_000 if bearded else 0.5 if covered else 0.18)
    often = 1.0 if bearded else 0.7 if rare else 0.25
    side = float(rng.choice([-1, 1]))
    hard = rng.random() < 0.35
    size = rng.uniform(0.8, 4)
    lamps = (  # Not between the camera and the sitter.
        Light((side * max(rng.uniform(2, 9), size + 3.4), rng.uniform(1, 5), rng.uniform(2.5, 9)), size, 10.0),
        Light((-side * 7.2, rng.uniform(0, 2), 6.0), 3.4, 0.2 if hard else rng.uniform(0.6, 3)),
    )
    return (
        Sitter(
            f"Rehearsal {number}",
            "by chance",
            9000 + number,
            one(AFRICAN, ASIAN, CAUCASIAN, CAUCASIAN),
            female,
            float(rng.uniform(0, 0.9)),
            melanin,
            blood=float(rng.uniform(0.35, 0.95)),
            levels=3,
            strands=14_000,
            blotches=float(rng.uniform(0.5, 3)),
            flush=float(rng.uniform(0.5, 3)),
            shine=float(rng.uniform(0.2, 0.55)),
            roughness=float(rng.uniform(0.34, 0.5)),
            stubble=0.0 if female else float(rng.uniform(0, 0.9)),
            hair=hair,
            hair_length=float(rng.uniform(0.8, 2.2) if long else rng.uniform(0.18, 0.6)),
            curl=float(max(0.0, rng.uniform(-0.6, 1.0))),
            volume=float(rng.uniform(0.1, 0.38)),
            weight=float(rng.uniform(0.1, 1.0)),
            parting=one(None, float(rng.uniform(-0.3, 0.3))),
            beard=float(rng.uniform(0.06, 0.25)) if not female and rng.random() < often else 0.0,
            iris=one((0.04, 0.024, 0.013), (0.09, 0.11, 0.05), (0.10, 0.14, 0.19)),
            cloth=colour(),
            backdrop=colour(0.03, 0.7),
            stripes=colour() if rng.random() < 0.2 else None,
            neckline=one("crew", "v", "boat", "straps", "high", "bare"),
            body=float(rng.uniform(-0.5, 0.5)),
            twist=float(rng.normal(0, 0.28)),
            tilt=float(rng.normal(0, 0.12)),
            nod=float(rng.normal(0, 0.1)),
            turn=float(rng.uniform(-0.25, 0.25)),
            expression=one({}, {}, SLIGHT, SMILE),
            hand=bool(rng.random() < 0.12),
            wears=() if rng.random() < (0.4 if rare else 0.88) else (one("cap", "headscarf", "scarf"),),
            wool=colour(),
            glasses=(0.02, 0.014, 0.01) if rng.random() < 0.12 else None,
            lights=lamps,
            ambient=float(rng.uniform(0.04, 0.3)),
            scene=one("wall", "wall", "wall", "foliage", "panels", "linen"),
            exposure=float(rng.normal(0, 0.5)),
            cast=tuple(rng.uniform(0.8, 1.2, 3).tolist()),
            grain=0.25,
            height=HEIGHT,
            field=float(rng.uniform(14, 22)),
            above=float(rng.uniform(-0.6, 0.1)),
        )
        if not bald
        else replace(sitter(number + 100_000), name=f"Rehearsal {number}", strands=0, female=0.0)
    )


def hard(number: int) -> Sitter:
    """Somebody by chance, in what finding people finds hard."""
    base = sitter(number)
    rng = np.random.default_rng(77_000 + number)

    def often(share: float) -> bool:
        return bool(rng.random() < share)

    more: dict[str, object] = {
        "name": f"Hard {number}", "height": LARGE, "strands": min(base.strands, 20_000),
        "twist": float(rng.choice([-1, 1]) * rng.uniform(0.25, 0.95)) if often(0.4) else base.twist,
        "tilt": float(rng.uniform(-0.55, 0.55)) if often(0.35) else base.tilt,
        "nod": float(rng.uniform(-0.45, 0.4)) if often(0.35) else base.nod,
        "body": float(rng.uniform(-0.5, 0.5)), "old": float(rng.uniform(0, 1)),
        "child": float(rng.uniform(0.5, 1)) if often(0.12) else 0.0,
        "strap": often(0.15), "microphone": often(0.12), "hand": often(0.2), "freckles": 0.5 * float(often(0.2)),
    }  # fmt: skip
    covered = number in COVERED and number not in BEARDED
    if often(0.5 if covered else 0.3):
        worn = str(rng.choice(["cap", "hat", "hat" if covered else "headscarf", "headscarf"]))
        more |= {"wears": (worn, "scarf") if often(0.2) else (worn,), "volume": 0.08}
        if worn == "headscarf" and often(0.6):
            more |= {"strands": 0, "female": 1.0, "beard": 0.0}
    light = rng.random()
    if light < 0.15:
        more |= {"lights": (Light((0.4, 0.8, 15.0), 0.3, 2400.0),), "ambient": 0.05}
    elif light < 0.3:
        one, other = (tuple(np.exp(rng.normal(0, 0.6, 3)).clip(0.2, 1).tolist()) for _ in range(2))
        more |= {"lights": (Light((-7.0, 2.0, 5.0), 2.0, 11.0, one), Light((7.0, 1.0, 5.0), 2.0, 9.0, other))}
    elif light < 0.5:
        side = float(rng.choice([-1, 1]))
        more |= {"lights": (Light((side * 8.5, 1.5, 2.5), 1.2, 36.0),), "ambient": 0.1}
    if often(0.3):
        more |= {"scene": str(rng.choice(["panels", "leather", "linen", "foliage"]))}
    if often(0.1):
        field = float(rng.uniform(14, 30))
        above = float(rng.uniform(0, 0.65) * 60 * np.tan(np.radians(field / 2)))
        more |= {
            "distance": 60.0, "neckline": "crew", "field": field, "above": above,
            "lights": (Light((-28.0, 14.0, 40.0), 8.0, 60.0),), "ambient": 0.25, "strands": min(base.strands, 14_000),
        }  # fmt: skip
    return replace(base, **more)


def crowd(number: int) -> Sitter:
    """Three to five people side by side, some of them behind others."""
    rng = np.random.default_rng(55_000 + number)
    count = int(rng.integers(3, 6))
    people = [
        replace(
            sitter(1000 + 10 * number + n), name=f"Crowd {number}" if n == 0 else f"Crowd {number}-{n}",
            place=((n - (count - 1) / 2) * 1.45, float(rng.uniform(-0.6, 0.6)), float(rng.choice([-0.6, 0.6]))),
            neckline=str(rng.choice(["crew", "v", "boat", "high"])), hand=False, turn=0.0, levels=2, strands=14_000,
            height=LARGE,
        )
        for n in range(count)
    ]  # fmt: skip
    return replace(
        people[0], beside=tuple(people[1:]), field=34.0, proportion=1.5, height=2 * LARGE // 3, above=-0.5,
        lights=(Light((-9.5, 5.0, 8.0), 3.0, 16.0), Light((9.8, 2.0, 8.0), 3.0, 8.0)),
    )  # fmt: skip


def figure(number: int) -> Sitter:
    """One person down to the hips, to be cut out and put among others."""
    rng = np.random.default_rng(66_000 + number)
    one = sitter(2000 + number)
    side = float(rng.choice([-1, 1]))
    return replace(
        one, name=f"Figure {number}", neckline=str(rng.choice(["crew", "v", "boat", "high"])), hand=False, levels=2,
        strands=min(one.strands, 14_000), field=34.0, proportion=1.25, height=LARGE // 2, above=-0.5, scene="wall",
        turn=float(rng.uniform(-0.3, 0.3)), body=float(rng.uniform(-0.6, 0.6)), twist=one.twist * 0.7, grain=0.1,
        lights=(
            Light((-9.5 * side, 5.0, 8.0), 3.0, float(rng.uniform(8, 16))),
            Light((9.8 * side, 2.0, 8.0), 3.0, float(rng.uniform(3, 9))),
        ),
    )  # fmt: skip


def main() -> None:
    """Photograph and label them."""
    # Who they are is known without the renderer.
    from demo.sitters.__main__ import make

    parser = argparse.ArgumentParser(prog="python -m demo.sitters.rehearsal")
    parser.add_argument("--first", type=int, default=1)
    parser.add_argument("--count", type=int, default=60)
    kind = parser.add_mutually_exclusive_group()
    kind.add_argument("--hard", action="store_true")
    kind.add_argument("--crowds", action="store_true")
    kind.add_argument("--figures", action="store_true")
    parser.add_argument("--into", type=Path, required=True)
    options = parser.parse_args()
    for number in range(options.first, options.first + options.count):
        chance = crowd if options.crowds else figure if options.figures else hard if options.hard else sitter
        who = chance(number)
        if not (options.into / "labels" / f"{who.name}.json").exists():
            side = LABELS if chance is sitter else LARGE
            make(who, who.height, RAYS, options.into, side, 8)
            print(who.name, flush=True)


if __name__ == "__main__":
    main()
