"""What was drawn and may be wanted again: stages, coverages and small maps, by key and frame."""

from collections import OrderedDict
from threading import Lock

from retouch.frame import Frame
from retouch.types import Floats


class _Shelf:
    """Arrays by key, and by frame within a key; the key least recently used goes first."""

    def __init__(self, limit: int):
        self.limit, self.size = limit, 0
        self.kept: OrderedDict[str, dict[Frame, Floats]] = OrderedDict()

    def put(self, key: str, frame: Frame, values: Floats) -> None:
        if values.nbytes > self.limit:
            return
        frames = self.kept.setdefault(key, {})
        self.kept.move_to_end(key)
        # A frame that the new one holds says nothing more.
        for inner in [f for f in frames if frame.holds(f)]:
            self.size -= frames.pop(inner).nbytes
        frames[frame] = values
        self.size += values.nbytes
        while self.size > self.limit:
            _, dropped = self.kept.popitem(last=False)
            self.size -= sum(v.nbytes for v in dropped.values())


class Cache:
    """Stages, coverages and maps by key and frame; safe between threads.

    What belongs to a change that is only being tried lies on a shelf of its own, so that a hand that moves does not
    push out what stands.
    """

    def __init__(self, limit: int = 400 * 2**20, trials: int | None = None):
        self._shelves = (_Shelf(limit), _Shelf(limit // 4 if trials is None else trials))
        self._lock = Lock()

    def get(self, key: str, frame: Frame) -> Floats | None:
        """What is kept under ``key`` on ``frame`` or on a frame that holds it: a view, not to be changed."""
        with self._lock:
            for shelf in self._shelves:
                for outer, values in shelf.kept.get(key, {}).items():
                    if outer.holds(frame):
                        shelf.kept.move_to_end(key)
                        return values[frame.slices_in(outer)]
        return None

    def whole(self, key: str) -> Floats | None:
        """What was last put under ``key``, on the frame it was put with; not to be changed."""
        with self._lock:
            for shelf in self._shelves:
                if frames := shelf.kept.get(key):
                    shelf.kept.move_to_end(key)
                    return frames[next(reversed(frames))]
        return None

    def put(self, key: str, frame: Frame, values: Floats, trial: bool = False) -> None:
        """Keep ``values`` (``frame.shape`` …); the caller must not change them afterwards."""
        with self._lock:
            self._shelves[trial].put(key, frame, values)
