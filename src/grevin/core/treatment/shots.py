"""Where shots end, as seen by the steps: found from the frames themselves, a few at a time."""

from __future__ import annotations

from grevin.core.cache import ByteCache
from grevin.core.errors import UnreadableFrameError
from grevin.core.measure.cuts import Small, is_cut, small_picture
from grevin.core.picture.source import FrameSource


class ShotFinder:
    """Answers whether a cut lies before a frame, from that frame and three around it."""

    def __init__(self, source: FrameSource, cache: ByteCache) -> None:
        self._source = source
        self._cache = cache

    def cut_before(self, number: int) -> bool:
        """Whether frame `number` is the first of a shot."""
        if number <= 0 or number >= len(self._source):
            return True
        key = f"cut/{self._source.identity}/{number}"
        return self._cache.get(key, lambda: [self._look(number)], lambda _: 64)[0]

    def _look(self, number: int) -> bool:
        last, first = self._small(number - 1), self._small(number)
        if last is None or first is None:
            return True  # nothing may reach over a frame that cannot be read
        before = self._small(number - 2) if number >= 2 else None
        after = self._small(number + 1) if number + 1 < len(self._source) else None
        return is_cut(before, last, first, after)

    def _small(self, number: int) -> Small | None:
        key = f"small/{self._source.identity}/{number}"

        def make() -> list[Small | None]:
            try:
                return [small_picture(self._source.frame(number).luma8())]
            except UnreadableFrameError:
                return [None]

        return self._cache.get(key, make, lambda held: 0 if held[0] is None else held[0].nbytes)[0]

    def same_shot(self, number: int, other: int) -> bool:
        """Whether two frames lie in one shot."""
        low, high = sorted((number, other))
        if low < 0 or high >= len(self._source):
            return False
        return not any(self.cut_before(place) for place in range(low + 1, high + 1))
