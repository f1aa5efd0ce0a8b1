"""Settings of colour shift."""

from __future__ import annotations

from typing import Literal

from grevin.core.steps.settings import Settings, setting

LEAST_SAMPLES = 1.0  # of colour, from which it is brought back: open clips whose colour is right reach .73


class ChromaSettings(Settings):
    """From where colour is brought back, and how far it ran out."""

    acts: Literal["found", "given"] = setting(
        "found", label="Shift", words={"found": "as found", "given": "as given"},
        help="How far colour lies beside its edges: found for each shot, or given in numbers.",
    )  # fmt: skip
    right_px: float = setting(
        0.0, label="To the right", unit="px", low=-32.0, high=32.0, decimals=2, step=0.25, when={"acts": "given"},
        help="By how many pixels colour lies too far to the right; below 0 to the left.",
    )  # fmt: skip
    down_lines: float = setting(
        0.0, label="Down", unit="lines", low=-32.0, high=32.0, decimals=2, step=0.25, when={"acts": "given"},
        help="By how many lines, of a field where there are fields, colour lies too low; below 0 too high.",
    )  # fmt: skip
    least_samples: float = setting(
        LEAST_SAMPLES, label="From", unit="samples", low=0.25, high=4.0, decimals=2, step=0.05, rare=True,
        when={"acts": "found"},
        help="Samples of colour from which a shift that was found is taken back. Pictures whose colour is right show "
        "up to .7.",
    )  # fmt: skip
    lines: Literal["found", "leave"] = setting(
        "found", label="Each line", words={"found": "as found", "leave": "as all"}, rare=True, when={"acts": "found"},
        help="Where how far colour lies to the right changes down the picture, the same on all frames of a shot, each "
        "line is brought back by its own; or all by the same.",
    )  # fmt: skip
    smear: Literal["found", "given", "leave"] = setting(
        "found", label="Run out", words={"found": "as found", "given": "as given", "leave": "left"},
        help="Colour that ran out along the lines is brought back to the edges that brightness shows: as far as the "
        "sharpest edges of colour of a shot tell, as far as given, or not at all.",
    )  # fmt: skip
    smear_px: float = setting(
        12.0, label="Over", unit="px", low=1.0, high=64.0, decimals=1, step=0.5, when={"smear": "given"},
        help="How many pixels an upright edge of colour takes from a tenth to nine tenths of its step.",
    )  # fmt: skip
    smear_strength: float = setting(
        1.0, label="Brought back", low=0.0, high=1.0, decimals=2, step=0.05,
        help="Which part of what ran out is brought back.",
    )  # fmt: skip
