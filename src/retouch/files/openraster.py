"""OpenRaster (.ora): a picture as layers, in a ZIP of PNGs. Source: OpenRaster 0.0.6, freedesktop.org."""

import zipfile
from collections.abc import Iterable
from pathlib import Path
from typing import Any
from xml.etree import ElementTree as ET

import cv2
import numpy as np
import pyvips

Pixels = np.ndarray[Any, Any]
THUMBNAIL = 256


def write_openraster(path: Path, layers: Iterable[tuple[str, Pixels]], icc: bytes) -> None:
    """Write layers, the lowest first: names and pixels, height × width × 4 (uint8, colour not multiplied by alpha).

    The merged picture and its thumbnail are made of them, as a reader would.
    """
    kept: list[str] = []
    merged: Pixels | None = None
    with zipfile.ZipFile(path, "w", zipfile.ZIP_STORED) as file:
        file.writestr("mimetype", "image/openraster")
        for number, (name, pixels) in enumerate(layers):
            file.writestr(f"data/layer{number}.png", _png(pixels, icc))
            kept.append(name)
            merged = pixels[..., :3] if merged is None else laid(merged, pixels)
        assert merged is not None
        height, width = merged.shape[:2]
        file.writestr("mergedimage.png", _png(merged, icc))
        share = min(1.0, THUMBNAIL / max(height, width))
        size = (max(1, round(width * share)), max(1, round(height * share)))
        file.writestr("Thumbnails/thumbnail.png", _png(cv2.resize(merged, size, interpolation=cv2.INTER_AREA), icc))
        image = ET.Element("image", version="0.0.6", w=str(width), h=str(height))
        stack = ET.SubElement(image, "stack")
        for number, name in reversed(list(enumerate(kept))):
            told = {"name": name, "src": f"data/layer{number}.png", "x": "0", "y": "0", "opacity": "1.0"}
            ET.SubElement(stack, "layer", told | {"visibility": "visible", "composite-op": "svg:src-over"})
        file.writestr("stack.xml", ET.tostring(image, encoding="utf-8", xml_declaration=True))


def laid(below: Pixels, layer: Pixels) -> Pixels:
    """A layer (h × w × 4, uint8) over a picture (h × w × 3, uint8), as a reader composites 8 bits: *source over*."""
    alpha = layer[..., 3:].astype(np.uint16)
    # Rounded division by 255 of what is at most 255².
    return ((layer[..., :3] * alpha + below * (255 - alpha) + 127) // 255).astype(np.uint8)


def layer_of(below: Pixels, result: Pixels, coverage: Pixels) -> Pixels:
    """The layer (h × w × 4) that makes ``result`` of ``below`` (h × w × 3, uint8), masked by ``coverage`` (h × w).

    Where coverage alone cannot reach the result with a colour that there is, alpha is as much more as it takes.
    """
    under, over = below.astype(np.int32), result.astype(np.int32)
    room = np.where(over >= under, 255 - under, under)
    least = -(-255 * np.abs(over - under) // np.maximum(room, 1))
    alpha = np.maximum(coverage.astype(np.int32), least.max(axis=-1))[..., None]
    colour = under + np.rint((over - under) * 255 / np.maximum(alpha, 1)).astype(np.int32)
    return np.concatenate([np.clip(colour, 0, 255), alpha], axis=-1).astype(np.uint8)


def _png(pixels: Pixels, icc: bytes) -> bytes:
    height, width, bands = pixels.shape
    image = pyvips.Image.new_from_memory(np.ascontiguousarray(pixels), width, height, bands, "uchar")
    image = image.copy(interpretation="srgb")
    image.set_type(pyvips.GValue.blob_type, "icc-profile-data", icc)
    return bytes(image.pngsave_buffer(compression=3, filter="sub"))
