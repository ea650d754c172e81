"""Work within a request that somebody waits for: how far it is, and whether it is still wanted."""

from collections.abc import Hashable, Iterator
from contextlib import contextmanager
from threading import Lock


class NotWanted(Exception):
    """Whoever asked for it has let it go."""


class UnderWay:
    """Works by name; a name is known while its work is done in this process."""

    def __init__(self) -> None:
        self._shares: dict[Hashable, float] = {}
        self._lock = Lock()

    @contextmanager
    def work(self, name: Hashable) -> Iterator[None]:
        """Within, the work goes on under this name."""
        with self._lock:
            self._shares[name] = 0.0
        try:
            yield
        finally:
            with self._lock:
                self._shares.pop(name, None)

    def tell(self, name: Hashable, share: float) -> None:
        """So much of it is done, 0…1; NotWanted if it was let go."""
        with self._lock:
            if name not in self._shares:
                raise NotWanted
            self._shares[name] = share

    def share(self, name: Hashable) -> float | None:
        """How much of it is done; None if nothing is done under this name."""
        with self._lock:
            return self._shares.get(name)

    def let_go(self, name: Hashable) -> None:
        """It is not wanted any more."""
        with self._lock:
            self._shares.pop(name, None)
