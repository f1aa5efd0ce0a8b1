"""Where shots end, as seen by the steps: found from the frames themselves, a few at a time."""

from __future__ import annotations

from abc import ABC, abstractmethod
from bisect import bisect_left, bisect_right
from collections.abc import Callable, Collection

from grevin.core.cache import ByteCache
from grevin.core.errors import UnreadableFrameError
from grevin.core.measure.cuts import Small, belong_together, is_cut, small_picture
from grevin.core.picture.source import FrameSource
from grevin.core.timebase.timeline import Timeline


class Shots(ABC):
    """Where a run of frames is cut."""

    @abstractmethod
    def __len__(self) -> int:
        """Number of frames."""

    @abstractmethod
    def key(self, number: int | None = None, reach: int = 0) -> str:
        """Changes with the operator's cuts that a frame's result may depend on, or with any; "" for none."""

    @abstractmethod
    def joined(self, number: int, other: int) -> bool:
        """Whether two frames belong together whatever lies between them: by the list, else as they look."""

    @abstractmethod
    def cut_before(self, number: int) -> bool:
        """Whether frame `number` is the first of a shot, or behind the last frame."""

    @abstractmethod
    def same_shot(self, number: int, other: int) -> bool:
        """Whether two frames lie in one shot."""

    @abstractmethod
    def shot_of(self, number: int) -> range:
        """The frames of the shot that a frame lies in."""

    @abstractmethod
    def knows_shot_of(self, number: int) -> bool:
        """Whether that is known without looking at any frame."""


class ShotFinder(Shots):
    """Answers whether a cut lies before a frame, from that frame and three around it."""

    def __init__(self, source: FrameSource, cache: ByteCache, known: Collection[int] | None = None) -> None:
        """Prepare.

        Args:
            source: the frames.
            cache: for what was found.
            known: first frames of shots by the operator's word; None to find them.
        """
        self._source = source
        self._cache = cache
        self._known = None if known is None else sorted(known)

    def __len__(self) -> int:
        return len(self._source)

    def key(self, number: int | None = None, reach: int = 0) -> str:
        """Changes with the operator's cuts that a frame's result may depend on, or with any; "" for none."""
        if self._known is None:
            return ""
        near = self._known
        if number is not None:
            near = near[bisect_left(near, number - reach) : bisect_right(near, number + reach + 1)]
        return "by hand " + ",".join(map(str, near))

    def cut_before(self, number: int) -> bool:
        """Whether frame `number` is the first of a shot."""
        if number <= 0 or number >= len(self._source):
            return True
        key = f"cut/{self._source.identity}/{self.key(number)}/{number}"
        return self._cache.get(key, lambda: [self._look(number)], lambda _: 64)[0]

    def shot_of(self, number: int) -> range:
        """The frames of the shot that a frame lies in."""
        known = self._known_shots
        held = next((shot for shot in known if number in shot), None)
        if held is None:
            first, stop = number, number + 1
            while not self.cut_before(first):
                first -= 1
            while not self.cut_before(stop):
                stop += 1
            held = range(first, stop)
            known.append(held)
        return held

    def knows_shot_of(self, number: int) -> bool:
        """Whether that is known without looking at any frame."""
        return any(number in shot for shot in self._known_shots)

    @property
    def _known_shots(self) -> list[range]:
        """What was found so far; the reel may be growing."""
        key = f"shots/{self._source.identity}/{len(self._source)}/{self.key()}"
        return self._cache.pinned.get(key, list, lambda _: 1)

    def _look(self, number: int) -> bool:
        if self._small(number - 1) is None or self._small(number) is None:
            return True  # nothing may reach over a frame that cannot be read
        return self._is_cut(number) if self._known is None else self._in_list(number)

    def _in_list(self, number: int) -> bool:
        assert self._known is not None
        place = bisect_left(self._known, number)
        return place < len(self._known) and self._known[place] == number

    def _is_cut(self, number: int) -> bool:
        return is_cut(lambda offset: self._small(number + offset))

    def _small(self, number: int) -> Small | None:
        if not 0 <= number < len(self._source):
            return None
        key = f"small/{self._source.identity}/{number}"

        def make() -> list[Small | None]:
            try:
                return [small_picture(self._source.frame(number).luma8())]
            except UnreadableFrameError:
                return [None]

        return self._cache.get(key, make, lambda held: 0 if held[0] is None else held[0].nbytes)[0]

    def joined(self, number: int, other: int) -> bool:
        """Whether two frames belong together whatever lies between them: by the list, else as they look."""
        low, high = sorted((number, other))
        if self._known is not None:
            return bisect_right(self._known, low) == bisect_right(self._known, high)
        one, another = self._small(low), self._small(high)
        return one is not None and another is not None and belong_together(one, another)

    def same_shot(self, number: int, other: int) -> bool:
        """Whether two frames lie in one shot."""
        low, high = sorted((number, other))
        if low < 0 or high >= len(self._source):
            return False
        return not any(self.cut_before(place) for place in range(low + 1, high + 1))


class MappedShots(Shots):
    """Shots of a reel as seen from behind a change of time."""

    def __init__(self, shots: Shots, timeline: Callable[[], Timeline]) -> None:
        self._shots = shots
        self._timeline = timeline

    def __len__(self) -> int:
        return len(self._timeline())

    def _source(self, number: int) -> int:
        return int(self._timeline().sources[number])

    def key(self, number: int | None = None, reach: int = 0) -> str:
        """See `ShotFinder.key`."""
        return self._shots.key() if number is None else self._shots.key(self._source(number), 2 * reach)

    def joined(self, number: int, other: int) -> bool:
        """Whether two frames belong together whatever lies between them."""
        return self._shots.joined(self._source(number), self._source(other))

    def cut_before(self, number: int) -> bool:
        """Whether frame `number` is the first of a shot."""
        return not self.same_shot(number - 1, number)

    def same_shot(self, number: int, other: int) -> bool:
        """Whether two frames lie in one shot."""
        if not (min(number, other) >= 0 and max(number, other) < len(self._timeline())):
            return False
        return self._shots.same_shot(self._source(number), self._source(other))

    def shot_of(self, number: int) -> range:
        """The frames of the shot that a frame lies in."""
        shot, first, stop = self._shots.shot_of(self._source(number)), number, number + 1
        while first > 0 and self._source(first - 1) in shot:
            first -= 1
        while stop < len(self) and self._source(stop) in shot:
            stop += 1
        return range(first, stop)

    def knows_shot_of(self, number: int) -> bool:
        """Whether that is known without looking at any frame."""
        return self._shots.knows_shot_of(self._source(number))
