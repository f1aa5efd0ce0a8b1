"""What is kept of every frame of a stretch while lines are looked for in it."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np

from grevin.core.motion.flow import Flow
from grevin.core.picture.colour import Rgb
from grevin.core.steps.scratch.responses import Map, Responses, bands_of, channels_of, columns_of, responses_of

CELL_PX = 16  # of the grid on which motion is told


@dataclass(frozen=True, eq=False)
class Sight:
    """One frame.

    Attributes:
        channels: brightness, blue and green, (H/ROWS, W) each, 0..255.
        bright, dark: what looks like a line.
        columns: brightness, (H, W/ROWS), 0..255: for what lies across.
        moves: (B, W/CELL_PX) px to the right that the picture moves to the next frame; zero on the last one.
    """

    channels: list[Map]
    bright: Responses
    dark: Responses
    columns: Map
    moves: Map

    def of(self, dark: bool) -> Responses:
        """Of one polarity."""
        return self.dark if dark else self.bright


def sight_of(rgb: Rgb, flow: Flow | None) -> Sight:
    """A frame, (H, W, 3) float32 R'G'B' 0..1, with its flow to the next one."""
    channels = channels_of(rgb)
    bright, dark = responses_of(channels)
    height, width = rgb.shape[:2]
    size = max(1, width // CELL_PX), max(1, bands_of(height))
    moves = np.zeros((size[1], size[0]), np.float32)
    if flow is not None:
        moves = np.asarray(cv2.resize(flow[..., 0], size, interpolation=cv2.INTER_AREA), np.float32)
        moves *= np.float32(width / flow.shape[1])
    even = np.asarray(cv2.medianBlur(moves, 3), np.float32) if min(size) >= 3 else moves
    return Sight(channels, bright, dark, columns_of(rgb), even)
