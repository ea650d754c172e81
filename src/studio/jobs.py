"""Long work, kept in PostgreSQL by Procrastinate: preparation, search, export. All may be started again at any time."""

import logging
import shutil
import tempfile
import time
from collections.abc import Callable
from functools import partial
from pathlib import Path
from smtplib import SMTPException
from typing import TypeVar

import numpy as np
from django.conf import settings
from django.core.files import File
from django.core.files.base import ContentFile
from django.core.mail import send_mail
from django.db import transaction
from django.db.models import Model, Q, QuerySet
from procrastinate import JobContext, RetryStrategy
from procrastinate.contrib.django import app
from procrastinate.contrib.django.models import ProcrastinateJob

from retouch.faces import Found
from retouch.faces.finding import find
from retouch.frame import Frame
from retouch.render.output import to_jpeg
from retouch.render.picture import Pyramid
from retouch.types import PictureError
from studio.levels import pyramid, store
from studio.links import letter
from studio.logs import about
from studio.making import make
from studio.models import Batch, Export, Portrait, User
from studio.retrying import RETRY, TryAgain, has_attempts_left, is_passing
from studio.storage import LEVELS_PER_PIXEL, DiskFull, is_full, room_for, sweep, told
from studio.viewing import forget_first, found, keep_first, keep_found
from studio.who import note

log = logging.getLogger(__name__)
Row = TypeVar("Row", bound=Model)
THUMBNAIL = 480
TELL_EVERY = 0.25
STALLED_AFTER = 40
AGE = 24 * 3600
"""Seconds after which what no row owns is nobody's."""
NOT_FOUND = (
    "The sheet works on faces or people, and looking for them in this picture failed. Nothing was written. "
    "Open the portrait, search again, and then order the file once more."
)
KEPT, NOT_WRITTEN = "The picture's file is kept.", "No file was written; the sheet is kept."
EXPORT_PER_PIXEL = 6
"""Bytes of a file for each pixel, at most."""
SORRY = "Something went wrong here, not with your picture. It is kept as it was; please try again."


MAIL_RETRY = RetryStrategy(max_attempts=5, exponential_wait=3, retry_exceptions=(OSError, SMTPException))


class Cancelled(Exception):
    """The photographer does not want the file any more, or has deleted the portrait."""


def _teller(tell: Callable[[float], None]) -> Callable[[float], None]:
    """Pass progress on at most every quarter of a second."""
    last = 0.0

    def progress(share: float) -> None:
        nonlocal last
        if share >= 1 or time.monotonic() - last > TELL_EVERY:
            last = time.monotonic()
            tell(share)

    return progress


@app.task(name="prepare", queue="studio", retry=RETRY, pass_context=True)
def prepare(context: JobContext, portrait: str) -> None:
    """Decode an original, store its levels and its thumbnail."""
    prepare_portrait(portrait, is_last=not has_attempts_left(context))


def prepare_portrait(portrait: str, is_last: bool = True) -> None:
    """Prepare a portrait now; unless this is the last attempt, TryAgain if something outside is away for a moment."""
    row = Portrait.objects.filter(pk=portrait).first()
    if row is None or row.state == Portrait.State.READY:
        return
    rows = Portrait.objects.filter(pk=portrait)
    rows.update(state=Portrait.State.PREPARING, progress=0, problem="")

    def tell(share: float) -> None:
        if not rows.update(progress=0.1 + 0.9 * share):
            raise Cancelled

    try:
        room_for(LEVELS_PER_PIXEL * row.facts.get("width", 0) * row.facts.get("height", 0), KEPT)
        with about(portrait):
            levels = Pyramid(store(row, _teller(tell)), portrait)
        share = min(1.0, THUMBNAIL / max(levels.width, levels.height))
        frame = Frame.whole(max(1, round(levels.width * share)), max(1, round(levels.height * share)))
        row.thumbnail.save("thumbnail.jpg", ContentFile(to_jpeg(np.ascontiguousarray(levels.read(frame)))), save=False)
        with transaction.atomic():
            if not rows.update(thumbnail=row.thumbnail.name, state=Portrait.State.READY, progress=1):
                raise Cancelled
            search_anew(portrait)
    except Cancelled:
        # It was deleted meanwhile: what was made for it since then would be nobody's.
        row.thumbnail.delete(save=False)
        shutil.rmtree(settings.LEVELS_ROOT / portrait, ignore_errors=True)
    except PictureError as error:
        rows.update(state=Portrait.State.FAILED, problem=str(error))
    except Exception as error:
        if is_passing(error) and not is_last:
            rows.update(state=Portrait.State.WAITING, progress=0)
            raise TryAgain from error
        log.exception("preparing %s failed", portrait)
        rows.update(state=Portrait.State.FAILED, problem=str(DiskFull(KEPT)) if is_full(error) else SORRY)


def queue_preparation(portrait: Portrait, priority: int) -> None:
    """Queue the preparation of a portrait: one at a time of each person's."""
    lock = f"prepare for {portrait.sitting.owner_id}"
    prepare.configure(priority=priority, lock=lock).defer(portrait=str(portrait.pk))


def prepare_anew(portrait: Portrait) -> None:
    """Queue the preparation of a portrait once more."""
    portrait.state, portrait.problem, portrait.progress = Portrait.State.WAITING, "", 0
    with transaction.atomic():
        portrait.save(update_fields=["state", "problem", "progress"])
        queue_preparation(portrait, 0)


def search_anew(portrait: str) -> None:
    """Queue the search for faces and people on a portrait, once what was written so far is committed."""
    Portrait.objects.filter(pk=portrait).update(search=Portrait.Search.WAITING, search_progress=0)
    # A worker's queue lies outside of Django's transaction: before the commit, the finder would see the row as it was.
    transaction.on_commit(partial(queue_search, portrait))


def queue_search(portrait: str) -> None:
    """Queue the search of a portrait that waits for it."""
    owner = User.objects.filter(sittings__portraits__pk=portrait)
    waiting = Portrait.objects.filter(sitting__owner__in=owner, search=Portrait.Search.WAITING)
    # Whoever opens a portrait or waits for a file comes first, then who waits for few.
    search.configure(priority=-settings.MOST_IN_HAND - waiting.count()).defer(portrait=portrait)


def is_search_lost(portrait: Portrait) -> bool:
    """Whether a portrait waits for its search although no job stands for it."""
    return bool(without_job(_unsearched().filter(pk=portrait.pk), "search", "portrait"))


def _unsearched() -> QuerySet[Portrait]:
    under_way = (Portrait.Search.WAITING, Portrait.Search.RUNNING)
    return Portrait.objects.filter(state=Portrait.State.READY, search__in=under_way)


@app.task(name="search", queue="search", retry=RETRY, pass_context=True)
def search(context: JobContext, portrait: str) -> None:
    """Find faces, people and their parts on a portrait, and keep what was found beside its levels."""
    rows = Portrait.objects.filter(pk=portrait).exclude(search=Portrait.Search.READY)
    if rows.filter(state=Portrait.State.READY).update(search=Portrait.Search.RUNNING, search_progress=0):
        _search(portrait, is_last=not has_attempts_left(context))
    elif rows.filter(state__in=(Portrait.State.WAITING, Portrait.State.PREPARING)).exists():
        raise TryAgain


def _search(portrait: str, is_last: bool = True) -> None:
    rows = Portrait.objects.filter(pk=portrait, state=Portrait.State.READY)

    def tell(share: float) -> None:
        rows.update(search_progress=share)

    try:
        answer = find(pyramid(portrait), _teller(tell), partial(keep_first, portrait))
        keep_found(portrait, answer)
        note(portrait)
        rows.update(search=Portrait.Search.READY, search_progress=1)
    except Exception as error:
        forget_first(portrait)
        if is_passing(error) and not is_last:
            rows.update(search=Portrait.Search.WAITING)
            raise TryAgain from error
        # Of a portrait that was deleted meanwhile nobody wants to know.
        if rows.update(search=Portrait.Search.FAILED):
            log.exception("searching %s failed", portrait)


def found_now(portrait: str) -> Found:
    """What was found on a portrait; it is looked for now if it was not yet.

    PictureError if it cannot be: nothing is handed out in which what was to be found is missing.
    """
    there = found(portrait)
    if there is None:
        _search(portrait)
        there = found(portrait)
    if there is None:
        raise PictureError(NOT_FOUND)
    return there


@app.task(name="export", queue="studio", retry=RETRY, pass_context=True)
def run_export(context: JobContext, wanted: str) -> None:
    """Render a portrait at full size into a file."""
    make_export(wanted, is_last=not has_attempts_left(context))


def make_export(wanted: str, is_last: bool = True) -> None:
    """Make an ordered file now; unless this is the last attempt, TryAgain if something outside is away for a moment."""
    row = Export.objects.select_related("portrait", "batch").filter(pk=wanted).first()
    if row is None or row.state in (Export.State.READY, Export.State.CANCELLED):
        return
    # It is queued again when the batch goes on.
    if row.batch is not None and row.batch.state == Batch.State.PAUSED:
        return
    rows = Export.objects.filter(pk=wanted)
    # It may have been cancelled since it was read: then it must not come to life again.
    if not rows.exclude(state=Export.State.CANCELLED).update(state=Export.State.RUNNING, progress=0, problem=""):
        return

    facts = row.portrait.facts
    wanted_still = rows.exclude(state=Export.State.CANCELLED)

    def tell(share: float) -> None:
        if not wanted_still.update(progress=share):
            raise Cancelled

    try:
        room_for(2 * EXPORT_PER_PIXEL * facts["width"] * facts["height"], NOT_WRITTEN)
        with tempfile.TemporaryDirectory(dir=settings.FILE_UPLOAD_TEMP_DIR) as folder:
            path = Path(folder) / "result"
            with about(row.portrait_id):
                make(row, path, _teller(tell), found_now)
            with path.open("rb") as file:
                row.result.save("result", File(file), save=False)
        done = {"result": row.result.name, "bytes": row.result.size, "state": Export.State.READY, "progress": 1}
        if not wanted_still.update(**done):
            # It was cancelled at the very end: nobody would ever forget its file.
            row.result.delete(save=False)
    except Cancelled:
        pass
    except PictureError as error:
        wanted_still.update(state=Export.State.FAILED, problem=str(error))
    except Exception as error:
        if is_passing(error) and not is_last:
            wanted_still.update(state=Export.State.WAITING, progress=0)
            raise TryAgain from error
        log.exception("export %s failed", wanted)
        problem = str(DiskFull(NOT_WRITTEN)) if is_full(error) else SORRY
        wanted_still.update(state=Export.State.FAILED, problem=problem)


def queue_export(wanted: Export, priority: int) -> None:
    """Queue an export; queued twice, it is made once."""
    key = str(wanted.pk)
    run_export.configure(priority=priority, lock=f"export {key}").defer(wanted=key)


@app.task(name="send-link", queue="studio", retry=MAIL_RETRY)
def send_link(email: str, page: str) -> None:
    """Send a link for a new password to whoever has an account with this address; ``page``: what it begins with."""
    user = User.objects.filter(username=email, is_active=True).first()
    if user is not None:
        send_mail("A new password for Needlepoint", letter(user, page), None, [user.email])


@app.task(name="send-note", queue="studio", retry=MAIL_RETRY)
def send_note(person: int, what: str) -> None:
    """Tell somebody what was changed about the account, should it not have been them."""
    user = User.objects.filter(pk=person).first()
    if user is not None:
        text = f"{what}\n\nIf this was not you, ask for a new password at the sign-in, at once.\n"
        send_mail("Your account at Needlepoint", text, None, [user.email])


@app.periodic(cron="17 3 * * *")
@app.task(name="sweep", queue="studio", queueing_lock="sweep")
def sweep_daily(timestamp: int) -> None:
    """Remove files that belong to nobody; those of uploads and jobs under way are younger."""
    log.warning("swept: %s", told(sweep(AGE)))


@app.periodic(cron="* * * * *")
@app.task(name="requeue-stalled", queue="studio", queueing_lock="requeue-stalled", pass_context=True)
async def requeue_stalled(context: object, timestamp: int) -> None:
    """Give the jobs of a worker that died back to the queue."""
    await requeue(STALLED_AFTER)


async def requeue(silent_for: float) -> int:
    """Requeue the jobs whose worker has not been heard of for ``silent_for`` seconds; how many there were."""
    stalled = list(await app.job_manager.get_stalled_jobs(seconds_since_heartbeat=silent_for))
    for job in stalled:
        await app.job_manager.retry_job(job)
    return len(stalled)


@app.periodic(cron="* * * * *")
@app.task(name="requeue-lost", queue="studio", queueing_lock="requeue-lost")
def requeue_lost(timestamp: int) -> None:
    """Queue what waits although no job stands for it."""
    if many := queue_lost():
        log.warning("queued %s rows for which no job stood", many)


def queue_lost() -> int:
    """Queue a job for every row that waits for one and has none; how many there were.

    Whatever becomes of a job or of a process between a commit and its job: nothing waits for ever.
    """
    waits, begun = Portrait.State.WAITING, Portrait.State.PREPARING
    unprepared = Portrait.objects.filter(state__in=(waits, begun)).exclude(original="")
    unmade = Export.objects.filter(state__in=(Export.State.WAITING, Export.State.RUNNING))
    many = 0
    for portrait in without_job(unprepared.select_related("sitting"), "prepare", "portrait"):
        queue_preparation(portrait, 0)
        many += 1
    for portrait in without_job(_unsearched(), "search", "portrait"):
        queue_search(str(portrait.pk))
        many += 1
    paused = Q(batch__state=Batch.State.PAUSED)
    for export in without_job(unmade.exclude(paused).defer("document"), "export", "wanted"):
        queue_export(export, 0)
        many += 1
    return many


def without_job(rows: QuerySet[Row], task: str, argument: str) -> list[Row]:
    """Those of ``rows`` whose key no job of this name has that waits or runs."""
    jobs = ProcrastinateJob.objects.filter(task_name=task, status__in=("todo", "doing"))
    known = {str(key) for key in jobs.values_list(f"args__{argument}", flat=True)}
    return [row for row in rows if str(row.pk) not in known]
