"""The document: one portrait's areas and touches."""

from retouch.sheet.document import Document
from retouch.sheet.model import Area, Set, Sheet, ToneLimit, Touch, read_sheet

__all__ = ["Area", "Document", "Set", "Sheet", "ToneLimit", "Touch", "read_sheet"]
