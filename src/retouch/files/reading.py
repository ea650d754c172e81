"""Reading pictures: looked at by content, measured before anything is decoded, then brought upright."""

import logging
import warnings
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import numpy as np
import pi_heif
import pyvips
import tifffile
from PIL import Image

from retouch.colour.icc import SRGB_PROFILE, Matrix, Profile, linear_working, read_profile
from retouch.files import raw as raw_files
from retouch.types import Floats, PictureError, printable

log = logging.getLogger(__name__)

MOST_PIXELS = 160_000_000
MOST_EXIF = 512 * 1024
"""Bytes of EXIF that are read; JPEG allows an eighth of that."""
SMALLEST_SIDE = 16
ORIENTATION = 0x0112
EXIF_IFD = 0x8769
HEIC_BRANDS = (b"heic", b"heix", b"heim", b"heis", b"hevc", b"hevx", b"mif1", b"msf1")

RAW = "raw"

Raw = np.ndarray[Any, Any]


@dataclass(frozen=True)
class Facts:
    """What a file says of itself: read without decoding a pixel. ``width`` and ``height`` are upright.

    ``headroom`` is how far the file's values reach above white, in EV; 0 for all but raw files.
    """

    format: str
    width: int
    height: int
    bits: int
    channels: int
    orientation: int
    profile: str
    camera: dict[str, str] = field(default_factory=dict)
    headroom: float = 0.0


@dataclass(frozen=True)
class Original:
    """A decoded, upright original.

    ``raw`` is height × width × 3 (or 1 for grey), uint8 or uint16, in the file's own profile; ``exif`` are the bytes
    of its EXIF block with the orientation set to upright, or empty.
    """

    facts: Facts
    raw: Raw
    profile: Profile
    icc: bytes
    exif: bytes

    def to_working(self, raw: Raw) -> Floats:
        """Rows of ``raw`` to encoded working colours, float32 of … × 3."""
        if isinstance(self.profile, Matrix) and raw.ndim == 3 and raw.shape[-1] in (1, 3):
            return self.profile.numbers_to_working(raw)
        most = np.float32(255 if raw.dtype == np.uint8 else 65535)
        return np.ascontiguousarray(self.profile.to_working(raw.astype(np.float32) / most), np.float32)


def look(path: Path) -> Facts:
    """What the file says of itself.

    Raises
    ------
    PictureError
        If it is not a picture that can be opened: its content, size, colours or damage, said in a sentence.
    """
    return _open(path)[0]


def read(path: Path) -> Original:
    """Decode the file upright, at its own bit depth.

    Raises
    ------
    PictureError
        As :func:`look`, and if the picture's data break off or are damaged.
    """
    facts, icc, exif, decode = _open(path)
    profile = read_profile(icc) if icc else SRGB_PROFILE
    if facts.format == RAW:
        profile = linear_working(2.0**facts.headroom)
    try:
        raw = decode()
    except (MemoryError, PictureError):
        raise
    except Exception as error:
        log.warning("decoding %s failed", path, exc_info=True)
        raise PictureError(
            "This file breaks off or is damaged inside. Copy it again from the card or the disk it came from."
        ) from error
    raw = _upright(raw, facts.orientation)
    if raw.shape != (facts.height, facts.width, facts.channels):
        raise PictureError("This file's picture is not of the size that the file says. It cannot be opened.")
    return Original(facts, raw, profile, icc, exif)


Opened = tuple[Facts, bytes, bytes, Callable[[], Raw]]


def _open(path: Path) -> Opened:
    with path.open("rb") as file:
        head = file.read(16)
    if not head:
        raise PictureError("This file is empty (0 bytes). Copy it again from the card or the disk it came from.")
    openers: list[tuple[bytes, Callable[[Path], Opened]]] = [
        (b"\xff\xd8\xff", _open_jpeg),
        (b"\x89PNG\r\n\x1a\n", _open_png),
        (b"II*\0", _open_tiff),
        (b"MM\0*", _open_tiff),
        (b"II+\0", _open_tiff),
        (b"MM\0+", _open_tiff),
    ]
    if head[4:8] == b"ftyp":
        openers.append((head, _open_heif if head[8:12] in HEIC_BRANDS else _open_plain))
    if head[8:12] == b"WEBP":
        openers.append((b"RIFF", _open_plain))
    opener = next((o for magic, o in openers if head.startswith(magic)), None)
    if raw_files.is_raw(path, head):
        opener = _open_raw
    if opener is None:
        raise PictureError("This file is not a JPEG, PNG, TIFF, HEIC, AVIF, WebP or raw picture.")
    try:
        facts, icc, exif, decode = opener(path)
    except PictureError:
        raise
    except Exception as error:
        log.warning("the start of %s cannot be read", path, exc_info=True)
        raise PictureError("The start of this file is damaged, so its picture cannot be read.") from error
    if facts.width * facts.height > MOST_PIXELS:
        millions = facts.width * facts.height / 1e6
        raise PictureError(
            f"This picture has {millions:,.0f} million pixels; Needlepoint opens up to {MOST_PIXELS // 10**6} million."
        )
    if min(facts.width, facts.height) < SMALLEST_SIDE:
        raise PictureError(f"This picture is only {facts.width} × {facts.height} pixels, too small to work on.")
    if icc and facts.channels == 3 and len(getattr(read_profile(icc), "curves", "rgb")) == 1:
        raise PictureError("This picture is in colour but carries a profile for grey. Export it again with a profile.")
    return facts, icc, exif, decode


def _header(path: Path) -> tuple[Image.Image, bytes]:
    """Pillow's view of a header and its ICC profile; Pillow decodes nothing here, so its own pixel limit is ours."""
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        limit, Image.MAX_IMAGE_PIXELS = Image.MAX_IMAGE_PIXELS, None
        try:
            image = Image.open(path)
        finally:
            Image.MAX_IMAGE_PIXELS = limit
    return image, image.info.get("icc_profile") or b""


def _facts(image: Image.Image, exif: Image.Exif, name: str, bits: int, channels: int, icc: bytes) -> Facts:
    orientation = exif.get(ORIENTATION, 1)
    orientation = orientation if orientation in range(1, 9) else 1
    width, height = image.size
    if orientation >= 5:
        width, height = height, width
    profile = read_profile(icc).name if icc else "none, read as sRGB"
    return Facts(name, width, height, bits, channels, orientation, profile, _camera(exif))


def _open_jpeg(path: Path) -> Opened:
    image, icc = _header(path)
    if image.mode not in ("RGB", "L"):
        raise PictureError(f"This JPEG is in {image.mode} colours, made for a printing press. Export it again in RGB.")
    channels = len(image.getbands())
    exif = image.getexif()
    facts = _facts(image, exif, "JPEG", 8, channels, icc)
    return facts, icc, _exif_bytes(exif), lambda: _vips(pyvips.Image.jpegload, path, channels, 8)


def _open_png(path: Path) -> Opened:
    image, icc = _header(path)
    with path.open("rb") as file:
        file.seek(24)
        depth, colour = file.read(2)
    channels = 1 if colour in (0, 4) else 3
    bits = 16 if depth == 16 else 8
    exif = Image.Exif()
    # Pillow's own getexif would decode the whole picture in search of a chunk at its end.
    exif.load(_bearable(image.info.get("exif"), path))
    facts = _facts(image, exif, "PNG", bits, channels, icc)
    return facts, icc, _exif_bytes(exif), lambda: _vips(pyvips.Image.pngload, path, channels, bits)


def _open_plain(path: Path) -> Opened:
    """WebP and AVIF: 8 bits, and a still picture."""
    image, icc = _header(path)
    if image.format not in ("WEBP", "AVIF"):
        raise PictureError("This file is not a JPEG, PNG, TIFF, HEIC, AVIF, WebP or raw picture.")
    exif = image.getexif() if _bearable(image.info.get("exif"), path) else Image.Exif()
    # Pillow turns AVIF upright by itself only where the file, not its EXIF, asks for it.
    facts = _facts(image, exif, {"WEBP": "WebP"}.get(image.format, image.format), 8, 3, icc)

    def decode() -> Raw:
        still = np.asarray(image.convert("RGBA" if "A" in image.getbands() else "RGB"))
        return _over_white(still) if still.shape[2] == 4 else still

    return facts, icc, _exif_bytes(exif), decode


def _open_heif(path: Path) -> Opened:
    """HEIC, which comes upright from its decoder, at 8 bits, or at 10 and 12 as 16."""
    file = pi_heif.open_heif(path, convert_hdr_to_8bit=False)
    exif = Image.Exif()
    exif.load(_bearable(file.info.get("exif"), path))
    exif[ORIENTATION] = 1
    icc = file.info.get("icc_profile") or b""
    bits = 16 if "16" in file.mode else 8
    profile = read_profile(icc).name if icc else "none, read as sRGB"
    width, height = file.size
    facts = Facts("HEIC", width, height, bits, 3, 1, profile, _camera(exif))

    def decode() -> Raw:
        still = np.asarray(file)
        if still.ndim == 2:
            still = np.repeat(still[..., None], 3, axis=2)
        return _over_white(still) if still.shape[2] == 4 else still

    return facts, icc, _exif_bytes(exif), decode


def _open_raw(path: Path) -> Opened:
    width, height, headroom = raw_files.measure(path)
    exif, camera = _tiff_exif(path)
    if ORIENTATION in exif:
        exif[ORIENTATION] = 1
    facts = Facts(RAW, width, height, 16, 3, 1, "the camera's, read as Rec. 2020", camera, round(headroom, 3))
    return facts, b"", _exif_bytes(exif), lambda: raw_files.demosaic(path)


def _vips(load: Any, path: Path, channels: int, bits: int) -> Raw:
    image = load(str(path), fail_on="error", unlimited=False, access="sequential")
    raw = image.numpy()
    if raw.ndim == 2:
        raw = raw[..., None]
    if raw.shape[2] in (2, 4):
        raw = _over_white(raw)
    if raw.shape[2] != channels:
        raise PictureError("This picture's colours are stored in a way that Needlepoint does not read.")
    return np.ascontiguousarray(raw, np.uint8 if bits == 8 else np.uint16)


def _over_white(raw: Raw) -> Raw:
    """Lay a picture with transparency on white paper."""
    if raw.dtype not in (np.uint8, np.uint16):
        raise PictureError("This picture's colours are stored in a way that Needlepoint does not read.")
    most = np.float32(np.iinfo(raw.dtype).max)
    alpha = raw[..., -1:].astype(np.float32) / most
    return np.asarray((raw[..., :-1] * alpha + most * (1 - alpha) + 0.5).astype(raw.dtype))


def _open_tiff(path: Path) -> Opened:
    with tifffile.TiffFile(path) as tiff:
        page = tiff.pages.first
        photometric, bits = int(page.photometric), int(page.bitspersample)
        channels = int(page.samplesperpixel)
        kind = page.sampleformat
        icc = bytes(page.iccprofile or b"")
        predictor_ok = page.ndim in (2, 3) and page.imagedepth == 1
        size = (page.imagewidth, page.imagelength)
        alpha = bool(page.extrasamples)
    if photometric == 5:
        raise PictureError("This TIFF is in CMYK colours, made for a printing press. Export it again in RGB.")
    plain = channels - alpha
    if (
        photometric not in (0, 1, 2, 3, 6)
        or plain not in (1, 3)
        or bits not in (8, 16)
        or int(kind) != 1
        or not predictor_ok
    ):
        raise PictureError("Needlepoint reads TIFF in RGB or grey with 8 or 16 bits; this one is of another kind.")
    if photometric == 3:
        raise PictureError("This TIFF has a palette of colours. Export it again in RGB.")
    exif, camera = _tiff_exif(path)
    orientation = exif.get(ORIENTATION, 1)
    orientation = orientation if orientation in range(1, 9) else 1
    width, height = size if orientation < 5 else size[::-1]
    profile = read_profile(icc).name if icc else "none, read as sRGB"
    facts = Facts("TIFF", width, height, bits, plain, orientation, profile, camera)

    def decode() -> Raw:
        with tifffile.TiffFile(path) as tiff:
            raw = tiff.pages.first.asarray(maxworkers=1)
            if int(tiff.pages.first.planarconfig) == 2 and raw.ndim == 3:
                raw = np.moveaxis(raw, 0, -1)
        raw = raw[..., None] if raw.ndim == 2 else raw
        if photometric == 0:
            raw = np.iinfo(raw.dtype).max - raw
        return np.ascontiguousarray(_over_white(raw) if alpha else raw)

    return facts, icc, _exif_bytes(exif), decode


def _tiff_exif(path: Path) -> tuple[Image.Exif, dict[str, str]]:
    """The EXIF of a TIFF: its own directory's camera tags and its EXIF directory."""
    exif = Image.Exif()
    try:
        with path.open("rb") as file:
            exif.load_from_fp(file)
            directory = exif.get_ifd(EXIF_IFD)
    except Exception:
        # Camera data are a courtesy; a picture opens without them.
        log.warning("the EXIF of %s cannot be read", path, exc_info=True)
        return Image.Exif(), {}
    kept = Image.Exif()
    for tag in (0x010E, 0x010F, 0x0110, ORIENTATION, 0x0131, 0x0132, 0x013B, 0x8298):
        if tag in exif:
            kept[tag] = exif[tag]
    if directory:
        kept.get_ifd(EXIF_IFD).update(directory)
    return kept, _camera(kept)


def _bearable(raw: bytes | None, path: Path) -> bytes:
    """A block of EXIF, or nothing where it is larger than any camera's: reading each of its entries would take long."""
    if raw is not None and len(raw) > MOST_EXIF:
        log.warning("the EXIF of %s has %d bytes and is left out", path, len(raw))
        return b""
    return raw or b""


def _exif_bytes(exif: Image.Exif) -> bytes:
    """The EXIF block with the orientation settled, as bytes from ``II``/``MM`` on; empty if there is none."""
    if not exif:
        return b""
    if ORIENTATION in exif:
        exif[ORIENTATION] = 1
    try:
        return exif.tobytes().removeprefix(b"Exif\0\0")
    except Exception:
        log.warning("EXIF cannot be written again and is left out", exc_info=True)
        return b""


def _camera(exif: Image.Exif) -> dict[str, str]:
    """Camera data in words: camera, lens, exposure, aperture, sensitivity, focal length, date."""
    try:
        detail = exif.get_ifd(EXIF_IFD)
    except Exception:
        log.warning("the EXIF directory of the exposure cannot be read", exc_info=True)
        detail = {}
    out: dict[str, str] = {}

    def take(name: str, value: Any, form: Callable[[Any], str] = str) -> None:
        if value in (None, "", b""):
            return
        try:
            text = printable(form(value)).strip()
        except (TypeError, ValueError, ZeroDivisionError):
            return
        if text:
            out[name] = text[:80]

    make, model = (printable(str(exif.get(tag, ""))).strip() for tag in (0x010F, 0x0110))
    take("camera", model if model.startswith(make) else f"{make} {model}")
    take("lens", detail.get(0xA434))
    take(
        "exposure",
        detail.get(0x829A),
        lambda t: f"1/{1 / float(t):.0f} s" if float(t) < 0.4 else f"{float(t):g} s",
    )
    take("aperture", detail.get(0x829D), lambda f: f"f/{float(f):.2g}")
    take("sensitivity", detail.get(0x8827), lambda s: f"ISO {int(s[0] if isinstance(s, tuple) else s)}")
    take("focal length", detail.get(0x920A), lambda f: f"{float(f):.4g} mm")
    take("taken", detail.get(0x9003))
    return out


def _upright(raw: Raw, orientation: int) -> Raw:
    """Turn and mirror the pixels as EXIF orientation 1…8 says (CIPA DC-008, 4.6.4)."""
    if orientation in (5, 6, 7, 8):
        raw = raw.swapaxes(0, 1)
    if orientation in (2, 3, 6, 7):
        raw = raw[:, ::-1]
    if orientation in (3, 4, 7, 8):
        raw = raw[::-1]
    return np.ascontiguousarray(raw)
