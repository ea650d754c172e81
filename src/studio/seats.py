"""Places at the renderer, shared between people: who has fewest is next, and what takes long never has them all."""

from collections import Counter
from collections.abc import Hashable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from threading import Condition

EVERY = 4
"""Each so many-th place goes to who has waited longest, whoever that is: so that everybody's turn comes."""


@dataclass(eq=False)
class _Wish:
    person: Hashable
    long: bool


class Seats:
    """``places`` that are given one by one."""

    def __init__(self, places: int):
        self._free = places
        self._free_for_long = max(1, places - 1)
        self._taken: Counter[Hashable] = Counter()
        self._waiting: list[_Wish] = []
        self._given = 0
        self._changed = Condition()

    @contextmanager
    def place(self, person: Hashable, long: bool = False) -> Iterator[None]:
        """Wait for a place of ``person``'s, and have it; ``long``: it is kept for longer than a hand waits."""
        wish = _Wish(person, long)
        with self._changed:
            self._waiting.append(wish)
            self._changed.wait_for(lambda: self._next() is wish)
            self._waiting.remove(wish)
            self._count(wish, 1)
        try:
            yield
        finally:
            with self._changed:
                self._count(wish, -1)

    def _next(self) -> _Wish | None:
        """Whose turn it is. Of who has fewest places what is short comes first, then who came first."""
        if not self._free:
            return None
        may = [wish for wish in self._waiting if not wish.long or self._free_for_long]
        if not may or self._given % EVERY == EVERY - 1:
            return may[0] if may else None
        return min(may, key=lambda wish: (self._taken[wish.person], wish.long))

    def _count(self, wish: _Wish, by: int) -> None:
        self._free -= by
        self._free_for_long -= by * wish.long
        self._given += by > 0
        self._taken[wish.person] += by
        if not self._taken[wish.person]:
            del self._taken[wish.person]
        self._changed.notify_all()
