"""A part of a face, as the program found it."""

from typing import ClassVar, Literal

from pydantic import Field

from retouch.areas.base import Of, Part, Sight, from_found
from retouch.frame import Frame
from retouch.types import Coverage

Name = Literal["face", "skin", "eye-whites", "irises", "pupils", "lips", "teeth", "brows", "hair", "under-eyes"]


class FacePart(Part):
    """Face, skin, whites, irises, pupils, lips, teeth, brows, hair or what lies under the eyes, of one face or all."""

    title: ClassVar[str] = "part of a face"
    detail: ClassVar[str] = "found by the program"
    finds: ClassVar[bool] = True
    by_hand: ClassVar[bool] = False
    source: Literal["face-part"] = "face-part"
    of: Of = 0
    part: Name = Field("face", title="what", json_schema_extra={"control": "choice"})

    def coverage(self, frame: Frame, sight: Sight) -> Coverage:
        """Coverage on ``frame``; nothing while nothing was looked for."""
        return from_found(sight, self.part, self.of, frame)
