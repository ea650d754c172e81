"""Faces, people and their parts, found once on each picture; which models do it stays in here."""

from retouch.faces.found import FACE_PARTS, NAMES, Face, Found

__all__ = ["FACE_PARTS", "NAMES", "Face", "Found"]
