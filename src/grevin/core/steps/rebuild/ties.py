"""Tie lines: lines that a person draws over the same thing on two or more frames, where motion is not found rightly.

Between the frames on which it was drawn a tie line goes straight. Around it the motion follows the line, fading out
with distance: the field of several lines is a weighted mean of them (as in Beier and Neely 1992, from memory).
"""

from __future__ import annotations

from bisect import bisect_right

import numpy as np
import numpy.typing as npt
from pydantic import BaseModel, ConfigDict, Field, field_validator

from grevin.core.motion.flow import Flow

Line = tuple[float, float, float, float]  # x and y of one end, x and y of the other, in pixels
Share = npt.NDArray[np.float32]

FAR_PX = 1e5  # no picture reaches so far
NEAR_PX = 1.0  # keeps the weight of a line finite on the line itself


class TieKey(BaseModel):
    """A line as drawn on one frame.

    Attributes:
        frame: of the reel.
        line: (x, y, x, y) of its ends, in pixels; it may reach over the picture's edge.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")

    frame: int = Field(ge=0)
    line: Line

    @field_validator("line")
    @classmethod
    def _in_reach(cls, line: Line) -> Line:
        if not all(abs(value) < FAR_PX for value in line):
            raise ValueError("a tie line ends far outside the picture")
        return line


class TieLine(BaseModel):
    """The same thing on two or more frames.

    Attributes:
        keys: in the order of frames; with one only it does not pull yet.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")

    keys: tuple[TieKey, ...] = Field(min_length=1)

    @field_validator("keys")
    @classmethod
    def _sorted(cls, keys: tuple[TieKey, ...]) -> tuple[TieKey, ...]:
        return tuple({key.frame: key for key in sorted(keys, key=lambda key: key.frame)}.values())

    def at(self, time: float) -> Line | None:
        """Where it lies at a moment, in frames; None before it was first drawn and after the last."""
        frames = [key.frame for key in self.keys]
        if not frames[0] <= time <= frames[-1]:
            return None
        place = min(bisect_right(frames, time), len(frames) - 1)
        last, next_ = self.keys[max(0, place - 1)], self.keys[place]
        span = next_.frame - last.frame
        share = (time - last.frame) / span if span else 0.0
        return tuple(a + share * (b - a) for a, b in zip(last.line, next_.line, strict=True))  # type: ignore[return-value]

    def with_key(self, frame: int, line: Line) -> TieLine:
        """The tie with its line on one more frame, or another one there."""
        others = tuple(key for key in self.keys if key.frame != frame)
        return TieLine(keys=(*others, TieKey(frame=frame, line=line)))

    @property
    def words(self) -> str:
        """What it says, for people."""
        frames = ", ".join(str(key.frame) for key in self.keys)
        return f"frames {frames}" if len(self.keys) > 1 else f"frame {frames} alone"


def tied(
    way: Flow, ties: tuple[TieLine, ...], here: float, there: float, reach_px: float
) -> tuple[Flow, Share | None]:  # fmt: skip
    """Ways of pixels from one moment to another, pulled by the tie lines that lie on both.

    Args:
        way: (H, W, 2) float32 pixels, as it was found.
        ties: the lines.
        here: moment in frames that the ways begin at.
        there: moment that they lead to.
        reach_px: distance up to which a line pulls in full; over as much again its pull fades out.

    Returns:
        (H, W, 2) float32, and (H, W) float32 0..1, how much of it is the lines'; None without lines.
    """
    pairs = [(tie.at(here), tie.at(there)) for tie in ties]
    acting = [(a, b) for a, b in pairs if a is not None and b is not None]
    if not acting:
        return way, None
    total = np.zeros((*way.shape[:2], 2), np.float32)
    weights, pull = np.zeros(way.shape[:2], np.float32), np.zeros(way.shape[:2], np.float32)
    for begin, end in acting:
        along, distance = _beside(begin, way.shape[0], way.shape[1])
        ends = np.asarray(end, np.float32) - np.asarray(begin, np.float32)
        led = ends[:2] + along[..., None] * (ends[2:] - ends[:2])
        weight = np.square(1.0 / (NEAR_PX + distance)).astype(np.float32)
        total += weight[..., None] * led
        weights += weight
        pull = np.maximum(pull, np.clip(2.0 - distance / np.float32(reach_px), 0, 1))
    lines = total / weights[..., None]
    return np.asarray(way + pull[..., None] * (lines - way), np.float32), pull


def _beside(line: Line, height: int, width: int) -> tuple[Share, Share]:
    """For each pixel where along a line it lies (0..1, the nearest place) and how far from it, in pixels."""
    rows, columns = np.indices((height, width), dtype=np.float32)
    x, y, other_x, other_y = line
    dx, dy = other_x - x, other_y - y
    length = dx * dx + dy * dy
    across, down = columns - np.float32(x), rows - np.float32(y)
    along = np.clip((across * dx + down * dy) / max(length, 1e-6), 0, 1) if length > 0 else np.zeros_like(across)
    distance = np.hypot(across - along * dx, down - along * dy)
    return np.asarray(along, np.float32), np.asarray(distance, np.float32)
