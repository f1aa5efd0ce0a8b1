"""How far frames lie apart in changes of the noise, which some cameras let stand for several frames."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from grevin.core.steps.noise.settings import NoiseSettings
from grevin.core.steps.seen import Arrays, Window

MOST_HELD = 3  # frames for which noise may stand so that the reach still spans as many changes of it
QUICK_REACH = 2  # frames


class Holds:
    """The changes of the noise as a frame sees them."""

    def __init__(self, window: Window, study: Arrays) -> None:
        """Prepare.

        Args:
            window: on the frame.
            study: of its shot: `renewed`, and `first`, the number of its first frame.
        """
        self._place = window.number - int(study["first"])
        self._count: npt.NDArray[np.int64] = np.cumsum(study["renewed"])

    def of(self, offset: int) -> int:
        """By how many changes of the noise another frame of the shot is away; 0 where it shows the same."""
        return int(self._count[self._place + offset] - self._count[self._place])

    def reach(self, settings: NoiseSettings) -> int:
        """Frames a side that span as many changes of the noise as are asked for, as far as the step may look."""
        usual = -(-len(self._count) // int(self._count[-1]))
        return min(frames_of(settings), changes_of(settings) * usual)


def frames_of(settings: NoiseSettings) -> int:
    """Frames a side that the step may look at, whatever it finds."""
    return changes_of(settings) * (settings.renews_every_frames or MOST_HELD)


def changes_of(settings: NoiseSettings) -> int:
    """Changes of the noise a side that are averaged."""
    return min(settings.reach_frames, QUICK_REACH) if settings.quick else settings.reach_frames
