"""What is known of people who come again, for grouping by sitter: ``python -m demo.again --pictures DIR``.

The pictures are made by ``demo.sitters.again``; what is kept of them are the traits alone, in ``demo/again.json``.
"""

import argparse
import json
from pathlib import Path

from retouch.faces.finding import find
from retouch.faces.traits import traits
from retouch.files.reading import read
from retouch.frame import Frame
from retouch.render.picture import Decoded

KEPT = Path(__file__).with_suffix(".json")


def main() -> None:
    """Look at every picture, and keep the traits of the face on it under its sitter's name."""
    parser = argparse.ArgumentParser(prog="python -m demo.again")
    parser.add_argument("--pictures", type=Path, required=True)
    options = parser.parse_args()
    kept: dict[str, list[list[float | None]]] = {}
    for path in sorted((options.pictures / "pictures").glob("*.jpg")):
        picture = Decoded(read(path))
        faces = traits(find(picture), Frame.whole(picture.width, picture.height), picture.read)
        if len(faces) == 1:
            kept.setdefault(path.stem.rpartition(",")[0], []).append(faces[0])
            print(path.stem, flush=True)
    inner = ",\n  "
    lines = [f"{json.dumps(name)}: [\n  {inner.join(map(json.dumps, rows))}]" for name, rows in kept.items()]
    KEPT.write_text("{" + ",\n".join(lines) + "}\n")


if __name__ == "__main__":
    main()
