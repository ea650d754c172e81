"""Outlines from and to SVG files."""

import numpy as np
import pytest

from retouch.areas.sources.outline import Outline
from retouch.files.svg import read_svg, write_svg
from retouch.frame import Frame
from retouch.types import PictureError

HEAD = (
    '<svg xmlns="http://www.w3.org/2000/svg" xmlns:xlink="http://www.w3.org/1999/xlink" '
    'viewBox="0 0 400 300" width="800" height="600">'
)


def svg(inside: str, head: str = HEAD) -> bytes:
    return f"{head}{inside}</svg>".encode()


def covered(shapes):
    parts = [{"path": s.path, "take": s.take} for s in shapes]
    return Outline(shapes=parts).coverage(Frame.whole(400, 300), None)


def test_shapes_of_every_kind_lie_where_they_were_drawn():
    drawing = '<g transform="translate(40 30)"><rect width="100" height="50"/></g><circle cx="300" cy="200" r="50"/>'
    out = covered(read_svg(svg(drawing), 4000, 3000))
    assert out[31:79, 41:139].min() == 1
    y, x = np.mgrid[:300, :400] + 0.5
    inside = np.hypot(x - 300, y - 200) < 50
    assert np.abs(out - inside)[100:, 200:].sum() < 0.012 * inside.sum()
    assert out.sum() == pytest.approx(5000 + np.pi * 2500, rel=0.002)


def test_arcs_and_quadratic_curves_become_cubic_ones():
    (shape,) = read_svg(svg('<path d="M50 150Q100 50 150 150T250 150A20 20 0 0 1 250 250z"/>'), 400, 300)
    assert set(filter(str.isalpha, shape.path)) == {"M", "C", "Z"}
    # The top of a quadratic curve lies half way to its control.
    out = covered([shape])
    assert out[105, 100] == 1
    assert out[95, 100] == 0


def test_what_is_written_comes_back_holes_and_all():
    first = read_svg(svg('<path d="M20 20h200v200h-200z"/><circle cx="100" cy="100" r="40" data-take="1"/>'), 400, 300)
    assert [s.take for s in first] == [False, True]
    again = read_svg(write_svg(first, 4000, 3000).encode(), 4000, 3000)
    assert [s.take for s in again] == [False, True]
    np.testing.assert_allclose(covered(again), covered(first), atol=0.02)
    assert covered(again)[100, 100] == 0


def nested(levels):
    """A drawing of few bytes whose pieces double with every level."""
    twice = "".join(f'<g id="u{n}"><use href="#u{n - 1}"/><use xlink:href="#u{n - 1}"/></g>' for n in range(1, levels))
    return svg(f'<defs><rect id="u0" width="9" height="9"/>{twice}</defs><use href="#u{levels - 1}"/>')


@pytest.mark.parametrize(
    "data",
    [
        nested(40),
        svg('<g id="a"><use href="#a"/></g>'),
        svg("<g>" * 500 + '<rect width="9" height="9"/>' + "</g>" * 500),
        svg('<path d="M0 0' + "A5 5 0 0 1 9 9" * 30_000 + 'Z"/>'),
        svg('<rect width="9" height="9"/>' * 50_000),
    ],
    ids=["nested", "itself", "deep", "arcs", "shapes"],
)
def test_what_a_drawing_becomes_is_measured_before_it_is_drawn(data, monkeypatch):
    monkeypatch.setattr("retouch.files.svg.SVG", None)
    with pytest.raises(PictureError, match="more pieces or points"):
        read_svg(data, 400, 300)


def test_short_entities_as_drawing_programs_write_them_are_read():
    head = '<!DOCTYPE svg [<!ENTITY w "90">]>' + HEAD
    (shape,) = read_svg(svg('<rect x="10" y="10" width="&w;" height="&w;"/>', head), 400, 300)
    assert covered([shape]).sum() == pytest.approx(90 * 90, rel=0.02)


SWELLING = '<!DOCTYPE s [<!ENTITY a "aaaaaaaaaa">' + "".join(
    f'<!ENTITY {b} "{f"&{a};" * 10}">' for a, b in zip("abcdefghi", "bcdefghij", strict=True)
)


@pytest.mark.parametrize(
    ("data", "words"),
    [
        (b"", "not an SVG drawing"),
        (b"\x89PNG", "not an SVG drawing"),
        (svg(""), "no shape"),
        (svg('<line x1="0" y1="0" x2="9" y2="9"/>'), "no shape"),
        (svg('<path d="M0 0h9v9z"/>', HEAD.replace("600", "900")), "other proportions"),
        (svg('<circle cx="9" cy="9" r="1e300"/>'), "far outside"),
        (svg('<path d="M1e999 0h9v9z"/>'), "far outside"),
        (b" " * (5 * 2**20), "larger than 4 MB"),
        ((SWELLING + "]>" + HEAD + '<desc>&j;</desc><path d="M0 0h9v9z"/></svg>').encode(), "not an SVG drawing"),
    ],
)
def test_what_is_no_drawing_of_the_portrait_is_refused_in_a_sentence(data, words):
    with pytest.raises(PictureError, match=words):
        read_svg(data, 400, 300)
