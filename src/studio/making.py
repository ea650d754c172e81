"""What is ordered, made: finished pictures, masks, sheets, and PDFs of many portraits."""

from collections.abc import Callable, Iterator
from functools import partial
from pathlib import Path
from typing import Any
from uuid import UUID

import numpy as np
import simplejpeg

from retouch.colour.icc import SRGB_PROFILE
from retouch.colour.press import Press, read_press
from retouch.faces import Found
from retouch.files.paper import Told, contact_sheet, work_report
from retouch.files.reading import read
from retouch.files.writing import write_mask
from retouch.frame import Frame
from retouch.render.cache import Cache
from retouch.render.export import Order, export
from retouch.render.output import to_file
from retouch.render.picture import Decoded
from retouch.render.plan import Renderer
from retouch.sheet import Document, Sheet
from retouch.sheet.telling import told
from retouch.types import PictureError
from studio import viewing
from studio.models import Export, Portrait, PressProfile
from studio.storage import on_disk

Tell = Callable[[float], None]
Finds = Callable[[str], Found]
CONTACT_SIDE, REPORT_SIDE = 600, 1000
"""Pixels on the long side of pictures in PDFs."""


def make(row: Export, path: Path, tell: Tell, found: Finds) -> None:
    """Make the file of an export; ``found`` gives what was found on a portrait, which is looked for if it was not.

    PictureError if it cannot be made. What ``tell`` raises ends the work.
    """
    what = row.order.get("what", "picture")
    if what in ("contact sheet", "work report"):
        _paper(row, path, tell, found)
        return
    there = partial(found, str(row.portrait_id))
    document = Document.stored(row.document)
    if what == "sheet":
        path.write_text(document.sheet.model_dump_json(indent=1))
        return
    with on_disk(row.portrait.original) as source:
        original = read(source)
    if what == "mask":
        picture = Decoded(original)
        renderer = Renderer(picture, document.sheet, Cache(0), found=there)
        coverage = renderer.shapes.shown(partial(renderer.area, row.order["area"]), Frame.whole(*renderer.size))
        write_mask(path, (np.clip(coverage, 0, 1) * 65535 + 0.5).astype(np.uint16))
        return
    order = dict(row.order)
    press = order.pop("press", None)
    export(original, document.sheet, Order(**order), path, tell, lambda _: there(), press_of(row, press))


def press_of(row: Export, press: int | None) -> Press | None:
    """The press that was ordered into, if it is there and the photographer's own."""
    mine = PressProfile.objects.filter(owner=row.portrait.sitting.owner_id)
    found = mine.filter(pk=press).first() if press is not None else None
    return read_press(bytes(found.data)) if found else None


def _paper(row: Export, path: Path, tell: Tell, found: Finds) -> None:
    """A PDF of several portraits, as their sheets stood when it was ordered."""
    of: list[tuple[str, dict[str, object]]] = row.order["of"]
    names = dict(Portrait.objects.filter(pk__in=[key for key, _ in of]).values_list("pk", "name"))
    sheets = [(UUID(key), Document.stored(document).sheet) for key, document in of if UUID(key) in names]
    if not sheets:
        raise PictureError("None of these portraits is there any more.")

    def seen(portrait: UUID, sheet: Sheet, side: int) -> bytes:
        if any(part.finds for area in sheet.areas for part in area.known):
            found(str(portrait))
        # A PDF takes its colours for sRGB.
        pixels = to_file(viewing.picture_of(portrait, sheet, side), SRGB_PROFILE, 8)
        return bytes(simplejpeg.encode_jpeg(np.ascontiguousarray(pixels), quality=90))

    def each() -> Iterator[Any]:
        for number, (portrait, sheet) in enumerate(sheets):
            tell(number / len(sheets))
            name = names[portrait]
            if row.order["what"] == "contact sheet":
                yield name, seen(portrait, sheet, CONTACT_SIDE)
            else:
                before, after = (seen(portrait, one, REPORT_SIDE) for one in (Sheet(), sheet))
                yield Told(name, before, after, list(told(sheet)))

    title = row.portrait.sitting.name
    made = partial(contact_sheet, columns=row.order["columns"]) if row.order["what"] == "contact sheet" else work_report
    made(path, title, each())
