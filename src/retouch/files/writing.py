"""Writing pictures: JPEG, PNG, TIFF, WebP and AVIF with profile and EXIF."""

import errno
import struct
from pathlib import Path
from typing import Any, Literal

import numpy as np
import pyvips
import tifffile
from PIL import Image, TiffImagePlugin

from retouch.files.reading import EXIF_IFD

EXIF_PLACE = EXIF_IFD + 1
TEXTS = (0x010E, 0x010F, 0x0110, 0x013B, 0x8298)
"""EXIF tags of a TIFF's own directory that go along: description, make, model, artist, copyright."""

Format = Literal["jpeg", "png", "tiff", "webp", "avif"]
FORMATS: dict[Format, str] = {"jpeg": "JPEG", "png": "PNG", "tiff": "TIFF", "webp": "WebP", "avif": "AVIF"}
SUFFIXES: dict[str, Format] = {
    ".jpg": "jpeg",
    ".jpeg": "jpeg",
    ".png": "png",
    ".tif": "tiff",
    ".tiff": "tiff",
    ".webp": "webp",
    ".avif": "avif",
}
EFFORT = 3
"""Of the AVIF coder, 0…9: more is smaller, and much slower."""


def write(path: Path, pixels: np.ndarray[Any, Any], form: Format, icc: bytes, exif: bytes, quality: int = 92) -> None:
    """Write ``pixels`` (height × width × 3, uint8 or uint16) with an ICC profile and an EXIF block.

    JPEG and WebP take uint8 only; an AVIF of uint16 has 12 bits. ``quality`` 1…100 is theirs. ``exif`` starts at its
    byte-order mark, or is empty.

    Raises
    ------
    OSError
        If the file cannot be written.
    """
    if form == "tiff":
        _write_tiff(path, pixels, icc, exif)
        return
    height, width = pixels.shape[:2]
    bits = "uchar" if pixels.dtype == np.uint8 else "ushort"
    image = pyvips.Image.new_from_memory(np.ascontiguousarray(pixels), width, height, 3, bits)
    image = image.copy(interpretation="srgb" if bits == "uchar" else "rgb16")
    image.set_type(pyvips.GValue.blob_type, "icc-profile-data", icc)
    if exif:
        image.set_type(pyvips.GValue.blob_type, "exif-data", b"Exif\0\0" + exif)
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


def write_mask(path: Path, coverage: np.ndarray[Any, Any]) -> None:
    """Write a coverage (height × width, uint8) as a grey PNG."""
    height, width = coverage.shape
    image = pyvips.Image.new_from_memory(np.ascontiguousarray(coverage), width, height, 1, "uchar")
    image.copy(interpretation="b-w").pngsave(str(path), compression=6)


def _write_tiff(path: Path, pixels: np.ndarray[Any, Any], icc: bytes, exif: bytes) -> None:
    block = Image.Exif()
    if exif:
        block.load(b"Exif\0\0" + exif)
    detail = block.get_ifd(EXIF_IFD)
    texts = [(tag, 2, len(str(block[tag])) + 1, str(block[tag]), True) for tag in TEXTS if tag in block]
    # tifffile keeps the EXIF tag to itself: a neighbour holds its place in the sorted directory.
    pointer = [(EXIF_PLACE, 4, 1, 0, True)] if detail else []
    tifffile.imwrite(
        path, pixels, photometric="rgb", metadata=None, software=False, iccprofile=icc,
        datetime=None, extratags=[*texts, *pointer], byteorder="<", rowsperstrip=256,
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
