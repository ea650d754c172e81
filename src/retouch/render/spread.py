"""Which rectangle of the finished picture looks different after a part of an area has changed somewhere."""

from retouch.areas import recipe
from retouch.areas.refine import reach
from retouch.frame import Frame
from retouch.render.plan import Renderer


def changed(renderer: Renderer, area: str | None, frame: Frame, of: Frame, touch: str | None = None) -> Frame | None:
    """The rectangle that a change of ``area``'s parts, or of ``touch``'s strokes, within ``frame`` reaches.

    ``frame`` lies on the upright original; the answer on the finished picture, at the scale of ``of``. None if it
    reaches nothing. Small maps of the whole picture are taken to stand.
    """
    sheet = renderer.sheet
    areas = {} if area is None else {area: _of_area(renderer, area, frame)}
    for other in sheet.by_id:
        for name in sheet.rests_on(other):
            used = [areas[o] for p in sheet.area(name).known for o in p.others if o in areas]
            if used and name not in areas:
                areas[name] = _of_area(renderer, name, _joined(used))
    reached: list[Frame | None] = []
    for stage in renderer.stages.all:
        below = None if stage.below is None else reached[stage.below]
        rects = [] if below is None else [stage.spreads(below)]
        if touch is not None and stage.step is not None and stage.step.id == touch:
            rects.append(frame)
        if stage.inner is not None and (inner := reached[stage.inner]) is not None:
            rects.append(inner)
        if stage.step is not None and stage.step.area is not None:
            if stage.step.area in areas:
                rects.append(areas[stage.step.area])
            if below is not None and sheet.looks_below(stage.step.area):
                for name in sheet.rests_on(stage.step.area):
                    rects.append(_of_area(renderer, name, _joined(rects)))
        reached.append(_joined(rects) if rects else None)
    out = reached[renderer.stages.last]
    moved = [areas[s.area] for s in renderer.stages.moved if s.area in areas]
    moved += [frame for s in renderer.stages.moved if s.id == touch]
    rects = [r for r in (out, *moved) if r is not None]
    return renderer.shapes.touched(_joined(rects), of) if rects else None


def _of_area(renderer: Renderer, area: str, frame: Frame) -> Frame:
    model = renderer.sheet.area(area)
    if model.refine != "no":
        frame = frame.grown(int(reach(model.refine) * frame.unit) + 2)
    return recipe.spread(model.grow, model.feather, frame)


def _joined(frames: list[Frame]) -> Frame:
    out = frames[0]
    for frame in frames[1:]:
        out = out.joined(frame)
    return out
