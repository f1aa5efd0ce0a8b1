"""Sets light right by hand: exposure, contrast, shadows, highlights and saturation, inside soft regions over time.

For a band, a reflection or a shadow that no measure takes whole: draw a region over it, give it a feather and key
frames, and change the numbers until it is gone. A second card works inside what the first one made. As long as nothing
is set, and outside the regions, every sample stays the source's own.
"""

from __future__ import annotations

from typing import ClassVar

import numpy as np
import numpy.typing as npt

from grevin.core.picture.colour import Rgb, from_rgb, luma_weights
from grevin.core.picture.frame import Frame
from grevin.core.picture.transfer import decode_linear, encode_linear
from grevin.core.steps.base import Family, Stage
from grevin.core.steps.light.settings import LightSettings
from grevin.core.steps.seen import Window
from grevin.core.steps.settings import Settings

Values = npt.NDArray[np.float32]

MIDDLE_GREY = 0.18  # of white, in linear light: what contrast turns about (common practice, no source)
LOWEST, HIGHEST, STEPS = -0.25, 1.5, 4096  # of the table that levels are looked up in; beyond it goes on evenly
QUARTER, MOST = 0.25, 0.10546875  # where v (1 - v)^3 is highest, and that value


class LightStep:
    """See the module."""

    id: ClassVar[str] = "light"
    label: ClassVar[str] = "Light by hand"
    fault: ClassVar[str] = "A band, a shadow or a reflection that has to be set right by hand"
    version: ClassVar[int] = 1
    family: ClassVar[Family] = "whole"
    stage: ClassVar[Stage] = "light"
    settings_model: ClassVar[type[Settings]] = LightSettings

    def reach(self, settings: LightSettings) -> int:
        """Looks at no other frame."""
        return 0

    def render(self, window: Window, settings: LightSettings) -> Frame:
        """The frame in other light; itself where nothing is set."""
        if settings == LightSettings():
            return window.frame()
        return from_rgb(window.frame(), in_light(window.rgb(), settings, window.format.matrix))


def in_light(rgb: Rgb, settings: LightSettings, matrix: str) -> Rgb:
    """(H, W, 3) float32 R'G'B' in other light.

    Args:
        rgb: (H, W, 3) float32 R'G'B', nominal 0..1.
        settings: what is set.
        matrix: of the format, which says what luma is.
    """
    grid = np.linspace(LOWEST, HIGHEST, STEPS, dtype=np.float32)
    table = toned(grid, settings)
    ends = np.clip(rgb, LOWEST, HIGHEST)
    place = (ends - np.float32(LOWEST)) * np.float32((STEPS - 1) / (HIGHEST - LOWEST))
    below = np.minimum(place.astype(np.int32), STEPS - 2)
    made = table[below] + (place - below) * (table[below + 1] - table[below]) + (rgb - ends)
    if settings.saturation_pct != 100.0:
        grey = (made @ luma_weights(matrix).astype(np.float32))[..., None]
        made = grey + np.float32(settings.saturation_pct / 100.0) * (made - grey)
    return np.asarray(made, np.float32)


def toned(values: Values, settings: LightSettings) -> Values:
    """Levels, any shape, in other light; brighter stays brighter, whatever is set."""
    light = decode_linear(values) * np.float32(2.0**settings.exposure_stops)
    grey = encode_linear(np.array([MIDDLE_GREY], np.float32))[0]
    made = grey + (encode_linear(light) - grey) * np.float32(settings.contrast_pct / 100.0)
    made = made + np.float32(settings.shadows_levels / 255.0) * _hill(made)
    return np.asarray(made + np.float32(settings.highlights_levels / 255.0) * _hill(1.0 - made), np.float32)


def _hill(values: Values) -> Values:
    """1 at a quarter, 0 at black and white and beyond: its slope is such that 25 levels keep the order of levels."""
    inside = np.clip(values, 0.0, 1.0)
    return np.asarray(inside * (1.0 - inside) ** 3 / MOST, np.float32)
