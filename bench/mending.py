"""What repairs cost at a view, as ratios against REF: ``uv run python -m bench.mending``.

A view of 1280 × 1000 pixels at rest with the stage below kept; what is told is over the same view without the patch.
"""

from collections.abc import Callable

import cv2
import numpy as np

from bench.near import sheet
from bench.view import VIEW, InMemory, ratio, synthetic
from retouch.frame import Frame
from retouch.render.cache import Cache
from retouch.render.mending import filling_for, source_for
from retouch.render.plan import Renderer
from retouch.sheet import Sheet
from retouch.touches.repair import Patch


def patch(way: str, size: float, number: int = 0, place: tuple[float, float] = (0.4, 0.35), **more: object) -> dict:
    """One patch by a click."""
    stroke = {"size": size, "softness": 0.5, "points": [[*place, 1]]}
    return {"id": str(number), "way": way, "source": [0.1501, 0.0502], "strokes": [stroke]} | more


def main() -> None:
    """Print the table."""
    picture = InMemory(synthetic(2500, 2000))
    whole = Frame.whole(1600, 1280)
    view = Frame(*whole.scale, 160, 140, *VIEW)
    blurred = np.random.default_rng(1).random((1000, 1280, 3), np.float32)

    def ref() -> object:
        return cv2.GaussianBlur(blurred, (0, 0), 3)

    def drawn(patches: list[dict], cache: Cache, at: Frame = view) -> object:
        return Renderer(picture, sheet("repair", {"patches": patches, "size": 0.01}, False), cache, keep="t").draw(at)

    def turning(one: Callable[[int], dict], before: list[dict], cache: Cache, at: Frame = view) -> float:
        """Another patch every time, over ``before``."""
        count = iter(range(1000))
        return ratio(lambda: drawn([*before, one(next(count))], cache, at), ref, 9)

    cache = Cache()
    ground = ratio(lambda: drawn([], cache), ref, 9)
    for way, of, pixels, goal in (
        ("heal", "everything", 200, 0.5), ("heal", "shading", 200, None), ("clone", "everything", 200, None),
        ("smear", "everything", 200, None),
    ):  # fmt: skip
        cost = turning(lambda n, w=way, o=of, p=pixels: patch(w, (p + n / 50) / 1600, of=o), [], cache)
        said = f"{way} of {pixels} px, {of}"
        print(f"{said:<34} {cost - ground:6.2f} × REF" + (f"  ≤ {goal}" if goal else ""), flush=True)
    near = Frame(*whole.scale, 560, 480, 160, 160)
    for way, goal in (("clone", 0.4), ("smear", 0.6)):
        cost = turning(lambda n, w=way: patch(w, (60 + n / 50) / 1600), [], cache, near)
        print(f"{way + ', a dab':<34} {cost:6.2f} × REF  ≤ {goal}", flush=True)
    made = sheet("repair", {"patches": []}, False)
    spot = Patch.model_validate(patch("spot", 0.02))
    cost = ratio(lambda: source_for(Renderer(picture, made, cache), "t", spot, []), ref, 9)
    print(f"{'a search for a source':<34} {cost:6.2f} × REF  ≤ 1 with the heal", flush=True)
    hole = Patch.model_validate(patch("fill", 400 / 1600))
    cost = ratio(lambda: filling_for(Renderer(picture, made, cache), "t", hole, None, 0), ref, 5)
    print(f"{'fill of 400 px, chosen':<34} {cost:6.2f} × REF  ≤ 40", flush=True)
    filling = filling_for(Renderer(picture, made, cache), "t", hole, None, 0).model_dump()
    one = {"id": "f", "way": "fill", "filling": filling}
    cost = ratio(lambda: drawn([one], Cache()), ref, 5) - ratio(lambda: drawn([], Cache()), ref, 5)
    print(f"{'the same, laid anew':<34} {cost:6.2f} × REF", flush=True)
    for kind, settings, goal in (
        ("shadow-edge", {"amount": 0.6, "width": 0.02}, 4),
        ("stray-hairs", {"amount": 1}, None),
    ):
        for masked in (True, False):
            made, kept = sheet(kind, settings, masked), Cache()
            said = f"{kind}{', an ellipse' if masked else ''}"
            cost = ratio(lambda m=made, k=kept: Renderer(picture, m, k, keep="t").draw(view), ref, 9) - ground
            new = ratio(lambda m=made: Renderer(picture, m, Cache(), keep="t").draw(view), ref, 5) - ground
            print(f"{said:<34} {cost:6.2f} × REF, from nothing {new:.2f}" + (f"  ≤ {goal}" if goal else ""), flush=True)
    rng = np.random.default_rng(3)
    many = [patch("heal", 0.012, n, tuple(rng.uniform(0.2, 0.7, 2)), source=[0.03, 0.02]) for n in range(500)]
    # As a document does it: what was not changed is shared.
    made = sheet("repair", {"patches": many, "size": 0.01}, False)
    step = made.touches[0]

    def shown(now: Sheet) -> object:
        return Renderer(picture, now, cache, keep="t").draw(view)

    def with_one_more(number: int) -> Sheet:
        raw = patch("heal", 0.012, 999, source=[0.03 + number / 1e4, 0.02])
        settings = step.settings.with_one_more(Patch.model_validate(raw))
        return made.model_copy(update={"touches": [step.model_copy(update={"settings": settings})]})

    shown(made)
    cost = ratio(lambda: shown(made), ref, 9) - ground
    print(f"{'500 patches, kept':<34} {cost:6.2f} × REF  ≤ 0.5", flush=True)
    turn = iter([with_one_more(n) for n in range(30)])
    cost = ratio(lambda: shown(next(turn)), ref, 9) - ground
    print(f"{'one more over them':<34} {cost:6.2f} × REF", flush=True)


if __name__ == "__main__":
    main()
