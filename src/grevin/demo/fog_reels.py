"""Port Ellery in the morning fog: a soft picture of eight bits without noise, whose sky lies in steps."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from grevin.core.picture.frame import Frame
from grevin.demo.time_reels import HARBOUR, PAL, TimeReel, as_frame, painted

Rgb = npt.NDArray[np.float32]

LENGTH = 48
CLEARS = 0.45, 0.85  # of the height, between which the fog thins out
THINNEST = 0.55  # share of the fog at the bottom
FOG, SUN = (0.36, 0.38, 0.42), (0.07, 0.06, 0.03)  # R'G'B' of both; the sun's on top
FALLS = 0.06  # of the fog's light, from the top to the bottom
SUN_AT, SUN_SIZE, SUN_RISES = (0.62, 0.3), 0.33, 0.0008  # of the width; of the height a frame


def fog(number: int) -> Rgb:
    """(H, W, 3) float32 0..1: the harbour in fog, before it was rounded."""
    down, across = np.mgrid[0 : PAL.height, 0 : PAL.width].astype(np.float32)
    down, across = down / PAL.height, across / PAL.width
    share = 1 - (1 - THINNEST) * _soft((down - CLEARS[0]) / (CLEARS[1] - CLEARS[0]))
    away = np.hypot(across - SUN_AT[0], (down - SUN_AT[1] + SUN_RISES * number) * PAL.height / PAL.width) / SUN_SIZE
    light = np.array(FOG, np.float32) - np.float32(FALLS) * down[..., None]
    light = light + np.array(SUN, np.float32) * np.exp(-np.square(away))[..., None]
    return np.asarray(share[..., None] * light + (1 - share[..., None]) * painted(HARBOUR, number, PAL), np.float32)


def _soft(share: npt.NDArray[np.float32]) -> npt.NDArray[np.float32]:
    """0 to 1 with even ends."""
    held = np.clip(share, 0, 1)
    return np.asarray(held * held * (3 - 2 * held), np.float32)


def _rounded(number: int) -> Frame:
    return as_frame(number, fog(number), PAL)


def fog_reels() -> tuple[TimeReel, ...]:
    """All of them."""
    return (TimeReel("harbour-in-fog", PAL, LENGTH, _rounded, {"bits": 8, "noise": 0}),)
