"""What was used lately, kept in this process."""

from collections import OrderedDict
from collections.abc import Callable, Hashable
from threading import Lock
from typing import Generic, TypeVar

Key = TypeVar("Key", bound=Hashable)
Value = TypeVar("Value")


class Recent(Generic[Key, Value]):
    """Values by key, the least recently used dropped first; safe between threads.

    ``size`` tells what a value counts against ``limit``; without it each counts one.
    """

    def __init__(self, limit: int, size: Callable[[Value], int] = lambda value: 1):
        self._limit, self._size, self._used = limit, size, 0
        self._kept: OrderedDict[Key, Value] = OrderedDict()
        self._lock = Lock()

    def get(self, key: Key) -> Value | None:
        """What is kept under ``key``."""
        with self._lock:
            if (known := self._kept.get(key)) is not None:
                self._kept.move_to_end(key)
            return known

    def put(self, key: Key, value: Value) -> Value:
        """Keep ``value``, and hand it back."""
        with self._lock:
            if (old := self._kept.pop(key, None)) is not None:
                self._used -= self._size(old)
            self._kept[key] = value
            self._used += self._size(value)
            while self._used > self._limit:
                self._used -= self._size(self._kept.popitem(last=False)[1])
        return value

    def made(self, key: Key, make: Callable[[], Value]) -> Value:
        """What is kept under ``key``, or what ``make`` gives, which is kept then."""
        known = self.get(key)
        return self.put(key, make()) if known is None else known

    def clear(self) -> None:
        """Forget everything."""
        with self._lock:
            self._kept.clear()
            self._used = 0
