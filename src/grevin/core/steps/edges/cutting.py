"""The ways of edges that change the picture's shape: trimmed and slightly enlarged, or cropped."""

from __future__ import annotations

from dataclasses import replace
from typing import ClassVar

import numpy as np

from grevin.core.errors import SettingsError
from grevin.core.picture.format import PictureFormat
from grevin.core.picture.frame import Frame
from grevin.core.picture.geometry import Geometry
from grevin.core.picture.sampling import Map, sampled
from grevin.core.steps.base import Family, Stage
from grevin.core.steps.edges.filling import Sides
from grevin.core.steps.edges.settings import FOUND, EdgesSettings
from grevin.core.steps.seen import Window
from grevin.core.steps.settings import Settings

TRIMMED = 0.015  # of each side where nothing is said: 3 % in all, enlarged to 103 % (common practice, no source)
LEAST_PX = 16  # that have to be left of a picture


class CuttingEdges:
    """The step `edges` where it makes the picture smaller, or another part of it fills the frame."""

    id: ClassVar[str] = "edges"
    label: ClassVar[str] = "Edges"
    fault: ClassVar[str] = "Borders are black, ragged or dotted"
    version: ClassVar[int] = 1
    family: ClassVar[Family] = "shape"
    stage: ClassVar[Stage] = "frame"
    settings_model: ClassVar[type[Settings]] = EdgesSettings

    def reach(self, settings: EdgesSettings) -> int:
        """Looks at no other frame."""
        return 0

    def new_format(self, fmt: PictureFormat, settings: EdgesSettings) -> PictureFormat:
        """The format of the output; the picture's own where next to nothing would be left of it."""
        kept = kept_of(fmt, settings)
        if settings.way == "enlarge" or _is_small(kept):
            return fmt
        return replace(fmt, width=kept.right - kept.left, height=kept.bottom - kept.top)

    def geometry(self, fmt: PictureFormat, number: int, settings: EdgesSettings) -> Geometry:
        """Where what is kept lies in the picture."""
        kept = kept_of(fmt, settings)
        if _is_small(kept):
            return Geometry(np.eye(2, 3))
        if settings.way == "crop":
            return Geometry(np.array([[1.0, 0.0, kept.left], [0.0, 1.0, kept.top]]))
        return Geometry(_enlarging(fmt, kept))

    def reshape(self, window: Window, number: int, settings: EdgesSettings) -> Frame:
        """What is kept: enlarged to the frame's size, or its samples as they are.

        Raises:
            SettingsError: if next to nothing would be left.
        """
        frame, kept = window.frame(), kept_of(window.format, settings)
        fmt = frame.format
        if _is_small(kept):
            left = max(0, kept.right - kept.left), max(0, kept.bottom - kept.top)
            raise SettingsError(
                f"The borders leave {left[0]} x {left[1]} of {fmt.width} x {fmt.height} px.", "Trim less."
            )
        if kept == Sides(0, 0, fmt.width, fmt.height):
            return frame
        if settings.way == "enlarge":
            return sampled(frame, fmt, self.geometry(fmt, number, settings).back)
        new = self.new_format(fmt, settings)
        across, down = fmt.chroma_ratio
        places = (((kept.left, kept.top) if full == fmt.plane_shapes()[0] else (kept.left // across, kept.top // down))
                  for full in fmt.plane_shapes())  # fmt: skip
        planes = tuple(
            np.ascontiguousarray(plane[y : y + height, x : x + width])
            for plane, (x, y), (height, width) in zip(frame.planes, places, new.plane_shapes(), strict=True)
        )
        return Frame(frame.number, new, planes, "everything")


def kept_of(fmt: PictureFormat, settings: EdgesSettings) -> Sides:
    """What is kept of a picture: whole samples of colour, and whole pairs of lines of both fields."""
    asked = (settings.left_px, settings.right_px, settings.top_lines, settings.bottom_lines)
    sizes = (fmt.width, fmt.width, fmt.height, fmt.height)
    cut = [round(TRIMMED * size) if one == FOUND else one for one, size in zip(asked, sizes, strict=True)]
    if settings.way == "crop":
        across, down = fmt.chroma_ratio
        lines = 2 * down if fmt.has_fields else down
        cut = [-(-one // part) * part for one, part in zip(cut, (across, across, lines, lines), strict=True)]
    left, right, top, bottom = cut
    return Sides(left, top, fmt.width - right, fmt.height - bottom)


def _is_small(kept: Sides) -> bool:
    return kept.right - kept.left < LEAST_PX or kept.bottom - kept.top < LEAST_PX


def _enlarging(fmt: PictureFormat, kept: Sides) -> Map:
    """The largest part of the frame's own shape inside what is kept, brought to the frame's size."""
    width, height = kept.right - kept.left, kept.bottom - kept.top
    scale = min(width / fmt.width, height / fmt.height)
    middle = np.array([(kept.left + kept.right - 1) / 2, (kept.top + kept.bottom - 1) / 2])
    corner = middle - scale * np.array([fmt.width - 1, fmt.height - 1]) / 2
    return np.array([[scale, 0.0, corner[0]], [0.0, scale, corner[1]]])
