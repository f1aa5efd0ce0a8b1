"""Settings of the flicker step."""

from __future__ import annotations

from typing import Literal

from grevin.core.measure.lighting.patches import ACROSS
from grevin.core.steps.settings import Settings, setting


class FlickerSettings(Settings):
    """Settings of the flicker step."""

    where: Literal["as measured", "whole frame", "patches"] = setting(
        "as measured", label="Where it flickers", learned=True,
        help="Patches follow light that changes in one part of the picture; as measured takes them only where they "
        "are found.",
    )  # fmt: skip
    patches_across: int = setting(
        ACROSS, label="Patches across", learned=True, low=6, high=48, rare=True,
        help="Into how many patches the picture is divided from left to right. More follow smaller lights, and are "
        "disturbed more by noise and by what moves.",
    )  # fmt: skip
    smoothing_frames: int = setting(
        0, label="Smoothing time", learned=True, unit="frames", low=0, high=1000, lowest="as the light allows",
        tried=(12, 100),
        help="Over how many frames at most the light is taken for level or evenly changing; never under 9. Fewer "
        "follow the scene's own light more closely and leave more flicker.",
    )  # fmt: skip
    period_frames: int = setting(
        0, label="Period", learned=True, unit="frames", low=0, high=50, lowest="found by itself", rare=True,
        tried=(2, 10),
        help="After how many frames the same change comes again, such as a codec's group of pictures; 1 for none.",
    )  # fmt: skip
    channels: Literal["as measured", "linked", "each"] = setting(
        "as measured", label="Colours", learned=True,
        words={"linked": "one curve for all", "each": "a curve for each"},
        help="Whether red, green and blue are brought to rest by one curve or by one each; as measured takes three "
        "where the colours flicker apart.",
    )  # fmt: skip
    single_frames: Literal["as measured", "taken", "left"] = setting(
        "as measured", label="Single frames", learned=True, rare=True,
        help="Whether single frames that are off, in a shot that is calm besides, are brought to rest; as measured "
        "takes them from three on, and leaves them where all are lighter, as in the light of flashes.",
    )  # fmt: skip
    strength: float = setting(
        1.0, label="Strength", low=0.0, high=1.0, decimals=2, step=0.05,
        help="Share of the measured flicker that is taken; 1 is all of it.",
    )  # fmt: skip
    detail_px: float = setting(
        0.0, label="Detail given back", unit="px", low=0.0, high=60.0, decimals=1, lowest="none", tried=(4, 20),
        help="Structure finer than this stays as it is in the source; only the slow part of the change is applied.",
    )  # fmt: skip
    reference_frames: tuple[int, ...] = setting(
        (), label="Bring to frames", learned=True,
        help="Frames of the shot to whose light all others are brought, numbered as before the step; empty for that "
        "of the frames around each, which keeps the scene's own slow changes.",
    )  # fmt: skip

    def in_pictures(self, per_frame: int) -> FlickerSettings:
        """The same counted in pictures, of which so many go to a frame."""
        if per_frame == 1:
            return self
        return self.model_copy(
            update={
                "smoothing_frames": per_frame * self.smoothing_frames,
                "period_frames": self.period_frames if self.period_frames <= 1 else per_frame * self.period_frames,
                "reference_frames": tuple(per_frame * n + k for n in self.reference_frames for k in range(per_frame)),
            }
        )
