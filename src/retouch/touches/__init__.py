"""Touches: one file a kind, found here by its class."""

from retouch.registry import classes_in
from retouch.touches.base import Kind

KINDS: dict[str, type[Kind]] = {c.kind: c for c in classes_in(__path__, __name__, Kind) if "kind" in vars(c)}
"""Every touch kind by its name in the sheet."""
