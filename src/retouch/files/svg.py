"""Outlines in and out as SVG files: SVG 2, https://www.w3.org/TR/SVG2/."""

import re
from collections.abc import Sequence
from io import BytesIO
from typing import NamedTuple
from xml.parsers import expat

from svgelements import SVG, Close, CubicBezier, Line, Matrix, Move, Path, Point, QuadraticBezier, Shape

from retouch.types import PictureError

MOST_BYTES = 4 * 2**20
MOST_PATH = 200_000
MOST_ELEMENTS, MOST_PIECES, MOST_POINTS, DEEPEST = 5_000, 5_000, 40_000, 60
"""Elements in the file; pieces and points of what it becomes; and elements within each other."""
FARTHEST = 1000
"""Long sides that a point may lie away from the page."""
MOST_ENTITY = 200
"""Characters that an entity stands for."""
TOO_MUCH = "This drawing is made of more pieces or points than an outline needs. Simplify it; nothing was changed."
XLINK = "xlink:href"
NUMBER = re.compile(r"[-+]?(?:\d+\.?\d*|\.\d+)(?:[eE][-+]?\d+)?")
PROPORTION = 0.01
"""How far a drawing's proportions may be from the portrait's."""


class SvgShape(NamedTuple):
    """A shape: SVG path data in long sides of the picture, and whether it is cut out of those before it."""

    path: str
    take: bool


def read_svg(data: bytes, width: int, height: int) -> list[SvgShape]:
    """The shapes of an SVG file whose page has the proportions of a picture of ``width`` × ``height``.

    Rectangles, circles, ellipses and polygons become paths, transforms are applied, arcs and quadratic curves become
    cubic ones. What has ``data-take`` is cut out. Raises PictureError if it is no such file.
    """
    if len(data) > MOST_BYTES:
        raise PictureError(f"This drawing is larger than {MOST_BYTES // 2**20} MB. Nothing was changed.")
    _bearable(data)
    try:
        page = SVG.parse(BytesIO(data))
        across, down = float(page.width), float(page.height)
    except Exception as error:
        raise PictureError("This file is not an SVG drawing that can be read. Nothing was changed.") from error
    if not across > 0 or not down > 0 or abs(across / down / (width / height) - 1) > PROPORTION:
        raise PictureError(
            f"This drawing's page ({across:.0f} × {down:.0f}) has other proportions than the portrait "
            f"({width} × {height}). Nothing was changed."
        )
    long_sides = Matrix.scale(1 / max(across, down))
    shapes = []
    for element in page.elements():
        if isinstance(element, Shape):
            path = Path(element) * long_sides
            path.reify()
            path.approximate_arcs_with_cubics()
            drawn = _data(path)
            if len(drawn) > MOST_PATH:
                raise PictureError("A shape of this drawing has too many points. Nothing was changed.")
            if drawn:
                shapes.append(SvgShape(drawn, "data-take" in element.values))
    if not shapes:
        raise PictureError("There is no shape in this drawing. Nothing was changed.")
    return shapes


def _bearable(data: bytes) -> None:
    """Look at a drawing before it is read: what it becomes once every ``use`` stands for what it names.

    Raises PictureError if that is more than an outline needs: pieces, points, and elements within each other.
    """
    reader, parts = expat.ParserCreate(), _Parts()
    reader.StartElementHandler, reader.EndElementHandler = parts.begun, parts.ended
    reader.EntityDeclHandler = parts.declared
    try:
        reader.Parse(data, True)
    except expat.ExpatError as error:
        raise PictureError("This file is not an SVG drawing that can be read. Nothing was changed.") from error
    pieces, points = parts.becomes(0, frozenset())
    if pieces > MOST_PIECES or points > MOST_POINTS:
        raise PictureError(TOO_MUCH)


class _Parts:
    """The elements of a drawing as they are met: of each its own points, and what is in it or named by it."""

    def __init__(self) -> None:
        self._own: list[int] = [0]
        self._inside: list[list[int | str]] = [[]]
        self._names: dict[str, int] = {}
        self._open = [0]
        self._known: dict[int, tuple[int, int]] = {}

    def declared(self, name: str, parameter: bool, value: str | None, *_: object) -> None:
        """An entity: drawing programs write short ones, for addresses; those made of others, or long ones, swell."""
        if parameter or value is None or "&" in value or len(value) > MOST_ENTITY:
            raise PictureError("This file is not an SVG drawing that can be read. Nothing was changed.")

    def begun(self, name: str, attributes: dict[str, str]) -> None:
        """An element begins."""
        if len(self._open) > DEEPEST or len(self._own) > MOST_ELEMENTS:
            raise PictureError(TOO_MUCH)
        number, kind = len(self._own), name.rsplit(":", 1)[-1]
        drawn = attributes.get("d", "") + " " + attributes.get("points", "")
        # An arc becomes up to four curves of six numbers.
        self._own.append(len(NUMBER.findall(drawn)) // 2 + 12 * (drawn.count("A") + drawn.count("a")))
        self._inside.append([])
        self._inside[self._open[-1]].append(number)
        if "id" in attributes:
            self._names.setdefault(attributes["id"], number)
        if kind == "use":
            self._inside[number].append(attributes.get("href", attributes.get(XLINK, "")).lstrip("#"))
        self._open.append(number)

    def ended(self, _: str) -> None:
        """An element ends."""
        self._open.pop()

    def becomes(self, number: int, above: frozenset[int]) -> tuple[int, int]:
        """Pieces and points of an element with all that it stands for."""
        if number not in self._known:
            if number in above or len(above) > 2 * DEEPEST:
                raise PictureError(TOO_MUCH)
            pieces, points = 1, self._own[number]
            for inner in self._inside[number]:
                named = self._names.get(inner) if isinstance(inner, str) else inner
                if named is not None:
                    more = self.becomes(named, above | {number})
                    pieces, points = pieces + more[0], points + more[1]
            self._known[number] = pieces, points
        return self._known[number]


def write_svg(shapes: Sequence[SvgShape], width: int, height: int) -> str:
    """An SVG file of a picture's size: filled shapes in their order, those that are cut out white over the others."""
    unit = max(width, height)
    paths = "".join(
        f'<path d="{s.path}" transform="scale({unit})" fill-rule="evenodd" '
        + ('fill="#fff" data-take="true"/>' if s.take else 'fill="#000"/>')
        for s in shapes
    )
    return (
        f'<svg xmlns="http://www.w3.org/2000/svg" width="{width}" height="{height}" viewBox="0 0 {width} {height}">'
        f"{paths}</svg>\n"
    )


def _data(path: Path) -> str:
    """Path data in M, L, C and Z alone; nothing if it encloses nothing."""

    def pair(*places: Point) -> str:
        # What is no number fails the comparison too.
        if not all(abs(p.x) < FARTHEST and abs(p.y) < FARTHEST for p in places):
            raise PictureError("A shape of this drawing lies far outside its page. Nothing was changed.")
        return " ".join(f"{p.x:.5f} {p.y:.5f}" for p in places)

    out, drawn = [], 0
    for s in path:
        match s:
            case Move():
                out.append(f"M{pair(s.end)}")
            case Close():
                out.append("Z")
            case Line():
                out.append(f"L{pair(s.end)}")
            case CubicBezier():
                out.append(f"C{pair(s.control1, s.control2, s.end)}")
            case QuadraticBezier():
                # A quadratic curve raised to a cubic: its handles stand at two thirds of the way to the control.
                first, last = (end + (s.control - end) * (2 / 3) for end in (s.start, s.end))
                out.append(f"C{pair(first, last, s.end)}")
        drawn += not isinstance(s, Move | Close)
    return "".join(out) if drawn > 1 or any("C" in o for o in out) else ""
