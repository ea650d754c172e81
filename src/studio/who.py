"""Who is who in a sitting: the faces of its portraits, grouped by sitter; the photographer names and corrects."""

from contextlib import suppress

from django.db import transaction
from procrastinate.contrib.django import app
from procrastinate.exceptions import AlreadyEnqueued

from retouch.faces.traits import traits
from retouch.faces.who import groups
from retouch.frame import Frame
from studio import viewing
from studio.levels import pyramid
from studio.logs import about
from studio.models import Face, Portrait, Sitter, Sitting
from studio.retrying import RETRY


def note(portrait: str) -> None:
    """Keep what tells the faces of a searched portrait from others; whose they are said to be stays."""
    found = viewing.found(portrait)
    if found is None:
        return
    levels = pyramid(portrait)
    told = traits(found, Frame.whole(levels.width, levels.height), levels.read)
    with transaction.atomic():
        # A portrait that was deleted meanwhile has no row to be told of.
        if not Portrait.objects.select_for_update().filter(pk=portrait).update(noted=True):
            return
        for number, (face, values) in enumerate(zip(found.faces, told, strict=True), 1):
            row = {"box": [round(v, 5) for v in face.box], "traits": values}
            Face.objects.update_or_create(portrait_id=portrait, number=number, defaults=row)
        Face.objects.filter(portrait_id=portrait, number__gt=len(told)).delete()


@app.task(name="note faces", queue="studio", retry=RETRY)
def note_faces(portrait: str) -> None:
    """Keep what tells the faces of a portrait that was searched before that was asked for."""
    with about(portrait):
        note(portrait)


def behind(sitting: Sitting) -> int:
    """How many portraits of a sitting are searched, but not noted yet; they are queued."""
    rows = list(sitting.portraits.filter(search=Portrait.Search.READY, noted=False).values_list("pk", flat=True))
    for row in rows:
        # Who asks again while it waits is answered by the job that is there.
        with suppress(AlreadyEnqueued), transaction.atomic():
            note_faces.configure(queueing_lock=f"note {row}", priority=-1).defer(portrait=str(row))
    return len(rows)


def group(sitting: Sitting) -> None:
    """Put every face that nobody spoke of into a group of one sitter: a named or corrected one, or a new one."""
    with transaction.atomic():
        Sitting.objects.select_for_update().get(pk=sitting.pk)
        faces = list(Face.objects.filter(portrait__sitting=sitting).exclude(said=True, sitter=None))
        sitters = list(sitting.sitters.all())
        place = {sitter.pk: number for number, sitter in enumerate(sitters)}
        # What the photographer said, and a group with a name, stays as it is.
        fixed = {sitter.pk for sitter in sitters if sitter.name}
        given = [place[f.sitter_id] if f.sitter_id and (f.said or f.sitter_id in fixed) else None for f in faces]
        numbers = groups([f.traits for f in faces], [f.portrait_id for f in faces], given)
        for _ in range(len(sitters), max(numbers, default=-1) + 1):
            sitters.append(Sitter.objects.create(sitting=sitting))
        changed = []
        for face, number in zip(faces, numbers, strict=True):
            if face.sitter_id != sitters[number].pk:
                face.sitter = sitters[number]
                changed.append(face)
        Face.objects.bulk_update(changed, ["sitter"])
        tidy(sitting)


def tidy(sitting: Sitting) -> None:
    """Let go of groups without a name in which nobody is left."""
    sitting.sitters.filter(name="", faces=None).delete()
