"""Writing pictures: JPEG, PNG, TIFF, WebP, AVIF and JPEG XL with profile and EXIF."""

import errno
import struct
from pathlib import Path
from typing import Any, Literal

import numpy as np
import pyvips
import tifffile
from PIL import Image, TiffImagePlugin

from retouch.files.jpegxl import jpegxl
from retouch.files.reading import EXIF_IFD
from retouch.files.xmp import Credits
from retouch.types import PictureError

EXIF_PLACE = EXIF_IFD + 1
TEXTS = (0x010E, 0x010F, 0x0110, 0x013B, 0x8298)
"""EXIF tags of a TIFF's own directory that go along: description, make, model, artist, copyright."""

Format = Literal["jpeg", "png", "tiff", "webp", "avif", "jxl", "ora"]
FORMATS: dict[Format, str] = {
    "jpeg": "JPEG", "png": "PNG", "tiff": "TIFF", "webp": "WebP", "avif": "AVIF", "jxl": "JPEG XL", "ora": "OpenRaster",
}  # fmt: skip
SUFFIXES: dict[str, Format] = {
    ".jpg": "jpeg",
    ".jpeg": "jpeg",
    ".png": "png",
    ".tif": "tiff",
    ".tiff": "tiff",
    ".webp": "webp",
    ".avif": "avif",
    ".jxl": "jxl",
    ".ora": "ora",
}
PLACE, CREATOR, COPYRIGHT, DESCRIPTION = 0x8825, 0x013B, 0x8298, 0x010E
"""EXIF tags: the directory that says where it was taken, who took it, whose it is, what it shows."""
XMP_TAG = 700
MOST_XMP = 65_000
"""Bytes that a JPEG has room for in one segment, less its own name."""
EFFORT = 3
"""Of the AVIF coder, 0…9: more is smaller, and much slower."""


def write(
    path: Path, pixels: np.ndarray[Any, Any], form: Format, icc: bytes, exif: bytes, quality: int = 92, xmp: bytes = b""
) -> None:
    """Write ``pixels`` (height × width × 3, or 4 for inks; uint8 or uint16) with ICC profile, EXIF and XMP.

    Inks are covers, 0 being paper, and go into TIFF and JPEG alone. JPEG and WebP take uint8 only; an AVIF of uint16
    has 12 bits, and a JPEG XL says sRGB, whatever ``icc`` is. ``quality`` 1…100 is theirs. ``exif`` starts at its
    byte-order mark, or is empty. What has layers is written by :mod:`retouch.files.openraster`.

    Raises
    ------
    OSError
        If the file cannot be written.
    PictureError
        If the XMP packet is larger than a JPEG has room for.
    """
    if form == "tiff":
        _write_tiff(path, pixels, icc, exif, xmp)
        return
    if form == "jxl":
        path.write_bytes(jpegxl(pixels, quality, exif, xmp))
        return
    if form == "jpeg" and len(xmp) > MOST_XMP:
        raise PictureError(
            "This sheet is too long to lie inside a JPEG. Choose PNG or TIFF, or have the sheet as a file of its own."
        )
    height, width, channels = pixels.shape
    bits = "uchar" if pixels.dtype == np.uint8 else "ushort"
    image = pyvips.Image.new_from_memory(np.ascontiguousarray(pixels), width, height, channels, bits)
    colours = "srgb" if bits == "uchar" else "rgb16"
    image = image.copy(interpretation="cmyk" if channels == 4 else colours)
    image.set_type(pyvips.GValue.blob_type, "icc-profile-data", icc)
    if exif:
        image.set_type(pyvips.GValue.blob_type, "exif-data", b"Exif\0\0" + exif)
    if xmp:
        image.set_type(pyvips.GValue.blob_type, "xmp-data", xmp)
    try:
        if form == "png":
            image.pngsave(str(path), compression=3, filter="sub")
        elif form == "webp":
            image.webpsave(str(path), Q=quality, smart_subsample=True, effort=4)
        elif form == "avif":
            deep = 8 if bits == "uchar" else 12
            image.heifsave(
                str(path), compression="av1", Q=quality, bitdepth=deep, effort=EFFORT,
                subsample_mode="off" if quality >= 90 else "on",
            )  # fmt: skip
        else:
            image.jpegsave(str(path), Q=quality, subsample_mode="off" if quality >= 90 else "on", optimize_coding=True)
    except pyvips.Error as error:
        raise OSError(errno.EIO, "cannot be written", str(path)) from error


def told_exif(exif: bytes, credit: Credits, place: bool) -> bytes:
    """An EXIF block with what is to be said of the picture, and without where it was taken unless ``place``."""
    said = {CREATOR: credit.creator, COPYRIGHT: credit.rights, DESCRIPTION: credit.title}
    block = Image.Exif()
    if exif:
        block.load(b"Exif\0\0" + exif)
    if (place or PLACE not in block) and not any(said.values()):
        return exif
    if not place and PLACE in block:
        del block[PLACE]
    for tag, text in said.items():
        if text:
            block[tag] = text.encode()
    return block.tobytes().removeprefix(b"Exif\0\0")


def write_mask(path: Path, coverage: np.ndarray[Any, Any]) -> None:
    """Write a coverage (height × width, uint8 or uint16) as a grey PNG."""
    height, width = coverage.shape
    bits = "uchar" if coverage.dtype == np.uint8 else "ushort"
    image = pyvips.Image.new_from_memory(np.ascontiguousarray(coverage), width, height, 1, bits)
    image.copy(interpretation="b-w" if bits == "uchar" else "grey16").pngsave(str(path), compression=6)


def _write_tiff(path: Path, pixels: np.ndarray[Any, Any], icc: bytes, exif: bytes, xmp: bytes) -> None:
    block = Image.Exif()
    if exif:
        block.load(b"Exif\0\0" + exif)
    detail = block.get_ifd(EXIF_IFD)
    # Bytes as they stood: more than ASCII is read as if every byte were a letter.
    said = {tag: str(block[tag]).encode("latin-1", "replace") + b"\0" for tag in TEXTS if tag in block}
    texts = [(tag, 2, len(text), text, True) for tag, text in said.items()]
    # tifffile keeps the EXIF tag to itself: a neighbour holds its place in the sorted directory.
    pointer = [(EXIF_PLACE, 4, 1, 0, True)] if detail else []
    packet = [(XMP_TAG, 1, len(xmp), xmp, True)] if xmp else []
    colours = "rgb" if pixels.shape[2] == 3 else "separated"
    tifffile.imwrite(
        path, pixels, photometric=colours, metadata=None, software=False, iccprofile=icc, datetime=None,
        extratags=[*texts, *packet, *pointer], byteorder="<", rowsperstrip=256,
    )  # fmt: skip
    if detail:
        _append_exif(path, detail)


def _append_exif(path: Path, detail: dict[int, Any]) -> None:
    """Put the EXIF directory at the end of a TIFF and point to it (TIFF 6.0, section 2; EXIF 4.6.3)."""
    directory = TiffImagePlugin.ImageFileDirectory_v2(b"II*\0\x08\0\0\0")
    for tag, value in detail.items():
        if not isinstance(value, dict):
            directory[tag] = value
    with tifffile.TiffFile(path) as tiff:
        entry = tiff.pages.first.tags[EXIF_PLACE].offset
    with path.open("r+b") as file:
        end = file.seek(0, 2)
        end += end % 2
        file.seek(end)
        file.write(directory.tobytes(end))
        file.seek(entry)
        file.write(struct.pack("<HHII", EXIF_IFD, 4, 1, end))
