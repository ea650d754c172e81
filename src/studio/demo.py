"""The demo account with the sitting of the Saltmarsh Choir."""

from pathlib import Path

from django.conf import settings
from django.core.files import File
from django.db import transaction

from retouch.files.reading import look
from studio.house import DEMO_EMAIL, DEMO_PASSWORD
from studio.jobs import queue_preparation
from studio.models import Portrait, Sitting, User

PICTURES = settings.ROOT / "demo" / "pictures"
NAME = "Saltmarsh Choir"


def load(pictures: Path = PICTURES) -> None:
    """Make the demo account and its sitting, once; what somebody did with them since stays."""
    if User.objects.filter(username=DEMO_EMAIL).exists():
        return
    with transaction.atomic():
        user = User.objects.create_user(DEMO_EMAIL, DEMO_EMAIL, DEMO_PASSWORD)
        sitting = Sitting.objects.create(owner=user, name=NAME)
        for number, path in enumerate(sorted(pictures.iterdir())):
            portrait = Portrait(sitting=sitting, name=path.stem, file_name=path.name, bytes=path.stat().st_size)
            portrait.facts = vars(look(path))
            with path.open("rb") as file:
                portrait.original.save("original", File(file), save=False)
            portrait.save()
            queue_preparation(portrait, -number)
