"""Side fill: a 4:3 picture in a 16:9 frame, with its own enlarged, blurred and darkened copy at the sides.

The frame is as high as the picture and has square pixels. Where the picture's pixels are square already, the middle is
the source sample for sample; where not, it is brought to square pixels across only, so no lines are touched and no
fields mixed. The sides are made of the same frame alone, so they are as steady as the picture. A picture that is as
wide as 16:9 or wider comes out unchanged.
"""

from __future__ import annotations

from dataclasses import replace
from fractions import Fraction
from typing import ClassVar

import cv2
import numpy as np

from grevin.core.picture.format import PictureFormat
from grevin.core.picture.frame import Frame
from grevin.core.picture.geometry import Geometry
from grevin.core.picture.sampling import FloatPlane, black, plane_by_plane
from grevin.core.steps.base import Family, Stage
from grevin.core.steps.seen import Window
from grevin.core.steps.settings import Settings, setting

WIDE = Fraction(16, 9)
SMALLER = 4  # times: the copy is blurred at a smaller size, where it looks the same


class SidefillSettings(Settings):
    """Settings of the side fill."""

    blur_px: float = setting(
        25.0, label="Blur", unit="px", low=0.0, high=200.0, decimals=1, step=1.0,
        help="Standard deviation of the blur at the sides; 20 to 30 is usual.",
    )  # fmt: skip
    darken_pct: float = setting(
        15.0, label="Darken", unit="%", low=0.0, high=100.0, decimals=1, step=1.0,
        help="By how much the sides are darker than the picture.",
    )  # fmt: skip


class SidefillStep:
    """Fills the sides of a wider frame."""

    id: ClassVar[str] = "sidefill"
    label: ClassVar[str] = "Side fill"
    fault: ClassVar[str] = "A 4:3 picture has to fill a 16:9 frame"
    version: ClassVar[int] = 1
    family: ClassVar[Family] = "shape"
    stage: ClassVar[Stage] = "frame"
    settings_model: ClassVar[type[Settings]] = SidefillSettings

    def reach(self, settings: SidefillSettings) -> int:
        """Looks at no other frame."""
        return 0

    def new_format(self, fmt: PictureFormat, settings: SidefillSettings) -> PictureFormat:
        """16:9 in square pixels; the same where the picture is as wide already."""
        if fmt.width * fmt.pixel_aspect >= WIDE * fmt.height:
            return fmt
        return replace(fmt, width=_even(WIDE * fmt.height), pixel_aspect=Fraction(1))

    def geometry(self, fmt: PictureFormat, number: int, settings: SidefillSettings) -> Geometry:
        """Where the picture lies in its new frame; the sides show nothing of it."""
        new = self.new_format(fmt, settings)
        if new == fmt:
            return Geometry(np.eye(2, 3))
        first, square = _middle(fmt, new)
        scale = fmt.width / square
        return Geometry(np.array([[scale, 0.0, scale * (0.5 - first) - 0.5], [0.0, 1.0, 0.0]]))

    def reshape(self, window: Window, number: int, settings: SidefillSettings) -> Frame:
        """The frame with its sides."""
        frame, fmt = window.frame(), self.new_format(window.format, settings)
        if fmt == window.format:
            return frame
        across = fmt.chroma_ratio[0]
        first, square = _middle(window.format, fmt)
        dark, lit = black(fmt), 1 - settings.darken_pct / 100

        def make(plane: FloatPlane, place: int) -> FloatPlane:
            subsampled = fmt.model == "yuv" and place in {1, 2}
            parts = across if subsampled else 1
            middle = _of_width(plane, square // parts)
            wide = _copy(plane, -(-fmt.width // parts), settings.blur_px / parts, fmt.width / square)
            if not (fmt.alpha and place == len(frame.planes) - 1):
                wide = (wide - np.float32(dark[place])) * np.float32(lit) + np.float32(dark[place])
            wide[:, first // parts : first // parts + middle.shape[1]] = middle
            return wide

        return Frame(frame.number, fmt, plane_by_plane(frame, make), "everything")


def _middle(old: PictureFormat, new: PictureFormat) -> tuple[int, int]:
    """Where the picture begins in its new frame, and how wide it is there, in pixels."""
    across = new.chroma_ratio[0]
    square = max(across, round(old.width * old.pixel_aspect / across) * across)
    return (new.width - square) // 2 // across * across, square


def _of_width(plane: FloatPlane, width: int) -> FloatPlane:
    """The plane with another number of samples a line; itself where it has as many."""
    if plane.shape[1] == width:
        return plane
    return np.asarray(cv2.resize(plane, (width, plane.shape[0]), interpolation=cv2.INTER_LANCZOS4), np.float32)


def _copy(plane: FloatPlane, width: int, blur_px: float, larger: float) -> FloatPlane:
    """The plane, enlarged to a width in proportion, cut to its own height, blurred."""
    height = plane.shape[0]
    seen = height / larger  # rows of it that are still seen
    top = int((height - seen) / 2)
    part = plane[top : top + max(1, round(seen))]
    less = SMALLER if blur_px >= 2 * SMALLER else 1
    small = cv2.resize(part, (max(1, width // less), max(1, height // less)), interpolation=cv2.INTER_AREA)
    if blur_px > 0:
        small = cv2.GaussianBlur(small, (0, 0), blur_px / less)
    return np.asarray(cv2.resize(small, (width, height), interpolation=cv2.INTER_LINEAR), np.float32)


def _even(value: Fraction) -> int:
    return 2 * round(value / 2)
