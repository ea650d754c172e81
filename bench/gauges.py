"""The natural measures of the untouched sitters: their ranges are what the gauges call natural. Writes docs/gauges.md.

Run: python -m bench.gauges
"""

from pathlib import Path

import numpy as np

from retouch.checks.gauges import FINE, gauges
from retouch.checks.look import blurred
from retouch.colour.tones import lightness
from retouch.faces.finding import find
from retouch.files.reading import read
from retouch.render.cache import Cache
from retouch.render.picture import Decoded
from retouch.render.plan import Renderer
from retouch.sheet import Sheet

ROOT = Path(__file__).resolve().parents[1]
HEAD = """# Natural measures on untouched pictures

Made by `python -m bench.gauges` from the untouched, made-up sitters of `demo/pictures`: the lowest, middle and highest
of them. `src/retouch/checks/gauges.py` calls a little more than this span natural. *Fine structure* is the amount
behind *texture kept*, which is 100 % on an untouched picture by its definition: its range is how far one sitter's skin
differs from the middle one's. They are pictures of our own making; photographs may span more.

| measure | lowest | middle | highest | on |
|---|---|---|---|---|
"""


def main() -> None:
    """Measure every sitter and write the table."""
    seen: dict[str, list[float]] = {}
    for path in sorted((ROOT / "demo" / "pictures").iterdir()):
        if path.suffix not in (".jpg", ".tif", ".png"):
            continue
        picture = Decoded(read(path))
        found = find(picture)
        renderer = Renderer(picture, Sheet(), Cache(), found=lambda found=found: found)
        at = renderer.scaled(1000)
        for gauge in gauges(renderer):
            if gauge.before is not None:
                seen.setdefault(f"{gauge.name} ({gauge.unit or 'L %'})", []).append(gauge.after)
        skin = found.coverage("skin", 0, at, renderer.original)
        light = lightness(renderer.original(at))
        fine = light - blurred(light, FINE)
        amount = 100 * np.sqrt((skin * fine**2).sum() / max(skin.sum(), 1))
        seen.setdefault("fine structure (L %)", []).append(float(amount))
        print(path.stem, {k: round(v[-1], 2) for k, v in seen.items()}, flush=True)
    rows = [f"| {name} | {min(v):.2f} | {np.median(v):.2f} | {max(v):.2f} | {len(v)} |" for name, v in seen.items()]
    (ROOT / "docs" / "gauges.md").write_text(HEAD + "\n".join(rows) + "\n")
    print("\n".join(rows))


if __name__ == "__main__":
    main()
