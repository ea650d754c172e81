"""Faces, people and their parts, found once on each picture; which models do it stays in here."""

from retouch.faces.found import NAMES, PARTS, Face, Found

__all__ = ["NAMES", "PARTS", "Face", "Found"]
