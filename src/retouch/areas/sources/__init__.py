"""Area sources: one file each, found here by its class."""

from retouch.areas.base import Part
from retouch.registry import find

SOURCES: dict[str, type[Part]] = {cls.model_fields["source"].default: cls for cls in find(__path__, __name__, Part)}
"""Every area source by its name in the sheet."""
