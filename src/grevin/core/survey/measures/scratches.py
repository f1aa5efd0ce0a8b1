"""Line scratches, counted: thin upright lines that stay where they are while the picture moves on.

Made for counting, not for mending: bands of rows are averaged, in which a scratch is a narrow ridge; it counts where
the frames before and behind have it at the same place, and the picture has moved. Where the camera stands nothing can
be told of them so cheaply.
"""

from __future__ import annotations

from typing import ClassVar

import cv2
import numpy as np
import numpy.typing as npt

from grevin.core.motion.flow import Flow
from grevin.core.survey.measures.base import BANDS, Depth, Series, Sight

FLANKS_PX = (3, 6)  # from the middle of a ridge: for narrow scratches, and for wide ones
WANDER_PX = 2  # from frame to frame, or from band to band
MOVED_PX = 2.0  # by which the picture has to move aside in a band
LEAST_LEVELS = 2.0  # of a ridge
TIMES_NOISE = 4.0  # of what else the band holds: median deviation
GOES = 0.5  # of a ridge: so much of it found again where the picture went, and it is part of that
FEWEST_BANDS = 3  # one above the other
FEWEST_TOLD = 4  # bands, for a frame to be told at all

Ridges = npt.NDArray[np.float32]


class Scratches:
    """Length of the scratches of a frame."""

    series: ClassVar[tuple[Series, ...]] = (
        Series("scratch_length", "picture heights", "length of all scratches together"),
    )
    depth: ClassVar[Depth] = "full"

    def of(self, sight: Sight) -> tuple[float, ...]:
        """See `series`."""
        before, after, flow = sight.before, sight.after, sight.motion
        if before is None or after is None or flow is None:
            return (float("nan"),)
        aside = _aside(flow)
        told = np.abs(aside) > MOVED_PX
        if int(told.sum()) < FEWEST_TOLD:
            return (float("nan"),)
        length = 0.0
        for sign in (1.0, -1.0):
            here, last, next_ = (ridges(seen.row_bands, sign) for seen in (sight.here, before, after))
            stays = np.minimum.reduce([here, _near(last), _near(next_)])
            goes = np.minimum(_moved(_near(last), -aside), _moved(_near(next_), aside))
            stays[~told] = 0.0
            stays[goes > stays * GOES] = 0.0
            length += _length(stays)
        return (length * BANDS / int(told.sum()),)


def ridges(bands: Ridges, sign: float) -> Ridges:
    """(BANDS, W) float32 by how much a place of a band stands out to both sides, above the least that counts.

    Args:
        bands: (BANDS, W) means of bands of rows.
        sign: 1 for brighter, -1 for darker.
    """
    means = np.float32(sign) * bands
    most = np.zeros_like(means)
    for far in FLANKS_PX:
        padded = np.pad(means, ((0, 0), (far, far)), mode="edge")
        ridge = means - np.maximum(padded[:, : -2 * far], padded[:, 2 * far :])
        most = np.maximum(most, ridge)
    noise = np.median(np.abs(means[:, 1:] - means[:, :-1]), axis=1, keepdims=True)
    return np.asarray(np.maximum(most - np.maximum(LEAST_LEVELS, TIMES_NOISE * noise), 0.0), np.float32)


def _aside(flow: Flow) -> npt.NDArray[np.float32]:
    """(BANDS,) px to the right by which the picture goes back to the frame before; the flow is of the half picture."""
    parts = np.array_split(flow[::4, ::4], BANDS)  # of a low picture some are empty
    return np.array([2 * np.median(part[..., 0]) if part.size else 0.0 for part in parts], np.float32)


def _near(one: Ridges) -> Ridges:
    """The strongest ridge near each place."""
    return np.asarray(cv2.dilate(one, np.ones((1, 2 * WANDER_PX + 1))), np.float32)


def _moved(one: Ridges, aside: npt.NDArray[np.float32]) -> Ridges:
    """Every band moved to the right."""
    return np.stack([np.roll(row, round(float(by))) for row, by in zip(one, aside, strict=True)])


def _length(stays: Ridges) -> float:
    """Picture heights of the ridges that go on over several bands."""
    lines = (stays > 0).astype(np.uint8)
    peaks = lines & (stays >= cv2.dilate(stays, np.ones((1, 2 * WANDER_PX + 3))))
    wide = cv2.dilate(peaks.astype(np.uint8), np.ones((1, 2 * WANDER_PX + 1)))
    _, _, stats, _ = cv2.connectedComponentsWithStats(wide)
    heights = stats[1:, cv2.CC_STAT_HEIGHT]
    return float(heights[heights >= FEWEST_BANDS].sum()) / BANDS
