"""A mask picture that was brought along: white is covered, black is not."""

import base64
import binascii
import hashlib
from typing import ClassVar, Literal, Self

import cv2
import numpy as np
from pydantic import Field, model_validator

from retouch.areas.base import Made, Part, Sight
from retouch.frame import Frame, resample
from retouch.types import Bytes, Coverage, Floats, PictureError

MOST_SIDE = 2000
"""Pixels on the long side that are kept of a mask picture."""
MOST_BYTES = 3_000_000
SIGNATURE = b"\x89PNG\r\n\x1a\n"


class MaskFile(Part):
    """A grey PNG inside the sheet, so that the sheet stays whole when it is handed on."""

    title: ClassVar[str] = "mask picture"
    detail: ClassVar[str] = "{name}"
    bare: ClassVar[str] = "a grey picture"
    made_by: ClassVar[Made] = "file"
    source: Literal["file"] = "file"
    name: str = Field(
        "", max_length=200, description="of the file that it came from", json_schema_extra={"control": ""}
    )
    png: str = Field(
        max_length=MOST_BYTES * 4 // 3 + 4, description="a grey 8-bit PNG of the picture's proportions, base64",
        json_schema_extra={"control": ""},
    )  # fmt: skip

    @model_validator(mode="after")
    def _is_a_png(self) -> Self:
        try:
            data = base64.b64decode(self.png, validate=True)
        except binascii.Error as error:
            raise ValueError("the mask picture is damaged") from error
        # Its size stands in the header: nothing large is ever decoded.
        if not data.startswith(SIGNATURE) or data[12:16] != b"IHDR" or max(_size(data)) > MOST_SIDE:
            raise ValueError(f"a mask picture is a PNG of at most {MOST_SIDE} pixels")
        return self

    def coverage(self, frame: Frame, sight: Sight) -> Coverage:
        """Coverage on ``frame``, bilinear."""
        digest = hashlib.blake2b(self.png.encode(), digest_size=16).hexdigest()
        mask = sight.once(f"mask {digest}", lambda: _decoded(base64.b64decode(self.png)))
        height, width = mask.shape
        return Coverage(resample(mask, Frame.whole(width, height), frame))


def _size(png: bytes) -> tuple[int, int]:
    return int.from_bytes(png[16:20], "big"), int.from_bytes(png[20:24], "big")


def _decoded(png: bytes) -> Floats:
    pixels = cv2.imdecode(np.frombuffer(png, np.uint8), cv2.IMREAD_GRAYSCALE)
    # A damaged mask covers nothing, rather than everything.
    return np.zeros((2, 2), np.float32) if pixels is None else pixels.astype(np.float32) / 255


def packed(coverage: Floats) -> str:
    """A coverage (h × w, 0…1) as the ``png`` of a part, reduced to what is kept.

    PictureError if it cannot be packed small enough.
    """
    share = min(1.0, MOST_SIDE / max(coverage.shape))
    if share < 1:
        size = (max(1, round(coverage.shape[1] * share)), max(1, round(coverage.shape[0] * share)))
        coverage = np.asarray(cv2.resize(coverage, size, interpolation=cv2.INTER_AREA))
    eight: Bytes = np.asarray(np.clip(coverage, 0, 1) * 255 + 0.5).astype(np.uint8)
    png = cv2.imencode(".png", eight, [cv2.IMWRITE_PNG_COMPRESSION, 9])[1].tobytes()
    if len(png) > MOST_BYTES:
        raise PictureError("This mask picture has too much fine structure to be kept in the sheet.")
    return base64.b64encode(png).decode()
