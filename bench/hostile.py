"""What a house makes of what was made to hurt it: ``python -m bench.hostile [--files 1000 …]``; docs/reliability.md.

Files, drawings, masks and edits are made from our own pictures with fixed seeds, and sent to a house of its own one
after the other. Counted are unexpected errors (500 and above), answers that were not sentences, portraits said
to be ready that cannot be looked at, sheets whose view stays dead, processes that ended, the longest answer and the
largest peak of memory that a process of the house had.
"""

import argparse
import io
import json
import random
import re
import struct
import sys
import tempfile
import time
import urllib.error
import zlib
from collections import Counter
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import numpy as np
from PIL import Image

from bench.house import Away, House, Memory, form_of
from retouch.touches import KINDS
from tests.pictures import bytes_of, smooth

SEED = 15
WIDTH, HEIGHT = 600, 750
FRAME = {"width": 300, "height": 375, "x": 0, "y": 0, "w": 300, "h": 375}
CHOIR = Path(__file__).resolve().parents[1] / "demo" / "pictures"


class Told:
    """What came back."""

    def __init__(self) -> None:
        self.codes: Counter[str] = Counter()
        self.longest, self.worst = 0.0, ""
        self.broken: list[str] = []

    def of(self, about: str, ask: Callable[[], bytes]) -> bytes | None:
        """Ask, and write down what came; None if it was refused."""
        began = time.monotonic()
        try:
            content = ask()
            code = "taken"
        except urllib.error.HTTPError as error:
            content, code = None, str(error.code)
            said = error.read()
            try:
                sentence = json.loads(said)["detail"]
                assert isinstance(sentence, str)
                assert len(sentence) > 10
            except Exception:
                self.broken.append(f"{about}: {error.code} without a sentence {said[:80]!r}")
            if error.code >= 500:
                self.broken.append(f"{about}: {error.code} {said[:120]!r}")
        except OSError as error:
            content, code = None, "no answer"
            self.broken.append(f"{about}: {error}")
        took = time.monotonic() - began
        if took > self.longest:
            self.longest, self.worst = took, about
        self.codes[code] += 1
        return content


def hurt(data: bytes, rng: random.Random) -> bytes:
    """A file damaged in one of several ways."""
    out, size = bytearray(data), len(data)
    match rng.randrange(6):
        case 0:
            return bytes(out[: rng.randrange(size)])
        case 1:
            for _ in range(rng.choice((1, 3, 30))):
                out[rng.randrange(size)] = rng.randrange(256)
        case 2:
            # What says how large it is lies at the beginning.
            for _ in range(rng.choice((1, 4))):
                at = rng.randrange(min(size, 400))
                out[at : at + 4] = rng.choice((b"\xff\xff\xff\xff", b"\0\0\0\0", b"\x7f\xff\xff\xff", b"\0\0\x80\0"))
        case 3:
            start = rng.randrange(size)
            del out[start : start + rng.randrange(1, 2000)]
        case 4:
            start = rng.randrange(size)
            out[start:start] = out[rng.randrange(size) :][: rng.randrange(1, 5000)]
        case 5:
            start = rng.randrange(size)
            end = min(size, start + rng.randrange(1, 3000))
            out[start:end] = rng.randbytes(end - start)
    return bytes(out)


def chunk(kind: bytes, data: bytes) -> bytes:
    """A chunk of a PNG."""
    return struct.pack(">I", len(data)) + kind + data + struct.pack(">I", zlib.crc32(kind + data))


def swollen(rng: random.Random) -> tuple[str, bytes]:
    """A small file that says, or becomes, something very large."""
    side = rng.choice((9_000, 12_400, 20_000, 60_000, 2**31 - 1))
    match rng.randrange(4):
        case 0:
            head = chunk(b"IHDR", struct.pack(">IIBBBBB", side, side, 8, 2, 0, 0, 0))
            rows = zlib.compress(bytes(2**20), 9) if side > 20_000 else zlib.compress(bytes(side * 3 + 1) * 400, 9)
            return "swollen.png", b"\x89PNG\r\n\x1a\n" + head + chunk(b"IDAT", rows) + chunk(b"IEND", b"")
        case 1:
            data = bytearray(bytes_of("JPEG", 64, 64))
            at = data.index(b"\xff\xc0")
            data[at + 5 : at + 9] = struct.pack(">HH", min(side, 65_535), min(side, 65_535))
            return "swollen.jpg", bytes(data)
        case 2:
            out = io.BytesIO()
            Image.fromarray(np.zeros((12_400, 12_400), bool)).save(out, "TIFF", compression="group4")
            return "swollen.tif", out.getvalue()
        case _:
            text = rng.choice((100_000, 5_000_000))
            extra = chunk(b"eXIf", b"MM\0*" + rng.randbytes(text)) + chunk(b"tEXt", b"Comment\0" + bytes(text))
            data = bytes_of("PNG", 64, 64)
            return "talkative.png", data[:33] + extra + data[33:]


def files(many: int, rng: random.Random) -> Iterator[tuple[str, bytes]]:
    """Names and contents of files that are not what they say."""
    forms = (("JPEG", "jpg"), ("PNG", "png"), ("TIFF", "tif"), ("WEBP", "webp"), ("BMP", "bmp"), ("GIF", "gif"))
    good = [(f"a.{ending}", bytes_of(form, seed=n)) for n, (form, ending) in enumerate(forms)]
    choir = min(CHOIR.glob("*.jpg"), key=lambda path: path.stat().st_size).read_bytes()
    heic = (Path(__file__).resolve().parents[1] / "tests" / "core" / "files" / "eight.heic").read_bytes()
    good += [("choir.jpg", choir), ("eight.heic", heic)]
    for number in range(many):
        name, data = rng.choice(good)
        kind = rng.random()
        if kind < 0.03:
            yield swollen(rng)
        elif kind < 0.06:
            yield rng.choice((("empty.jpg", b""), ("random.png", b"\x89PNG\r\n\x1a\n" + rng.randbytes(3000)),
                              ("page.jpg", b"<html>" * 50), ("a.jpg", b"\xff\xd8\xff" + rng.randbytes(900)),
                              ("../../etc/passwd.jpg", data), ("nul\0\u202e.jpg", data)))  # fmt: skip
        elif kind < 0.1:
            yield f"{number}.{rng.choice(('jpg', 'dng', 'cr2', 'heic', 'exe'))}", data
        else:
            yield f"{number} {name}", hurt(data, rng)


def drawings(many: int, rng: random.Random) -> Iterator[tuple[str, bytes]]:
    """Names and contents of drawings and mask pictures."""
    page = f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {WIDTH} {HEIGHT}" width="{WIDTH}" height="{HEIGHT}">'

    def nested(depth: int, each: int) -> str:
        said = '<rect id="n0" width="9" height="9"/>'
        for level in range(1, depth):
            said += f'<g id="n{level}">' + f'<use href="#n{level - 1}"/>' * each + "</g>"
        return said

    makers: list[Callable[[], str]] = [
        lambda: nested(rng.randrange(2, 9), rng.choice((2, 10, 100))),
        lambda: "<g>" * (deep := rng.choice((10, 70, 9000))) + "<path d='M0 0L9 9'/>" + "</g>" * deep,
        lambda: f'<path d="M0 0{"A9 5 30 1 0 99 99" * rng.choice((5, 30_000))}"/>',
        lambda: f'<polygon points="{"1,1 600,3 2,750 " * rng.choice((3, 200_000))}"/>',
        lambda: '<rect width="3" height="3"/>' * rng.choice((3, 50_000)),
        lambda: f'<path d="M{rng.choice(("nan", "1e999", "-1e308", "0x10", "١٢"))} 0 L 9 9 Z"/>',
        lambda: f'<circle cx="9" cy="9" r="{rng.choice(("-5", "1e300", "inf", "9"))}"/>',
        lambda: f'<g transform="{rng.choice(("scale(1e200)", "matrix(0 0 0 0 0 0)", "rotate(", "skewX(90)"))}">'
                '<path d="M0 0C1 2 3 4 5 6Z"/></g>',
        lambda: '<use id="a" href="#b"/><use id="b" href="#a"/>',
    ]  # fmt: skip
    entities = '<!DOCTYPE svg [<!ENTITY a "aaaaaaaaaa">' + "".join(
        f'<!ENTITY {chr(97 + n)} "{f"&{chr(96 + n)};" * 10}">' for n in range(1, 9)
    )
    mask = smooth(WIDTH, HEIGHT)[..., 0]
    for number in range(many):
        if number % 2:
            size = rng.choice(((WIDTH, HEIGHT), (60, 75), (6, 900), (8000, 10_000)))
            out = io.BytesIO()
            plain = np.resize((mask * 255).astype(np.uint8), (size[1], size[0]))
            Image.fromarray(plain > 127 if size[0] > 1000 else plain).save(out, "PNG")
            data = out.getvalue()
            yield f"{number}.png", data if rng.random() < 0.2 else hurt(data, rng)
        else:
            text = page + rng.choice(makers)() + "</svg>"
            if rng.random() < 0.1:
                text = entities + "]>" + page + "<text>&i;</text></svg>"
            data = text.encode()
            yield f"{number}.svg", hurt(data, rng) if rng.random() < 0.3 else data


def edits(many: int, rng: random.Random) -> Iterator[list[Any]]:
    """Operations that are nearly right, or not at all."""
    odd: list[Any] = [None, True, -1, 0, 1e308, -1e-300, 2**70, "", "exposure", "\u202e", "x" * 5000, [], {}, [[]],
                      [0.5, 0.5], [[1e9, -1e9, 2]] * 40, {"of": "colour"}, {"ramp": [0.9, 0.1, 0.2, 0.3]}]  # fmt: skip
    neutral = {name: kind().model_dump(mode="json") for name, kind in KINDS.items()}
    points = [[rng.random(), rng.random(), rng.random()] for _ in range(4)]
    stroke = {"size": 0.1, "points": points}
    sources: list[dict[str, Any]] = [
        {"source": "strokes", "strokes": [stroke]},
        {"source": "pool", "centre": [0.4, 0.4], "radii": [0.2, 0.1], "turn": 20},
        {"source": "fade", "start": [0.1, 0.1], "end": [0.5, 0.5]},
        {"source": "outline", "shapes": [{"path": "M0.1 0.1L0.5 0.1L0.5 0.5Z"}]},
        {"source": "outline", "shapes": [{"path": "M1e300 -1e308A.1.1 0 0 1 9e99.5C1 2 3"}]},
        {"source": "outline", "shapes": [{"path": "M0 0L1e6 1e6L1e6 0ZM.1.1h1e-30v9e9z" * 90, "take": True}]},
        {"source": "colour", "samples": [{"lab": [0.6, 0.05, 0.05]}]},
        {"source": "tones", "ramp": [0.1, 0.2, 0.8, 0.9]},
        {"source": "face-part", "part": "hair"},
    ]

    def bent(value: Any) -> Any:
        """A value with something in it put wrong."""
        if rng.random() < 0.25:
            return rng.choice(odd)
        if isinstance(value, dict) and value:
            key = rng.choice(list(value))
            return {**value, key: bent(value[key])}
        if isinstance(value, list) and value:
            at = rng.randrange(len(value))
            return [*value[:at], bent(value[at]), *value[at + 1 :]]
        if isinstance(value, float | int) and not isinstance(value, bool):
            return rng.choice((value * 1000, -value, value + rng.uniform(-1, 1), 1e30))
        return rng.choice(odd)

    def moved(value: Any) -> Any:
        """A value whose numbers are others, most of which may stand."""
        if isinstance(value, dict):
            return {key: moved(one) for key, one in value.items()}
        if isinstance(value, list):
            return [moved(one) for one in value]
        plain = isinstance(value, float) and rng.random() < 0.6
        return rng.choice((value + rng.uniform(-0.5, 0.5), value * rng.uniform(0, 2))) if plain else value

    for number in range(many):
        kind = rng.choice(list(KINDS))
        settings = json.loads(json.dumps(neutral[kind]))
        if kind in ("repair", "dodge-burn"):
            patch = {"id": "p", "way": rng.choice(("heal", "clone", "smear", "paint", "spot")), "source": [0.1, 0.1]}
            settings = {"patches": [patch | {"strokes": [stroke]}]} if kind == "repair" else {"strokes": [stroke]}
        touch: dict[str, Any] = {"id": f"t{number}", "kind": kind, "settings": settings}
        area = {"id": f"a{number}", "feather": 0.02, "parts": [rng.choice(sources)]}
        put_wrong = rng.choice((bent, moved))
        match rng.randrange(5):
            case 0:
                yield [{"op": "insert", "path": ["touches"], "item": put_wrong(touch)}]
            case 1:
                yield [{"op": "insert", "path": ["areas"], "item": put_wrong(area)},
                       {"op": "insert", "path": ["touches"], "item": touch | {"area": area["id"]}}]  # fmt: skip
            case 2:
                path = rng.choice((["touches", "t1", "settings", "ev"], ["touches"], [], ["areas", "a1", "parts", 0],
                                   ["version"], ["touches", "t1", "area"], [None], ["touches", -1]))  # fmt: skip
                yield [{"op": rng.choice(("put", "remove", "move", "leap")), "path": path, "value": rng.choice(odd)}]
            case 3:
                ring = [{**area, "parts": [{"source": "area", "area": f"a{n}"}], "id": f"a{m}"}
                        for n, m in ((number, number + 1), (number + 1, number))]  # fmt: skip
                yield [{"op": "insert", "path": ["areas"], "item": one} for one in ring]
            case _:
                yield (
                    rng.choice(odd)
                    if rng.random() < 0.3
                    else [bent({"op": "insert", "path": ["touches"], "item": touch})]
                )


def main() -> None:
    """Send it all, and count."""
    parser = argparse.ArgumentParser(prog="python -m bench.hostile")
    for name, many in (("files", 1000), ("drawings", 1000), ("edits", 1500)):
        parser.add_argument(f"--{name}", type=int, default=many)
    options = parser.parse_args()
    with tempfile.TemporaryDirectory(dir="/var/tmp") as folder:
        house = House(Path(folder))
        house.start()
        try:
            sitting = house.entered("Hostile")
            portrait = house.upload(sitting, "Alto 1.png", bytes_of("PNG", WIDTH, HEIGHT))
            house.until_prepared(portrait)
            watch = Memory(house)
            watch.start()
            told = {
                "files": _files(house, sitting, options.files),
                "drawings and masks": _drawings(house, portrait, options.drawings),
                "edits": _edits(house, portrait, options.edits),
            }
            watch.over.set()
            said = (Path(folder) / "start.log").read_text()
            log = (Path(folder) / "server.log").read_text()
        finally:
            house.stop()
    print("| what | taken, refused | unexpected | longest answer |\n|---|---|---|---|")
    for name, one in told.items():
        codes = ", ".join(f"{code}: {many}" for code, many in sorted(one.codes.items()))
        print(f"| {name} | {codes} | {len(one.broken)} | {one.longest:.1f} s ({one.worst}) |")
        for line in one.broken[:20]:
            print(f"    {line}", file=sys.stderr)
            if number := re.search(r"no\. ([0-9a-f]{8})", line):
                # What the log says under this number.
                trace = log.split(f"no. {number[1]}", 1)[-1].split("ERROR", 1)[0].splitlines()
                print("\n".join(f"        {row}" for row in trace[-8:]), file=sys.stderr)
    print(f"\nLargest peak of a process: {watch.peak / 2**20:.0f} MB. Processes that ended: {said.count(' ended ')}.")


def _files(house: House, sitting: str, many: int) -> Told:
    told, rng = Told(), random.Random(SEED)
    states: Counter[str] = Counter()
    for number, (name, data) in enumerate(files(many, rng)):
        safe = name.replace("\0", "%00").replace('"', "")
        body, kind = form_of(safe, data)
        about = f"file {number} {safe[:30]!r}"
        answer = told.of(about, lambda b=body, k=kind: house.raw(  # type: ignore[misc]
            "POST", f"/sittings/{sitting}/portraits", b, kind=k, wait=120))  # fmt: skip
        if answer is None:
            continue
        key = json.loads(answer)["id"]
        began = time.monotonic()
        try:
            state = house.until_prepared(key)
        except Away as error:
            told.broken.append(f"{about}: {error}")
            continue
        if (took := time.monotonic() - began) > told.longest:
            told.longest, told.worst = took, f"preparing {about}"
        states[state] += 1
        if state == "ready":
            facts = house.ask("GET", f"/portraits/{key}")["facts"]
            share = min(1.0, 300 / max(facts["width"], facts["height"]))
            size = [max(1, round(facts[side] * share)) for side in ("width", "height")]
            frame = dict(zip(("width", "height", "x", "y", "w", "h"), (*size, 0, 0, *size), strict=True))
            for path, body_ in ((f"/portraits/{key}/view", {"revision": 0, "frame": frame}),
                                (f"/portraits/{key}/thumbnail", None)):  # fmt: skip
                method = "GET" if body_ is None else "POST"
                if told.of(about, lambda m=method, p=path, b=body_: house.raw(m, p, b)) is None:  # type: ignore[misc]
                    told.broken.append(f"{about}: ready, and cannot be looked at")
        house.ask("DELETE", f"/portraits/{key}")
        _step(number, many, f"files {dict(states)}")
    return told


def _drawings(house: House, portrait: str, many: int) -> Told:
    told, rng = Told(), random.Random(SEED + 1)
    for number, (name, data) in enumerate(drawings(many, rng)):
        body, kind = form_of(name, data)
        where = "outlines" if name.endswith("svg") else "masks"
        told.of(f"drawing {name}", lambda b=body, k=kind, w=where: house.raw(  # type: ignore[misc]
            "POST", f"/portraits/{portrait}/{w}", b, kind=k, wait=120))  # fmt: skip
        _step(number, many, "drawings")
    return told


def _edits(house: House, portrait: str, many: int) -> Told:
    told, rng, revision = Told(), random.Random(SEED + 2), 0
    for number, operations in enumerate(edits(many, rng)):
        text = json.dumps({"revision": revision, "words": f"edit {number}", "operations": operations}).encode()
        answer = told.of(f"edit {number}", lambda t=text: house.raw(  # type: ignore[misc]
            "POST", f"/portraits/{portrait}/edits", t, wait=120))  # fmt: skip
        if answer is not None:
            revision = json.loads(answer)["revision"]
            view = {"revision": revision, "frame": FRAME}
            if told.of(f"view after {number} {str(operations)[:200]}", lambda v=view: house.raw(  # type: ignore[misc]
                    "POST", f"/portraits/{portrait}/view", v, wait=120)) is None:  # fmt: skip
                told.broken.append(f"dead view after edit {number}: {str(operations)[:300]}")
            # A sheet does not grow without end in this bench.
            back = house.ask("POST", f"/portraits/{portrait}/undo", {"revision": revision})
            revision = back["revision"]
        _step(number, many, "edits")
    return told


def _step(number: int, many: int, what: str) -> None:
    if number % 50 == 49:
        print(f"{number + 1} of {many} {what}", file=sys.stderr, flush=True)


if __name__ == "__main__":
    main()
