"""The same people again, as a sitting has them: ``python -m demo.sitters.again --into DIR [--times 5]``.

Other turns of the head, other faces made, lamps and exposures; what they wear stays for most of the pictures. By them
it is measured who is who: the choir may be looked at for it, the ``Chance`` ones may not.
"""

import argparse
from dataclasses import replace
from pathlib import Path

import numpy as np

from demo.sitters.cast import CHOIR, SLIGHT, SMILE, Light, Sitter
from demo.sitters.rehearsal import RAYS, sitter

HEIGHT, LABELS = 600, 400
OTHERS = range(201, 213)
"""Numbers of the small sitters by chance that come again; finding was not taught on them."""


def again(who: Sitter, time: int) -> Sitter:
    """Somebody on another picture of the same sitting."""
    rng = np.random.default_rng(7000 + 97 * who.seed + time)
    side = float(rng.choice([-1, 1]))
    lamps = (
        Light((side * rng.uniform(5.5, 8.5), rng.uniform(1.5, 4), rng.uniform(4, 9)), rng.uniform(1.5, 3.5), 10.0),
        Light((-side * 7.4, 1.0, 7.0), 3.4, float(rng.uniform(0.4, 3.5))),
    )
    more: dict[str, object] = {"cloth": tuple(rng.uniform(0.03, 0.5, 3).tolist())} if time == 4 else {}
    return replace(
        who,
        name=f"{who.name}, {time}",
        # The seed grows the person; the camera's noise may be alike.
        twist=float(rng.normal(0, 0.22)), nod=float(rng.normal(0, 0.08)), tilt=float(rng.normal(0, 0.08)),
        turn=float(rng.uniform(-0.2, 0.2)), body=float(rng.uniform(-0.4, 0.4)),
        expression=(who.expression, {}, SLIGHT, SMILE, {"jawOpen": 0.25})[int(rng.integers(5))],
        lights=lamps, ambient=float(rng.uniform(0.08, 0.3)), exposure=float(rng.normal(0, 0.35)),
        cast=tuple((np.array([1, 1, 1]) * rng.uniform(0.92, 1.08, 3)).tolist()), scene="wall", haze=0.0,
        field=float(rng.uniform(13, 22)), levels=3, strands=min(who.strands, 14_000), file="jpeg", grain=0.2,
        glasses=who.glasses, clamp=False, beside=(), place=(0.0, 0.0, 0.0), proportion=0.8, pupil=(0.004, 0.004, 0.004),
        wide_pupil=1.0, **more,
    )  # fmt: skip


def cast() -> list[Sitter]:
    """Everybody who comes again."""
    singers = [one for whole in CHOIR for one in (whole, *whole.beside)]
    named = [replace(one, name=one.name.split(" and ")[0]) for one in singers]
    return [*named, *(replace(sitter(n), name=f"Chance {n}") for n in OTHERS)]


def main() -> None:
    """Photograph them."""
    # Who they are is known without the renderer.
    from demo.sitters.__main__ import make

    parser = argparse.ArgumentParser(prog="python -m demo.sitters.again")
    parser.add_argument("--times", type=int, default=5)
    parser.add_argument("--into", type=Path, required=True)
    options = parser.parse_args()
    for time in range(options.times):
        for who in cast():
            one = again(who, time)
            if not (options.into / "labels" / f"{one.name}.json").exists():
                make(one, HEIGHT, RAYS, options.into, LABELS, 4)
                print(one.name, flush=True)


if __name__ == "__main__":
    main()
