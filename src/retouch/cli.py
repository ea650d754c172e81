"""The command ``needlepoint``: the same core as the studio's, for files on a disk."""

import argparse
import json
import logging
import os
import sys
from collections.abc import Sequence
from concurrent.futures import ProcessPoolExecutor, as_completed
from contextlib import redirect_stdout
from dataclasses import asdict, dataclass, fields
from functools import cache, partial
from itertools import count
from multiprocessing import get_context
from pathlib import Path
from typing import NoReturn, cast

import numpy as np

from retouch.checks import gauges
from retouch.colour.press import read_press
from retouch.faces import NAMES, Found
from retouch.faces.finding import find
from retouch.faces.own import own
from retouch.files.naming import Names, name_by
from retouch.files.reading import look, read
from retouch.files.writing import SUFFIXES, write_mask
from retouch.files.xmp import Credits, sheet_in
from retouch.frame import Frame
from retouch.render.cache import Cache
from retouch.render.export import Into, Order, export
from retouch.render.picture import Decoded
from retouch.render.plan import Renderer
from retouch.render.sized import Sized
from retouch.sheet import Document, Sheet, read_sheet
from retouch.sheet.preset import lay, read_preset
from retouch.types import Floats, PictureError

SAID = tuple(field.name for field in fields(Credits))


class SomeFailed(Exception):
    """Some of several pictures could not be done; the others were."""


class _Parser(argparse.ArgumentParser):
    def error(self, message: str) -> NoReturn:
        raise PictureError(message)


def main(arguments: Sequence[str] | None = None) -> int:
    """Run a command; bad input gives exit code 2, some of several pictures that failed 1, each with a line."""
    _keep_to_sentences()
    try:
        options = _parser().parse_args(arguments)
        options.run(options)
    except SomeFailed as error:
        return _complain(str(error), 1)
    except PictureError as error:
        return _complain(str(error))
    except OSError as error:
        return _complain(f"{error.filename or 'A file'}: {error.strerror or error}.")
    return 0


def _keep_to_sentences() -> None:
    """What the core writes into a log stays out of the way: whoever runs a command reads the sentence alone."""
    log = logging.getLogger("retouch")
    if not log.handlers:
        log.addHandler(logging.NullHandler())
        log.propagate = False


def _complain(sentence: str, code: int = 2) -> int:
    print(f"needlepoint: {' '.join(sentence.split())}", file=sys.stderr)
    return code


def _parser() -> _Parser:
    parser = _Parser(prog="needlepoint", description="Retouch portraits by a sheet of areas and touches.")
    commands = parser.add_subparsers(required=True, metavar="COMMAND")

    render = commands.add_parser("render", help="pictures and a sheet or a preset to finished files")
    render.add_argument("pictures", type=Path, nargs="+", metavar="PICTURE")
    by = render.add_mutually_exclusive_group(required=True)
    by.add_argument("--sheet", type=Path, metavar="SHEET.json", help="one sheet for all of them, as it is")
    by.add_argument("--preset", type=Path, metavar="PRESET.json", help="touches that find themselves on each")
    render.add_argument(
        "--out", required=True, metavar="OUT.(jpg|png|tif|webp|avif|jxl)",
        help="of several pictures with {name}, {number} or {date} in it: “web/{number} {name}.jpg”",
    )  # fmt: skip
    render.add_argument("--profile", choices=["srgb", "display-p3", "original"], default="srgb")
    render.add_argument("--bits", type=int, choices=[8, 16], default=8)
    render.add_argument("--quality", type=int, default=92, metavar="1-100", help="of a JPEG, WebP, AVIF or JPEG XL")
    size = render.add_mutually_exclusive_group()
    size.add_argument("--long", type=float, metavar="PIXELS", help="of the long side")
    size.add_argument("--megapixels", type=float, metavar="MP")
    size.add_argument("--print", type=float, metavar="CM", help="of the long side, at --dpi")
    render.add_argument("--dpi", type=int, default=300)
    render.add_argument("--sharpen", choices=["no", "screen", "glossy paper", "matt paper"], default="no")
    render.add_argument("--workers", type=int, default=1, metavar="N", help="pictures at once")
    render.add_argument("--overwrite", action="store_true", help="files that are there already")
    render.add_argument(
        "--press", type=Path, metavar="PROFILE.icc", help="into the four inks of this ICC profile; TIFF or JPEG"
    )
    render.add_argument("--place", action="store_true", help="leave in the file where the picture was taken")
    render.add_argument("--with-sheet", action="store_true", help="lay the sheet into the file, as XMP")
    for said in SAID:
        render.add_argument(f"--{said}", default="", metavar="TEXT", help=f"what the file says of itself: {said}")
    render.set_defaults(run=_render)

    area = commands.add_parser("area", help="the coverage of areas as grey pictures")
    area.add_argument("pictures", type=Path, nargs="+", metavar="PICTURE")
    area.add_argument("--sheet", type=Path, metavar="SHEET.json")
    area.add_argument("--area", action="append", metavar="NAME", help="of the sheet: its name or id; may be repeated")
    area.add_argument(
        "--find", action="append", choices=NAMES, metavar="NAME",
        help=f"instead of a sheet, what the program finds by itself; may be repeated: {', '.join(NAMES)}",
    )  # fmt: skip
    area.add_argument("--of", type=int, default=0, metavar="N", help="whose: number of the face from the left, from 1")
    area.add_argument(
        "--out", type=Path, required=True, metavar="MASK.png|FOLDER",
        help="a folder, for PICTURE-NAME.png, where there are several pictures or areas",
    )  # fmt: skip
    area.set_defaults(run=_area)

    faces = commands.add_parser("faces", help="what is found on a picture, as JSON")
    faces.add_argument("picture", type=Path, metavar="PICTURE")
    faces.set_defaults(run=_faces)

    measure = commands.add_parser("measure", help="what a sheet did to skin, eyes and teeth, as JSON")
    measure.add_argument("picture", type=Path, metavar="PICTURE")
    measure.add_argument("--sheet", type=Path, required=True, metavar="SHEET.json")
    measure.add_argument("--touch", metavar="ID", help="one touch alone")
    measure.add_argument("--area", metavar="NAME", help="within one area: its name or id")
    measure.set_defaults(run=_measure)

    kept = commands.add_parser("sheet", help="the sheet that lies in a finished picture, as JSON")
    kept.add_argument("picture", type=Path, metavar="PICTURE")
    kept.set_defaults(run=lambda options: print(sheet_in(options.picture).decode()))

    schema = commands.add_parser("schema", help="the JSON Schema of the sheet")
    schema.set_defaults(run=lambda options: print(json.dumps(Sheet.model_json_schema(), indent=2)))
    return parser


@dataclass(frozen=True)
class _Work:
    """One picture on its way to a file; sheet or preset as JSON, which another process takes as it is."""

    picture: Path
    out: Path
    order: Order
    sheet: bytes | None
    preset: bytes | None
    press: bytes | None = None


def _render(options: argparse.Namespace) -> None:
    form = SUFFIXES.get(Path(options.out).suffix.lower())
    if form is None:
        raise PictureError(f"{Path(options.out).name}: a finished file ends in {', '.join(SUFFIXES)}.")
    if not 1 <= options.quality <= 100 or options.workers < 1:
        raise PictureError("The quality of a file lies between 1 and 100, and there is at least one worker.")
    by, amount = next(((n, v) for n in ("long", "megapixels", "print") if (v := getattr(options, n))), ("full", 0.0))
    into = cast(Into, "press" if options.press else options.profile)
    order = Order(
        form, options.bits, into, options.quality, cast(Sized, by), amount, options.dpi, options.sharpen,
        options.place, options.with_sheet, *(getattr(options, said) for said in SAID),
    )  # fmt: skip
    sheet = _sheet_of(options.sheet) if options.sheet else None
    preset = options.preset.read_bytes() if options.preset else None
    press = options.press.read_bytes() if options.press else None
    # What is wrong with them is said once, before anything is done.
    _ = read_press(press) if press is not None else None
    _ = read_sheet(sheet) if sheet is not None else read_preset(preset or b"")
    works = [
        _Work(picture, out, order, sheet, preset, press)
        for picture, out in zip(options.pictures, _outs(options.pictures, options.out), strict=True)
    ]
    there = [work.out.name for work in works if work.out.exists()]
    if there and not options.overwrite:
        raise PictureError(f"{there[0]} is there already; say --overwrite, or write elsewhere. Nothing was done.")
    if "{" in options.out:
        for work in works:
            work.out.parent.mkdir(parents=True, exist_ok=True)
    if len(works) == 1:
        _finish(works[0])
        return
    failed: list[str] = []
    with ProcessPoolExecutor(options.workers, get_context("spawn"), _keep_to_sentences) as pool:
        going = {pool.submit(_finished, work): work for work in works}
        for number, one in enumerate(as_completed(going), 1):
            name, problem = going[one].picture.name, one.result()
            print(f"{number} of {len(works)}: {name}{': ' if problem else ''}{problem}", file=sys.stderr)
            failed += [name] if problem else []
    if failed:
        raise SomeFailed(f"{len(works) - len(failed)} of {len(works)} pictures done; not {', '.join(failed)}.")


def _sheet_of(path: Path) -> bytes:
    """The sheet of a file: itself, or what lies in a finished picture."""
    return sheet_in(path) if path.suffix.lower() in SUFFIXES else path.read_bytes()


def _outs(pictures: Sequence[Path], pattern: str) -> list[Path]:
    """Where each picture's file goes."""
    if len(pictures) == 1 and "{" not in pattern:
        return [Path(pattern)]
    if "{" not in pattern:
        raise PictureError("Several pictures need names of their own: put {name} or {number} into --out.")
    # The folder before the first field is taken as it is.
    fixed, slash, rest = pattern[: pattern.index("{")].rpartition("/")
    path = Path(rest + pattern[pattern.index("{") :])
    names, out = Names(), []
    for number, picture in enumerate(pictures, 1):
        taken = str(look(picture).camera.get("taken", ""))[:10].replace(":", "-") if "{date}" in pattern else ""
        fields = {"name": picture.stem, "file": picture.stem, "number": f"{number:03}", "date": taken}
        fields |= {"sitting": picture.parent.name, "order": path.suffix[1:]}
        made = names.free(name_by(str(path.with_suffix("")), fields, path.suffix))
        out.append(Path(fixed + slash) / made if slash else Path(made))
    return out


def _finished(work: _Work) -> str:
    """What went wrong with a picture, in a sentence; nothing if its file is there."""
    try:
        _finish(work)
    except PictureError as error:
        return " ".join(str(error).split())
    except OSError as error:
        return f"{error.strerror or error}."
    return ""


def _finish(work: _Work) -> None:
    original = read(work.picture)
    sheet = Sheet() if work.sheet is None else read_sheet(work.sheet)
    find = cache(_find)
    if work.preset is not None:
        preset, picture = read_preset(work.preset), Decoded(original)
        found = find(picture) if preset.finds else None
        mine = own(found, Frame.whole(picture.width, picture.height), picture.read)
        numbers = count(1)
        laid = lay(preset, Sheet().model_dump(mode="json"), lambda kind: f"{kind}{next(numbers)}", mine, found)
        sheet = Document(Sheet()).changed(laid.operations)[0].sheet
        for name in laid.lacking:
            print(f"needlepoint: {work.picture.name}: not found: {name}", file=sys.stderr)
        find = cache(lambda _: found if found is not None else _find(_))
    # Under another name until it is whole: whatever ends the work leaves no half file.
    part = work.out.with_name(f".{work.out.name}.part")
    try:
        press = read_press(work.press) if work.press is not None else None
        export(original, sheet, work.order, part, found=find, press=press)
        part.replace(work.out)
    finally:
        part.unlink(missing_ok=True)


def _area(options: argparse.Namespace) -> None:
    if (options.find is None) == (options.sheet is None) or (options.sheet is None) != (options.area is None):
        raise PictureError("Say either --sheet and --area, or --find.")
    names: list[str] = list(dict.fromkeys(options.find or options.area))
    several = len(names) > 1 or len(options.pictures) > 1
    if several and options.out.suffix:
        raise PictureError(f"{options.out.name}: several masks go into a folder.")
    if not several and options.out.suffix.lower() != ".png":
        raise PictureError(f"{options.out.name}: a mask is written as .png.")
    stems = [path.stem for path in options.pictures]
    twice = next((stem for stem in stems if stems.count(stem) > 1), None)
    if twice is not None:
        raise PictureError(f"Two of the pictures are called “{twice}”: one mask would overwrite the other.")
    files = [_plain(name) for name in names]
    alike = [name for name, file in zip(names, files, strict=True) if files.count(file) > 1]
    if alike:
        raise PictureError(f"The masks of “{'” and “'.join(alike)}” would have one file name: ask for them one by one.")
    sheet = read_sheet(_sheet_of(options.sheet)) if options.sheet else None
    failed: list[str] = []
    for path in options.pictures:
        try:
            _masks(path, sheet, names, options.of, options.out, several)
        except (PictureError, OSError) as error:
            if len(options.pictures) == 1:
                raise
            print(f"needlepoint: {path.name}: {' '.join(str(error).split())}", file=sys.stderr)
            failed.append(path.name)
    if failed:
        done = len(options.pictures) - len(failed)
        raise PictureError(f"{done} of {len(options.pictures)} pictures done; not {', '.join(failed)}.")


def _plain(name: str) -> str:
    """A name as part of a file's name."""
    return "".join(c if c.isalnum() else "-" for c in name)


def _masks(path: Path, sheet: Sheet | None, names: list[str], of: int, out: Path, several: bool) -> None:
    """Write the masks of one picture; what is found on it is looked for once."""
    picture = Decoded(read(path))
    whole = Frame.whole(picture.width, picture.height)
    found = cache(partial(_find, picture))
    for name in names:
        if sheet is None:
            coverage = _found(found(), picture, name, of, whole)
        else:
            coverage = Renderer(picture, sheet, found=found).area(_named(sheet, name), whole)
        if several:
            out.mkdir(parents=True, exist_ok=True)
        place = out / f"{path.stem}-{_plain(name)}.png" if several else out
        write_mask(place, (np.clip(coverage, 0, 1) * 255 + 0.5).astype(np.uint8))


def _named(sheet: Sheet, name: str) -> str:
    """The id of the area with this name or id."""
    for area in sheet.areas:
        if name in (area.id, area.name):
            return area.id
    names = ", ".join(f"“{a.name or a.id}”" for a in sheet.areas) or "none"
    raise PictureError(f"There is no area “{name}” in this sheet. Its areas: {names}.")


def _measure(options: argparse.Namespace) -> None:
    sheet = read_sheet(_sheet_of(options.sheet))
    area = None if options.area is None else _named(sheet, options.area)
    if options.touch is not None and all(s.id != options.touch for s in sheet.steps()):
        raise PictureError(f"There is no touch “{options.touch}” in this sheet.")
    picture = Decoded(read(options.picture))
    renderer = Renderer(picture, sheet, Cache(), found=partial(_find, picture))
    print(json.dumps([asdict(g) for g in gauges(renderer, options.touch, area)], indent=2, ensure_ascii=False))


def _found(found: Found, picture: Decoded, name: str, of: int, frame: Frame) -> Floats:
    count = len(found.faces)
    if not 0 <= of <= count:
        there = "is one face" if count == 1 else f"are {count or 'no'} faces"
        raise PictureError(f"There {there} on this picture: --of {of} is nobody.")
    return found.coverage(name, of, frame, picture.read)


def _find(picture: Decoded) -> Found:
    """As :func:`find`, without what the models' native code says to its own makers."""
    sys.stderr.flush()
    kept = os.dup(2)
    with open(os.devnull, "w") as nowhere, redirect_stdout(nowhere):
        os.dup2(nowhere.fileno(), 2)
        try:
            return find(picture)
        finally:
            os.dup2(kept, 2)
            os.close(kept)


def _faces(options: argparse.Namespace) -> None:
    print(json.dumps(_find(Decoded(read(options.picture))).summary(), indent=2))
