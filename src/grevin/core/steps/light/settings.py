"""Settings of light by hand."""

from __future__ import annotations

from grevin.core.steps.settings import Settings, setting


class LightSettings(Settings):
    """Settings of light by hand; as they are, nothing changes."""

    exposure_stops: float = setting(
        0.0, label="Exposure", unit="stops", low=-3.0, high=3.0, decimals=2, step=0.05,
        help="One stop more doubles the light of the scene.",
    )  # fmt: skip
    contrast_pct: float = setting(
        100.0, label="Contrast", unit="%", low=20.0, high=250.0, decimals=0, step=5.0,
        help="Distance of all levels from middle grey, which keeps its level; 100 % is as it was.",
    )  # fmt: skip
    shadows_levels: float = setting(
        0.0, label="Shadows", unit="levels", low=-25.0, high=25.0, decimals=1, step=1.0,
        help="By how many levels of 255 the dark quarter goes up or down; black and white stay.",
    )  # fmt: skip
    highlights_levels: float = setting(
        0.0, label="Highlights", unit="levels", low=-25.0, high=25.0, decimals=1, step=1.0,
        help="By how many levels of 255 the bright quarter goes up or down; black and white stay.",
    )  # fmt: skip
    saturation_pct: float = setting(
        100.0, label="Saturation", unit="%", low=0.0, high=300.0, decimals=0, step=5.0,
        help="Distance of colours from grey of their luma; 100 % is as it was.",
    )  # fmt: skip
