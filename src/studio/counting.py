"""How often something may be tried: counted where every process of the house sees it."""

from datetime import timedelta

from django.utils import timezone

from studio.models import Try


def too_often(what: str, who: str, most: int, seconds: int) -> bool:
    """Write down one more try of ``what`` by ``who``; whether it is more than ``most`` in the last ``seconds``."""
    since = timezone.now() - timedelta(seconds=seconds)
    Try.objects.filter(what=what, at__lt=since).delete()
    Try.objects.create(what=what, who=who[:150])
    return Try.objects.filter(what=what, who=who[:150]).count() > most
