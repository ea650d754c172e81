"""Areas: a recipe of parts, joined, refined, grown, feathered; every source is a file in `sources`."""

from retouch.areas.base import Part
from retouch.areas.sources import SOURCES

__all__ = ["SOURCES", "Part"]
