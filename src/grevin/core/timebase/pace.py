"""Which frame is due while a run of frames is played round and round at its true rate."""

from __future__ import annotations

from fractions import Fraction

import numpy as np
import numpy.typing as npt

ROUNDING_S = 1e-6  # a time stamp this little ahead is the same instant


class Pace:
    """Even frames at a rate, or frames with times of their own."""

    def __init__(self, rate: Fraction, times: npt.NDArray[np.float64] | None = None) -> None:
        """Make a pace.

        Args:
            rate: frames per second.
            times: (N,) seconds at which each frame begins, ascending; None where frames are evenly spaced.
        """
        self.rate = rate
        self._times = times

    def frame_due(self, start: int, seconds: float, loop: range) -> int:
        """The frame to be shown.

        Args:
            start: frame of the loop at which playing began.
            seconds: played since, times the speed; negative backwards.
            loop: frames played round and round.
        """
        if self._times is None:
            due = start - loop.start + int(np.floor(seconds * float(self.rate) + ROUNDING_S))
            return loop.start + due % len(loop)
        first = float(self._times[loop.start])
        more = loop.stop < len(self._times)
        end = float(self._times[loop.stop]) if more else float(self._times[loop.stop - 1] + 1 / self.rate)
        time = first + (float(self._times[start]) - first + seconds) % (end - first)
        place = int(np.searchsorted(self._times, time + ROUNDING_S, side="right")) - 1
        return min(max(place, loop.start), loop.stop - 1)
