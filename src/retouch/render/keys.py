"""Names for what went into a picture or a coverage: the same name, the same pixels on the same frame."""

from collections.abc import Callable

from retouch.areas.refine import line_name
from retouch.faces.found import Found
from retouch.sheet import Set, Sheet, Touch
from retouch.sheet.model import UnknownTouch
from retouch.types import digest_of

Step = Touch | Set | UnknownTouch


def acts(step: Step) -> bool:
    """Whether a step changes anything: it is on, understood, and not neutral."""
    if isinstance(step, UnknownTouch) or not step.on or step.strength == 0:
        return False
    if isinstance(step, Set):
        return any(acts(inner) for inner in step.touches)
    return step.blend != "normal" or not step.settings.neutral


class Keys:
    """The names of a sheet's areas and steps over one picture.

    What a step or a part says by itself is named once, with the sheet; here what they rest on is added. ``waits`` is
    asked whether something stands in for an area's matte, by the area's id and the name of the matte.
    """

    def __init__(
        self, picture: str, sheet: Sheet, found: Callable[[], Found | None], waits: Callable[[str, str], bool]
    ):
        self._picture, self._sheet, self._found, self._waits = picture, sheet, found, waits
        self._areas: dict[str, str] = {}
        self._parts: dict[str, str] = {}

    def area(self, area: str) -> str:
        """An area's name: its recipe, and the names of those that it is made from."""
        if area not in self._areas:
            for name in self._sheet.rests_on(area):
                if name not in self._areas:
                    self._areas[name] = self._area(name)
        return self._areas[area]

    def parts(self, area: str) -> str:
        """The name of what an area is joined from, before anything is done with it."""
        self.area(area)
        return self._parts[area]

    def _area(self, area: str) -> str:
        model = self._sheet.area(area)
        parts = model.known
        used = [self._areas[other] for part in parts for other in part.others]
        found = self._found() if any(part.finds for part in parts) else None
        said = [f"{part.digest} {part.version}" for part in parts]
        self._parts[area] = digest_of("parts", self._picture, *said, "" if found is None else found.key, *used)
        # What is shown meanwhile is never kept as what is waited for.
        waits = model.refine == "hair" and self._waits(area, line_name(self._parts[area], "hair"))
        return digest_of("area", model.shaping, self._parts[area], "waits" if waits else "")

    def step(self, step: Touch | Set) -> str:
        """A step's name: what it does, where, and what is within it."""
        inner = [self.step(s) for s in step.touches if acts(s)] if isinstance(step, Set) else []  # type: ignore[arg-type]
        others = step.settings.others if isinstance(step, Touch) else ()
        places = [self.area(area) for area in others]
        return digest_of(step.doing, "" if step.area is None else self.area(step.area), *inner, *places)
