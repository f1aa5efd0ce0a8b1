"""Flicker of a shot that fades in and out, in the suite `light`: what is left between its fades.

The pictures flicker, and the fades are made of them in the edit; so they flicker less and less in them, and what is
left there is not counted here.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from grevin.core.picture.colour import from_rgb, to_rgb
from grevin.core.picture.frame import Frame
from grevin.core.quality.damage.light import FlickerDamage

BLACK, WHITE = np.float32(0.0), np.float32(1.0)
KINDS = (("between fades of black", BLACK), ("between fades of white", WHITE))
SHORTEST, LONGEST = 6, 14  # frames of a fade
BEYOND = 2  # frames at the ends that show nothing


def hurt_between_fades(
    clean: list[Frame], ground: np.float32, seed: int, treated: Callable[[list[Frame]], list[Frame]]
) -> tuple[list[Frame], list[Frame], list[Frame]]:
    """Frames as they should be, as they flicker, and as they come out, of those that are wholly shown.

    Args:
        clean: a shot.
        ground: R'G'B' of what it fades into.
        seed: of the flicker, and of how long the fades are.
        treated: what mends it.
    """
    damage = FlickerDamage(seed, "random")
    shown = _shown(len(clean), seed)
    truth, hurt = _faded(clean, shown, ground), _faded([damage.add(frame)[0] for frame in clean], shown, ground)
    whole = np.flatnonzero(shown == 1.0)
    inside = slice(int(whole[0]), int(whole[-1]) + 1)
    return truth[inside], hurt[inside], treated(hurt)[inside]


def _shown(length: int, seed: int) -> np.ndarray:
    """(T,) float32 share of each frame that is shown."""
    into, out = np.random.default_rng((seed, 7)).integers(SHORTEST, LONGEST + 1, 2)
    frames = np.arange(length)
    shown = np.minimum((frames - BEYOND + 1) / into, (length - BEYOND - frames) / out)
    return np.asarray(np.clip(shown, 0.0, 1.0), np.float32)


def _faded(frames: list[Frame], shown: np.ndarray, ground: np.float32) -> list[Frame]:
    return [
        frame if share == 1.0 else from_rgb(frame, ground + share * (to_rgb(frame) - ground)).rounded()
        for frame, share in zip(frames, shown, strict=True)
    ]
