"""Outlines in and out as SVG files: SVG 2, https://www.w3.org/TR/SVG2/."""

from collections.abc import Sequence
from io import BytesIO
from typing import NamedTuple

from svgelements import SVG, Close, CubicBezier, Line, Matrix, Move, Path, Point, QuadraticBezier, Shape

from retouch.types import PictureError

MOST_BYTES = 4 * 2**20
MOST_PATH = 200_000
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
