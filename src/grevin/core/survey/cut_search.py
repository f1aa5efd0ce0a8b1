"""Looking for the ends of a shot from a frame on: from what was measured already, else from the pictures."""

from __future__ import annotations

from grevin.core.progress import Progress
from grevin.core.survey.lanes import Lanes
from grevin.core.treatment.shots import ShotFinder


class CutSearch:
    """Answers for one reel under its treatment."""

    def __init__(self, shots: ShotFinder, lanes: Lanes | None, kept: range) -> None:
        self._shots = shots
        self._lanes = lanes
        self._kept = kept

    def _cut_before(self, number: int) -> bool:
        known = self._lanes.cut_before(number) if self._lanes is not None else None
        return self._shots.cut_before(number) if known is None else known

    def next_cut(self, frame: int, direction: int, progress: Progress) -> int:
        """First frame of the next (+1) or of the present or previous (-1) shot; the ends of the reel count.

        Raises:
            CancelledError: if asked to stop.
        """
        progress.begin(0, "Looking for the cut")
        number = frame + direction
        while self._kept.start < number < self._kept.stop - 1 and not self._cut_before(number):
            number += direction
            progress.advance()
        return min(max(self._kept.start, number), self._kept.stop - 1)

    def shot_around(self, frame: int, progress: Progress) -> range:
        """The frames of the shot that a frame belongs to."""
        first = frame if self._cut_before(frame) else self.next_cut(frame, -1, progress)
        last = self.next_cut(frame, 1, progress)
        ends_with_reel = last == self._kept.stop - 1 and not (last > frame and self._cut_before(last))
        return range(first, self._kept.stop if ends_with_reel else last)
