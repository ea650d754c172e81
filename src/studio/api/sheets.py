"""The sheet of a portrait: read it, edit it, undo, redo; and the catalogue of what can be done."""

from typing import Annotated, Any
from uuid import UUID

from django.http import HttpRequest, HttpResponse, JsonResponse
from ninja import Router
from pydantic import BaseModel, Field

from retouch.areas import SOURCES, Part
from retouch.areas.base import Made
from retouch.sheet import Sheet
from retouch.sheet.changes import Operation
from retouch.touches import KINDS
from retouch.touches.base import Heading, Kind, Moved, ReadyTouch
from retouch.touches.blend import MODES
from retouch.types import Record
from studio import owned, sheets
from studio.models import Portrait
from studio.storage import room_for

router = Router(tags=["sheets"])


class SheetOut(BaseModel):
    """A sheet as it stands."""

    document: Sheet
    revision: int
    undo: str | None
    redo: str | None


class EditIn(BaseModel):
    """A change, the revision it was made on, and its words."""

    revision: int
    operations: Annotated[list[Operation], Field(min_length=1, max_length=100)]
    words: Annotated[str, Field(min_length=1, max_length=200)]


class MoveIn(BaseModel):
    """The revision on which undo or redo was asked for."""

    revision: int


class StandingOut(BaseModel):
    """Where the sheet stands after a change; ``operations`` are what was applied to the document."""

    revision: int
    undo: str | None
    redo: str | None
    operations: list[Operation]


class Stale(BaseModel):
    """The sheet has moved on to ``revision``."""

    detail: str
    revision: int


class SettingOut(BaseModel):
    """One setting of a touch kind, with what its control needs."""

    name: str
    title: str
    description: str
    control: str
    unit: str
    low: float | None
    high: float | None
    soft: float | None
    step: float | None
    scale: float
    """What a value is multiplied by to be shown: 100 for shares in per cent."""
    neutral: Any
    choices: list[str]
    """The words that may stand, for a choice."""
    fields: list["SettingOut"]
    """The settings of one entry, for a list of entries."""
    extra: dict[str, Any]
    """What its own control needs besides."""


class StartOut(BaseModel):
    """A ready touch with a restrained start."""

    title: str
    needs: list[str]
    settings: dict[str, Any]
    strength: float
    blend: str
    where: str
    """The place that it is meant for; empty: wherever one is."""
    from_face: bool
    """Whether its strokes are laid by the face."""


class PickOut(BaseModel):
    """Something that the touch can point at in the picture; ``drag``: and is then dragged up and down."""

    name: str
    words: str
    drag: bool


class KindOut(BaseModel):
    """One touch kind."""

    kind: str
    title: str
    stage: Heading
    sentence: str
    starts: list[StartOut]
    picks: list[PickOut]
    settings: list[SettingOut]
    mixes: bool
    """Whether it has a tone limit and a blend mode: what moves has none."""


class PartStartOut(BaseModel):
    """A ready part of an area."""

    title: str
    settings: dict[str, Any]


class SourceOut(BaseModel):
    """One area source: its words, and how one is made. See :class:`retouch.areas.base.Part`."""

    source: str
    title: str
    detail: str
    bare: str
    area_name: str
    offer: str
    made_by: Made
    picks: bool
    finds: bool
    narrows: bool
    refers: list[str]
    starts: list[PartStartOut]
    settings: list[SettingOut]


class Catalogue(BaseModel):
    """What can be done: touch kinds, blend modes and area sources."""

    kinds: list[KindOut]
    blends: list[str]
    sources: list[SourceOut]


@router.get("catalogue", response=Catalogue)
def catalogue(request: HttpRequest) -> Catalogue:
    """Touch kinds with their settings, from the kinds' own models."""
    return Catalogue(kinds=[_kind(k) for k in KINDS], blends=list(MODES), sources=[_source(s) for s in SOURCES])


def _source(name: str) -> SourceOut:
    source = SOURCES[name]
    schema = source.model_json_schema()
    own = {f: p for f, p in schema["properties"].items() if f not in Part.model_fields and f != "source"}
    return SourceOut(
        source=name,
        title=source.title,
        detail=source.detail,
        bare=source.bare,
        area_name=source.area_name,
        offer=source.offer,
        made_by=source.made_by,
        picks=source.picks,
        finds=source.finds,
        narrows=source.narrows,
        refers=list(source.refers),
        starts=[PartStartOut(title=s.title, settings=_whole(source, s.settings)) for s in source.starts],
        settings=[_setting(f, p, p.get("default", []), schema.get("$defs", {})) for f, p in own.items()],
    )


def _whole(model: type[Record], settings: dict[str, Any]) -> dict[str, Any]:
    """Ready settings with all that they leave to the model, within entries of lists too."""
    said = model.model_validate(settings).model_dump(mode="json")
    return {name: value for name, value in said.items() if name not in ("id", "join", "on", "source")}


def _kind(name: str) -> KindOut:
    kind = KINDS[name]
    neutral = kind().model_dump(mode="json")
    schema = kind.model_json_schema()
    return KindOut(
        kind=name,
        title=kind.title,
        stage=kind.stage,
        sentence=kind.sentence,
        starts=[_start(kind, s) for s in kind.starts],
        picks=[PickOut(**p._asdict()) for p in kind.picks],
        mixes=not issubclass(kind, Moved),
        settings=[_setting(f, p, neutral[f], schema.get("$defs", {})) for f, p in schema["properties"].items()],
    )


def _start(kind: type[Kind], ready: ReadyTouch) -> StartOut:
    return StartOut(
        title=ready.title,
        needs=list(ready.needs),
        settings=_whole(kind, ready.settings),
        strength=ready.strength,
        blend=ready.blend,
        where="" if ready.place is None else ready.place.name,
        from_face=ready.from_face,
    )


KNOWN = {"title", "description", "control", "unit", "minimum", "maximum", "soft", "step", "scale", "default", "enum",
         "type", "items", "minItems", "maxItems", "prefixItems", "anyOf", "$ref"}  # fmt: skip


def _setting(name: str, schema: dict[str, Any], neutral: Any, parts: dict[str, Any]) -> SettingOut:
    entry = parts.get(schema.get("items", {}).get("$ref", "").rpartition("/")[2], {}).get("properties", {})
    return SettingOut(
        name=name,
        title=schema.get("title", name),
        description=schema.get("description", ""),
        control=schema.get("control", "slider"),
        unit=schema.get("unit", ""),
        low=schema.get("minimum"),
        high=schema.get("maximum"),
        soft=schema.get("soft"),
        step=schema.get("step"),
        scale=schema.get("scale", 1),
        neutral=neutral,
        choices=schema.get("enum", []),
        fields=[_setting(f, p, p.get("default"), parts) for f, p in entry.items()],
        extra={key: value for key, value in schema.items() if key not in KNOWN},
    )


@router.get("portraits/{portrait_id}/sheet", response=SheetOut)
def sheet(request: HttpRequest, portrait_id: UUID) -> HttpResponse:
    """The sheet as it stands."""
    owned.one(owned.portraits(request), portrait_id)
    row = Portrait.objects.select_related("head").get(pk=portrait_id)
    now = sheets.standing(row)
    # The document was validated when it was made: it is passed on as it is.
    return JsonResponse(
        {"document": sheets.document_of(row).json, "revision": now.revision, "undo": now.undo, "redo": now.redo}
    )


@router.post("portraits/{portrait_id}/edits", response={200: StandingOut, 409: Stale})
def edit(request: HttpRequest, portrait_id: UUID, data: EditIn) -> Any:
    """Change the sheet; answered only once it is committed."""
    owned.one(owned.portraits(request), portrait_id)
    room_for(0, "This change is not kept yet; it waits in the page.")
    return standing_out(sheets.edit(portrait_id, data.revision, data.operations, data.words))


@router.post("portraits/{portrait_id}/undo", response={200: StandingOut, 409: Stale})
def undo(request: HttpRequest, portrait_id: UUID, data: MoveIn) -> Any:
    """Take the last edit back."""
    owned.one(owned.portraits(request), portrait_id)
    return standing_out(sheets.undo(portrait_id, data.revision))


@router.post("portraits/{portrait_id}/redo", response={200: StandingOut, 409: Stale})
def redo(request: HttpRequest, portrait_id: UUID, data: MoveIn) -> Any:
    """Do the edit that was taken back again."""
    owned.one(owned.portraits(request), portrait_id)
    return standing_out(sheets.redo(portrait_id, data.revision))


def standing_out(now: sheets.Standing) -> StandingOut:
    """As it is answered."""
    return StandingOut(revision=now.revision, undo=now.undo, redo=now.redo, operations=now.operations)
