"""What the log says besides: which portrait the work is about."""

import logging
from collections.abc import Iterator
from contextlib import contextmanager
from contextvars import ContextVar

_about: ContextVar[str] = ContextVar("about", default="")


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
