"""Where somebody is signed in: written down for each browser, ended when it is idle, and from elsewhere."""

from datetime import timedelta
from importlib import import_module

from django.conf import settings
from django.contrib.auth import logout
from django.http import HttpRequest
from django.utils import timezone
from django.utils.deprecation import MiddlewareMixin

from studio.models import User, Visit

WRITTEN_EVERY = timedelta(minutes=1)
SessionStore = import_module(settings.SESSION_ENGINE).SessionStore


class Visits(MiddlewareMixin):
    """Writes down, at most once a minute, that a browser was here; signs out one that was not for too long."""

    def process_request(self, request: HttpRequest) -> None:
        """Look at who comes."""
        if not request.path.startswith("/api/") or not request.user.is_authenticated:
            return
        session, now = str(request.session.session_key), timezone.now()
        visit = Visit.objects.filter(session=session).first()
        if visit is None:
            visit = Visit(user=request.user, session=session, began=now, seen=now)
        elif now - visit.seen > timedelta(seconds=settings.IDLE_SECONDS):
            visit.delete()
            logout(request)
            return
        elif now - visit.seen < WRITTEN_EVERY:
            return
        visit.seen = now
        visit.browser = request.headers.get("User-Agent", "")[:300].replace("\0", "")
        visit.address = request.META.get("REMOTE_ADDR", "")[:60]
        # Two requests of a new browser may come at once.
        Visit.objects.update_or_create(
            session=session,
            defaults={name: getattr(visit, name) for name in ("user", "seen", "browser", "address")},
        )


def standing(user: User) -> list[Visit]:
    """A person's visits whose sessions are still there, the latest first; what is over is forgotten."""
    visits = list(user.visits.all())
    over = [visit for visit in visits if not SessionStore().exists(visit.session)]
    Visit.objects.filter(pk__in=[visit.pk for visit in over]).delete()
    return [visit for visit in visits if visit not in over]


def end(visits: list[Visit]) -> None:
    """Sign out in these browsers."""
    for visit in visits:
        SessionStore(visit.session).delete()
        visit.delete()
