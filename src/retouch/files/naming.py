"""Names of files by a pattern of fields, safe as paths on any disk, and no two alike."""

import re
import unicodedata
from collections.abc import Mapping

from retouch.types import PictureError

FIELDS = ("name", "sitting", "sitter", "number", "date", "file", "order")
"""The portrait's name, the sitting's, who is on it, its number (001), when it was taken, its file's, the order's name.

An area's name may stand for a mask besides."""
FIELD = re.compile(r"\{([^{}]*)\}")
UNSAFE = re.compile(r'[\x00-\x1f<>:"|?*\\]')
MOST, DEEPEST = 120, 6
RESERVED = {"con", "prn", "aux", "nul", *(f"{n}{i}" for n in ("com", "lpt") for i in range(1, 10))}
"""Names that some disks keep for themselves."""


def name_by(pattern: str, fields: Mapping[str, str], suffix: str) -> str:
    """The path of a file, with folders parted by slashes.

    Raises
    ------
    PictureError
        If the pattern asks for a field that there is not, or gives no name.
    """
    unknown = [name for name in FIELD.findall(pattern) if name not in (*FIELDS, *fields)]
    if unknown:
        there = ", ".join(f"{{{name}}}" for name in FIELDS)
        raise PictureError(f"There is no field {{{unknown[0]}}}. There are {there}.")
    # A slash in what a field holds is no folder.
    told = FIELD.sub(lambda m: fields[m[1]].replace("/", "-"), pattern)
    parts = [_safe(part) for part in told.split("/")]
    if not parts[-1] or len(parts) > DEEPEST:
        raise PictureError("This pattern gives no name for a file." if not parts[-1] else "These are too many folders.")
    return "/".join(part for part in parts if part) + suffix


def _safe(part: str) -> str:
    clean = UNSAFE.sub("-", unicodedata.normalize("NFC", part)).strip(" .")[:MOST].strip(" .")
    return f"{clean}-" if clean.lower() in RESERVED else clean


class Names:
    """Paths that were given already; the next one like them gets a number."""

    def __init__(self) -> None:
        self._taken: set[str] = set()

    def free(self, path: str) -> str:
        """The path, or the first with a number that is free; disks that do not tell capitals apart are minded."""
        stem, dot, suffix = path.rpartition(".")
        number, free = 1, path
        while free.casefold() in self._taken:
            number += 1
            free = f"{stem} ({number}){dot}{suffix}"
        self._taken.add(free.casefold())
        return free
