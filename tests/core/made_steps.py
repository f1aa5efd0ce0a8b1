"""Steps made for tests, one of each family, each written as a step of its own folder would be."""

from __future__ import annotations

from dataclasses import replace
from typing import Any, ClassVar

import numpy as np

from grevin.core.picture.colour import from_rgb
from grevin.core.picture.format import PictureFormat
from grevin.core.picture.frame import Frame
from grevin.core.picture.geometry import Geometry
from grevin.core.progress import Progress
from grevin.core.steps.evidence import Blob, Evidence
from grevin.core.steps.seen import Arrays
from grevin.core.steps.settings import Settings, setting
from grevin.core.steps.timing import Timing
from grevin.core.timebase.timeline import Timeline


class Plain(Settings):
    """One setting."""

    gain: float = setting(0.5, label="Gain", help="A factor.", low=0.0, high=4.0, decimals=2)


class Made:
    """What the steps share."""

    version: ClassVar[int] = 1
    settings_model: ClassVar[type[Settings]] = Plain

    def reach(self, settings: Plain) -> int:
        return 1


class Corner(Made):
    """Local: a patch whose place depends on the frame and on the one before, brightened."""

    id: ClassVar[str] = "made_corner"
    label: ClassVar[str] = "Corner"
    family: ClassVar[str] = "local"
    stage: ClassVar[str] = "surface"

    def find(self, window: Any, settings: Plain) -> Evidence:
        luma = window.luma8(-1 if window.has(-1) else 0)
        x = int(luma[::7, ::7].sum()) % (luma.shape[1] - 20)
        area = (x, 10, 16, 12)
        mask = np.zeros(luma.shape, np.bool_)
        mask[10:22, x : x + 16] = True
        return Evidence(mask, blobs=(Blob(area, 192, 10.0, 0.9),))

    def mend(self, window: Any, evidence: Evidence, settings: Plain) -> Any:
        return window.rgb() + np.float32(0.1)


class Level(Made):
    """Whole: learns the mean of the shot and brings every picture some way towards it."""

    id: ClassVar[str] = "made_level"
    label: ClassVar[str] = "Level"
    family: ClassVar[str] = "whole"
    stage: ClassVar[str] = "light"

    def __init__(self) -> None:
        self.learned: list[range] = []

    def learn(self, shot: Any, settings: Plain, progress: Progress) -> Arrays:
        self.learned.append(shot.frames)
        progress.begin(len(shot.frames), "Learning the level")
        means = []
        for number in shot.frames:
            means.append(shot.window(number).luma8().mean())
            progress.advance()
        return {"mean": np.array([np.mean(means)])}

    def render(self, window: Any, settings: Plain) -> Frame:
        wanted, frame = float(window.study()["mean"][0]), window.frame()
        away = settings.gain * (wanted - float(window.luma8().mean())) / 219.0
        return frame if abs(away) < 1e-9 else from_rgb(frame, window.rgb() + np.float32(away))


class Sparse(Made):
    """Time: every frame but each third; made anew from both sides where the number can be divided by five."""

    id: ClassVar[str] = "made_sparse"
    label: ClassVar[str] = "Sparse"
    family: ClassVar[str] = "time"
    stage: ClassVar[str] = "time"

    def study(self, reel: Any, settings: Plain, progress: Progress) -> Timing:
        sources = np.array([n for n in range(len(reel)) if n % 3 != 2], np.int64)
        return Timing(Timeline(len(reel), reel.format.rate, sources, sources % 5 == 4))

    def make(self, window: Any, timing: Timing, number: int, settings: Plain) -> Frame:
        sides = [window.rgb(offset) for offset in (-1, 1) if window.has(offset)] or [window.rgb()]
        return from_rgb(window.frame(), np.mean(sides, axis=0, dtype=np.float32)).rounded()


class Narrow(Made):
    """Shape: the left part of the picture, farther in with every frame of the reel."""

    id: ClassVar[str] = "made_narrow"
    label: ClassVar[str] = "Narrow"
    family: ClassVar[str] = "shape"
    stage: ClassVar[str] = "frame"

    def new_format(self, fmt: PictureFormat, settings: Plain) -> PictureFormat:
        return replace(fmt, width=fmt.width - 16)

    def geometry(self, fmt: PictureFormat, number: int, settings: Plain) -> Geometry:
        return Geometry(np.array([[1.0, 0.0, 2 * (number % 8)], [0.0, 1.0, 0.0]]))

    def reshape(self, window: Any, number: int, settings: Plain) -> Frame:
        frame, left = window.frame(), 2 * (number % 8)
        fmt = self.new_format(frame.format, settings)
        across = fmt.chroma_ratio[0]
        planes = []
        for place, (plane, shape) in enumerate(zip(frame.planes, fmt.plane_shapes(), strict=True)):
            first = left // across if place in {1, 2} else left
            planes.append(plane[:, first : first + shape[1]].copy())
        return Frame(frame.number, fmt, tuple(planes), "everything")
