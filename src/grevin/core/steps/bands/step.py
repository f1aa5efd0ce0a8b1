"""Takes soft bands that roll over the picture: mains light before a camera that takes its rows one after the other.

The band is found as one travelling wave from how rows change between frames, along the motion: its period, its speed,
how it leans, its shape and its colour, stretch by stretch of a shot. It is taken out as light, and only where the wave
explains what rows do well enough; the figure is told. Material without a band comes out bit for bit.
"""

from __future__ import annotations

from typing import Any, ClassVar

import cv2
import numpy as np
import numpy.typing as npt

from grevin.core.measure.lighting.pairs import SmallPicture, small_picture
from grevin.core.picture.colour import from_rgb
from grevin.core.picture.frame import Frame
from grevin.core.progress import Progress
from grevin.core.steps.bands.settings import BandsSettings
from grevin.core.steps.bands.study import light_at, measured, studied
from grevin.core.steps.base import Family, LearnsFrom, Stage
from grevin.core.steps.charting import LEFT_ALONE, Chart, Line
from grevin.core.steps.proposing import ShotFacts, Suggestion
from grevin.core.steps.seen import Arrays, Shotwise, Window
from grevin.core.steps.settings import Settings

Plane = npt.NDArray[np.float32]

GRID = (17, 192)  # columns and rows at which the band is worked out: it is soft
BLACK = 16.0  # code value of black in limited range, 8 bit: BT.601-7, table 3
LEAST_CHANGE = 0.001  # of light: a frame that would change by less is left bit for bit


class BandsStep:
    """See the module."""

    id: ClassVar[str] = "bands"
    label: ClassVar[str] = "Rolling bands"
    fault: ClassVar[str] = "A soft dark band rolls up or down through the picture"
    version: ClassVar[int] = 4
    family: ClassVar[Family] = "whole"
    stage: ClassVar[Stage] = "light"
    settings_model: ClassVar[type[Settings]] = BandsSettings
    works_on_fields: ClassVar[bool] = True
    learns_from: ClassVar[LearnsFrom] = "fields"  # the band rolls on from field to field

    def reach(self, settings: BandsSettings) -> int:
        """The shot is learned; a frame itself needs no other."""
        return 0

    def learn(self, shot: Shotwise, settings: BandsSettings, progress: Progress) -> Arrays:
        """The bands of a shot."""
        frames = shot.frames

        def small(number: int) -> SmallPicture:
            return small_picture(shot.window(number).frame(), shot.seen(number))

        rows = shot.kept("rows", lambda: measured(frames, small, progress))
        return studied(len(frames), rows, settings, frames.start) | {"per_frame": np.array([shot.per_frame])}

    def render(self, window: Window, settings: BandsSettings) -> Frame:
        """The frame without the band."""
        frame, study = window.frame(), window.study()
        light = -settings.strength * light_at(study, window.moment - int(study["first"][0]), GRID)
        if float(np.abs(light).max()) < LEAST_CHANGE:
            return frame
        gains = [_wide(np.exp(one), frame) for one in (light if bool(study["each"][0]) else [light.mean(axis=0)])]
        if len(gains) > 1 or frame.format.model != "yuv":
            return from_rgb(frame, np.asarray(window.rgb() * np.stack(gains * (3 // len(gains)), axis=-1), np.float32))
        return _in_light(frame, gains[0])

    def chart(self, study: Arrays) -> Chart | None:
        """How much of what rows do a band explains, and how deep it is, over the frames."""
        if not len(study["stretches"]):
            return None
        frames = int(study["stretches"][-1][1])
        explained = np.full(frames, np.nan, np.float32)
        depth = np.zeros(frames, np.float32)
        for (start, stop), (_, _, _, share, deep), acts in zip(
            study["stretches"], study["bands"], study["acts"], strict=True
        ):
            explained[start:stop] = 100.0 * share
            depth[start:stop] = 100.0 * deep if acts else 0.0
        lines = (Line("explained by a band", explained), Line("depth of the band that is taken", depth, measured=False))
        return Chart("what rows do, and the band", "%", lines, per_frame=int(study["per_frame"][0]))

    def propose(self, facts: ShotFacts) -> Suggestion | None:
        """Where the survey found a band."""
        if "bands" not in facts.found:
            return None
        percent = facts.figures["bands"]["rows_percent"]
        return Suggestion("bands", f"the light of rows changes by {percent:.1f} % from frame to frame, columns do not")

    def tell(self, study: Arrays, rate: float) -> tuple[str, ...]:
        """What was found in a shot, in words."""
        explained = 100 * float(study["explained"][0])
        if not study["acts"].any():
            best = f"the best one explains {explained:.0f} % of what rows do"
            still = " and does not come round" if study["stands"][0] else ""
            return (f"No band in this shot: {best}{still}.", LEFT_ALONE)
        period, phase, slant, _, depth = np.median(study["bands"][study["acts"]], axis=0)
        phase *= int(study["per_frame"][0])  # of a frame
        way = "down" if phase > 0 else "up"
        lean = f", leaning by {slant:.2f} rows a column" if abs(slant) > 0.05 else ""
        times = f" ({abs(phase) * rate:.3g} times a second)" if rate else ""
        speed = 100 * abs(phase) * period
        return (
            f"A band every {100 * period:.0f} % of the picture's height rolls {way} by {speed:.1f} % a frame{times}, "
            f"{100 * depth:.0f} % deep{lean}; it explains {explained:.0f} % of what rows do.",
        )


def _wide(gain: npt.NDArray[np.float64], frame: Frame) -> Plane:
    size = (frame.format.width, frame.format.height)
    return np.asarray(cv2.resize(gain.astype(np.float32), size, interpolation=cv2.INTER_CUBIC), np.float32)


def _in_light(frame: Frame, gain: Plane) -> Frame:
    """Luma over black and chroma over grey, times a gain: the same gain of red, green and blue."""
    fmt = frame.format
    scale = float(1 << (fmt.bit_depth - 8))
    black = 0.0 if fmt.full_range else BLACK * scale
    middle = 128.0 * scale
    planes: list[npt.NDArray[Any]] = []
    for place, plane in enumerate(frame.planes):
        if place > 2:
            planes.append(plane)
            continue
        own = gain if place == 0 else cv2.resize(gain, plane.shape[::-1], interpolation=cv2.INTER_AREA)
        zero = np.float32(black if place == 0 else middle)
        planes.append(np.clip((plane.astype(np.float32) - zero) * own + zero, 0.0, fmt.max_code))
    return frame.with_planes(tuple(planes))
