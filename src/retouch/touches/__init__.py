"""Touches: one file a kind, found here by its class."""

from retouch.registry import find
from retouch.touches.base import Kind

KINDS: dict[str, type[Kind]] = {cls.kind: cls for cls in find(__path__, __name__, Kind)}
"""Every touch kind by its name in the sheet."""
