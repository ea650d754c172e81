"""PDFs to print or send: a contact sheet of many portraits, and what was done to each, in sentences."""

from collections.abc import Iterable, Sequence
from io import BytesIO
from pathlib import Path
from typing import NamedTuple
from xml.sax.saxutils import escape

import reportlab
from reportlab.lib.pagesizes import A4
from reportlab.lib.styles import ParagraphStyle
from reportlab.lib.units import mm
from reportlab.pdfbase import pdfmetrics
from reportlab.pdfbase.ttfonts import TTFont
from reportlab.platypus import Flowable, Image, KeepTogether, PageBreak, Paragraph, SimpleDocTemplate, Spacer, Table

MARGIN, GAP = 15 * mm, 4 * mm
FONTS = {"body": "Vera.ttf", "strong": "VeraBd.ttf"}
"""Bitstream Vera, which reportlab brings: it may be embedded, and has the letters of western Europe."""


class Told(NamedTuple):
    """A portrait on paper: JPEGs before and after, and its sentences with how deep each stands in sets."""

    name: str
    before: bytes
    after: bytes
    sentences: Sequence[tuple[int, str]]


def _styles() -> dict[str, ParagraphStyle]:
    folder = Path(reportlab.__file__).parent / "fonts"
    for name, file in FONTS.items():
        pdfmetrics.registerFont(TTFont(name, folder / file))
    return {
        "head": ParagraphStyle("head", fontName="strong", fontSize=14, leading=18, spaceAfter=3 * mm),
        "name": ParagraphStyle("name", fontName="body", fontSize=8, leading=10, alignment=1),
        "line": ParagraphStyle("line", fontName="body", fontSize=9, leading=13),
    }


def _document(path: Path, title: str) -> SimpleDocTemplate:
    return SimpleDocTemplate(
        str(path), pagesize=A4, title=title, leftMargin=MARGIN, rightMargin=MARGIN, topMargin=MARGIN,
        bottomMargin=MARGIN, creator="Needlepoint",
    )  # fmt: skip


def _picture(data: bytes, width: float, height: float) -> Image:
    image = Image(BytesIO(data))
    share = min(width / image.imageWidth, height / image.imageHeight)
    image.drawWidth, image.drawHeight = image.imageWidth * share, image.imageHeight * share
    return image


def contact_sheet(path: Path, title: str, portraits: Iterable[tuple[str, bytes]], columns: int = 4) -> None:
    """Write a PDF of A4 pages with many portraits: names, and JPEGs of any size.

    ``columns`` 2…8 stand side by side; a picture is never taller than it would be at a proportion of 4 : 5.
    """
    styles = _styles()
    wide = (A4[0] - 2 * MARGIN) / columns
    cells: list[list[Flowable]] = [
        [_picture(data, wide - GAP, (wide - GAP) * 1.25), Paragraph(escape(name), styles["name"])]
        for name, data in portraits
    ]
    rows = [cells[at : at + columns] for at in range(0, len(cells), columns)]
    rows[-1] += [[] for _ in range(columns - len(rows[-1]))]
    table = Table(rows, colWidths=[wide] * columns, style=[("VALIGN", (0, 0), (-1, -1), "BOTTOM")])
    _document(path, title).build([Paragraph(escape(title), styles["head"]), table])


def work_report(path: Path, title: str, portraits: Iterable[Told]) -> None:
    """Write a PDF that tells what was done to each portrait: before, after, and its sentences."""
    styles = _styles()
    half = (A4[0] - 2 * MARGIN) / 2
    story: list[Flowable] = []
    for told in portraits:
        if story:
            story.append(PageBreak())
        captions = [Paragraph(word, styles["name"]) for word in ("before", "after")]
        pictures = [_picture(data, half - GAP, half * 1.4) for data in (told.before, told.after)]
        lines = [
            Paragraph(escape(said), ParagraphStyle("deeper", styles["line"], leftIndent=6 * mm * depth))
            for depth, said in told.sentences
        ]
        story += [
            KeepTogether([
                Paragraph(f"{escape(title)}: {escape(told.name)}", styles["head"]),
                Table([pictures, captions], colWidths=[half] * 2),
            ]),
            Spacer(0, 4 * mm),
            *(lines or [Paragraph("Nothing was done to this portrait.", styles["line"])]),
        ]  # fmt: skip
    _document(path, title).build(story)
