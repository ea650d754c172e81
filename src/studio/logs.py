"""What the log says: who came in, and which portrait the work is about."""

import logging
from collections.abc import Iterator
from contextlib import contextmanager
from contextvars import ContextVar

from django.http import HttpRequest

_about: ContextVar[str] = ContextVar("about", default="")


def doors(request: HttpRequest | None, what: str, who: object) -> None:
    """Write down what somebody did, or could not do, with an account: ``who`` is its id, or the name that was tried."""
    address = request.META.get("REMOTE_ADDR", "") if request is not None else "the house itself"
    # A name is whatever somebody typed: it stays on its line.
    logging.getLogger("studio.doors").info("%s: %r from %s", what, who, address)


@contextmanager
def about(portrait: object) -> Iterator[None]:
    """Whatever is logged within is about the portrait with this id."""
    token = _about.set(f"portrait {portrait}")
    try:
        yield
    finally:
        _about.reset(token)


class About(logging.Filter):
    """Gives every record the portrait that the work is about."""

    def filter(self, record: logging.LogRecord) -> bool:
        """Never drops a record."""
        record.about = _about.get()
        return True
