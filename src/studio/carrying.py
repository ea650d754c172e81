"""Carrying presets over to the portraits of a sitting: one job a portrait, each may run twice or on any machine."""

import logging
from functools import partial
from uuid import UUID

from django.core.files.base import ContentFile
from django.db import transaction
from django.db.models import F
from procrastinate import JobContext
from procrastinate.contrib.django import app

from retouch.render.output import to_jpeg
from retouch.sheet import Set, Sheet
from retouch.sheet.preset import Preset, read_preset
from retouch.types import PictureError
from studio import sheets, viewing
from studio.jobs import SORRY, THUMBNAIL, found_now, without_job
from studio.logs import about
from studio.models import CarriedTo, CarryOver, Portrait
from studio.retrying import RETRY, TryAgain, has_attempts_left, is_passing
from studio.shares import in_hand

log = logging.getLogger(__name__)
SIDE = 1000
"""Pixels on the long side of the pictures by which one judges what was carried over."""
NOT_READY = "This portrait was not prepared. Nothing was done to it."


def begin(carry_over: CarryOver) -> None:
    """Queue the portraits of a carry-over that still wait."""
    waiting = list(carry_over.portraits.filter(state=CarriedTo.State.WAITING).values_list("pk", flat=True))
    # Whoever has much in hand comes after whoever has little; what is asked for next comes before all of it.
    later = in_hand(carry_over.sitting.owner)
    for number, one in enumerate(waiting):
        carry_one.configure(priority=-later - number).defer(one=one)


@app.task(name="carry over", queue="studio", retry=RETRY, pass_context=True)
def carry_one(context: JobContext, one: int) -> None:
    """Lay the preset of a carry-over on one portrait, and make the pictures by which it is judged."""
    carry(one, is_last=not has_attempts_left(context))


def carry(one: int, is_last: bool = True) -> None:
    """Do it now; unless this is the last attempt, TryAgain if something outside is away for a moment."""
    rows = CarriedTo.objects.select_related("carry_over", "portrait")
    row = rows.filter(pk=one, carry_over__state=CarryOver.State.GOING).first()
    if row is None:
        return
    with about(str(row.portrait_id)):
        try:
            if row.state == CarriedTo.State.WAITING:
                _lay(row)
                row.refresh_from_db()
            if row.state == CarriedTo.State.LAID:
                _show(row)
        except PictureError as error:
            CarriedTo.objects.filter(pk=one).update(state=CarriedTo.State.FAILED, problem=str(error))
        except Exception as error:
            if is_passing(error) and not is_last:
                raise TryAgain from error
            log.exception("carrying over to %s failed", row.portrait_id)
            CarriedTo.objects.filter(pk=one).update(state=CarriedTo.State.FAILED, problem=SORRY)


def _lay(row: CarriedTo) -> None:
    preset = read_preset(row.carry_over.document)
    if row.portrait.state != Portrait.State.READY:
        raise PictureError(NOT_READY)
    key = str(row.portrait_id)
    found = found_now(key) if preset.finds else viewing.found(key)
    own = viewing.own_of(key, row.face)
    with transaction.atomic():
        # The edit and the row that says so are committed together: whatever is killed, it is laid once.
        mine = CarriedTo.objects.select_for_update().filter(pk=row.pk, state=CarriedTo.State.WAITING).first()
        if mine is None:
            return
        _, laid = sheets.lay_preset(preset, row.portrait_id, own, found, row.face)
        mine.edit = Portrait.objects.get(pk=row.portrait_id).head
        mine.by_hand, mine.lacking, mine.state = laid.by_hand, laid.lacking, CarriedTo.State.LAID
        mine.save()


def _show(row: CarriedTo) -> None:
    assert row.edit is not None
    before, after = (
        viewing.picture_of(row.portrait_id, sheets.sheet_after(row.portrait_id, edit, []), SIDE)
        for edit in (row.edit.parent_id, row.edit_id)
    )
    row.before.save("before.jpg", ContentFile(to_jpeg(before)), save=False)
    row.after.save("after.jpg", ContentFile(to_jpeg(after)), save=False)
    files = {"before": row.before.name, "after": row.after.name, "state": CarriedTo.State.DONE}
    if not CarriedTo.objects.filter(pk=row.pk, state=CarriedTo.State.LAID).update(**files):
        row.before.delete(save=False)
        row.after.delete(save=False)
    ask_for_card(row.portrait_id)


def ask_for_card(portrait: UUID) -> None:
    """Queue the small picture of a portrait as it is retouched, unless its newest is there or on its way."""
    rows = Portrait.objects.filter(pk=portrait, state=Portrait.State.READY)
    with transaction.atomic():
        if rows.exclude(wanted=F("revision")).update(wanted=F("revision")):
            # A worker's queue lies outside of Django's transaction.
            transaction.on_commit(partial(_queue_card, portrait))


def _queue_card(portrait: UUID) -> None:
    # Whatever somebody waits for comes first.
    make_card.configure(priority=-1_000_000).defer(portrait=str(portrait))


@app.periodic(cron="* * * * *")
@app.task(name="requeue-lost-carrying", queue="studio", queueing_lock="requeue-lost-carrying")
def requeue_lost_carrying(timestamp: int) -> None:
    """Queue what waits although no job stands for it."""
    queue_lost_carrying()


def queue_lost_carrying() -> int:
    """Queue portraits of a carry-over and cards that wait and for which no job stands; how many there were."""
    unlaid = CarriedTo.objects.filter(
        state__in=(CarriedTo.State.WAITING, CarriedTo.State.LAID), carry_over__state=CarryOver.State.GOING
    )
    unmade = Portrait.objects.filter(state=Portrait.State.READY, wanted__gt=F("shown"))
    lost, cards = without_job(unlaid, "carry over", "one"), without_job(unmade, "card", "portrait")
    for one in lost:
        carry_one.configure(priority=0).defer(one=one.pk)
    for portrait in cards:
        _queue_card(portrait.pk)
    return len(lost) + len(cards)


@app.task(name="card", queue="studio", retry=RETRY)
def make_card(portrait: str) -> None:
    """Make the small picture of a portrait as it is retouched now."""
    row = Portrait.objects.filter(pk=portrait, state=Portrait.State.READY).first()
    if row is None or row.shown == row.revision:
        return
    with about(portrait):
        document = sheets.document_of(row)
        steps = sum(not isinstance(step, Set) for step in document.sheet.steps())
        old = str(row.retouched.name or "")
        made = {"shown": row.revision, "steps": steps, "retouched": ""}
        try:
            if steps or not document.sheet.geometry.neutral:
                small = to_jpeg(viewing.picture_of(row.pk, document.sheet, THUMBNAIL))
                row.retouched.save("retouched.jpg", ContentFile(small), save=False)
                made["retouched"] = row.retouched.name
        except Exception:
            # The card shows the portrait as it came, and nobody waits for it without end.
            log.exception("the card of %s failed", portrait)
        if not Portrait.objects.filter(pk=portrait).update(**made):
            row.retouched.delete(save=False)
        if old:
            row.retouched.storage.delete(old)


def preset_pictures(preset: Preset, portrait: UUID) -> tuple[bytes, bytes]:
    """Two small JPEGs: a portrait as it came, and with a preset that was made on it alone."""
    empty, one = Sheet(), preset.sheet
    before, after = (to_jpeg(viewing.picture_of(portrait, sheet, THUMBNAIL)) for sheet in (empty, one))
    return before, after
