"""Area sources: one file each, found here by its class."""

from retouch.areas.base import Part
from retouch.registry import classes_in

SOURCES: dict[str, type[Part]] = {
    cls.model_fields["source"].default: cls for cls in classes_in(__path__, __name__, Part)
}
"""Every area source by its name in the sheet."""
