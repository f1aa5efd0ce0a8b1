"""Reframe: another part of the picture, or another size, still or in a slow move between key frames.

Zoom 1 shows the largest part of the picture that has the output's shape; zoom 2 shows half of it across. Between two
key frames the zoom and the place run evenly, or with ease at the beginning, the end or both; before the first and
behind the last they stand. The part shown stays inside the picture as long as it fits into it.

The source is sampled once, plane by plane, in floating point, and rounded when it is written; interlaced frames field
by field. A frame that would be shown as it is comes out bit for bit. What a
person says of places stays about the reel's own pixels, and is translated for steps behind it.
"""

from __future__ import annotations

from dataclasses import replace
from itertools import pairwise
from math import cos, radians, sin
from typing import Any, ClassVar, Literal

import numpy as np
from pydantic import Field, field_validator

from grevin.core.errors import SettingsError
from grevin.core.picture.format import PictureFormat
from grevin.core.picture.frame import Frame
from grevin.core.picture.geometry import Geometry
from grevin.core.picture.levels import Plane, levels_of
from grevin.core.picture.sampling import Map, sampled
from grevin.core.progress import Progress
from grevin.core.steps.base import Family, Stage
from grevin.core.steps.enlarge.making import How, brightness, doubled, finished, rounding_of, with_brightness
from grevin.core.steps.enlarge.measuring import known_of, measured
from grevin.core.steps.enlarge.network import Known
from grevin.core.steps.enlarge.part import Part
from grevin.core.steps.seen import Arrays, Shotwise, Window
from grevin.core.steps.settings import Settings, TypedItem, setting

LARGEST_PX = 16384
OVERSHOOT = 0.04  # of the difference between both sides of an edge, where it is enlarged by learning
EASES = {
    "none": lambda share: share,
    "in": lambda share: share * share,
    "out": lambda share: share * (2 - share),
    "both": lambda share: share * share * (3 - 2 * share),
}


class ReframeKey(TypedItem):
    """What is shown on one frame.

    Attributes:
        frame: of the reel.
        x, y: middle of what is shown, as a share of the picture's width and height.
        zoom: how many times larger than at zoom 1.
        turn: degrees, clockwise.
    """

    frame: int = Field(0, ge=0)
    x: float = Field(0.5, ge=0, le=1)
    y: float = Field(0.5, ge=0, le=1)
    zoom: float = Field(1.0, ge=0.1, le=50)
    turn: float = Field(0.0, ge=-360, le=360)


class ReframeSettings(Settings):
    """Settings of the reframe step."""

    keys: tuple[ReframeKey, ...] = setting(
        (), label="Key frames",
        help="Frame of the reel, middle across and down (0 to 1), zoom, turn in degrees; semicolons part key frames.",
    )  # fmt: skip
    ease: Literal["none", "in", "out", "both"] = setting(
        "none", label="Ease", help="Whether a move begins slowly (in), ends slowly (out), or both; none runs evenly."
    )
    width: int = setting(
        0, label="Width", unit="px", low=0, high=LARGEST_PX, step=2.0, lowest="the picture's",
        help="Of the output; 0 for the picture's own, or for what follows from the height.",
    )  # fmt: skip
    height: int = setting(
        0, label="Height", unit="px", low=0, high=LARGEST_PX, step=2.0, lowest="the picture's",
        help="Of the output; 0 for the picture's own, or for what follows from the width.",
    )  # fmt: skip

    sampling: Literal["plain", "learned"] = setting(
        "plain", label="Sampled", words={"plain": "plainly", "learned": "as enlarged by learning"}, learned=True,
        help="How a part of the picture is enlarged: by Lanczos alone, or with what Enlarge takes to have been there. "
        "Interlaced pictures are sampled plainly.",
    )  # fmt: skip

    @field_validator("width", "height", mode="before")
    @classmethod
    def _own(cls, value: Any) -> Any:
        return 0 if value is None else value

    @field_validator("keys")
    @classmethod
    def _in_order(cls, keys: tuple[ReframeKey, ...]) -> tuple[ReframeKey, ...]:
        if len({key.frame for key in keys}) < len(keys):
            raise ValueError("two key frames on one frame")
        return tuple(sorted(keys, key=lambda key: key.frame))


class ReframeStep:
    """Shows another part of the picture."""

    id: ClassVar[str] = "reframe"
    label: ClassVar[str] = "Reframe"
    fault: ClassVar[str] = "Too much is shown, or a slow move is wanted"
    version: ClassVar[int] = 2
    family: ClassVar[Family] = "shape"
    stage: ClassVar[Stage] = "frame"
    settings_model: ClassVar[type[Settings]] = ReframeSettings

    def reach(self, settings: ReframeSettings) -> int:
        """Looks at no other frame."""
        return 0

    def learn(self, shot: Shotwise, settings: ReframeSettings, progress: Progress) -> Arrays:
        """How noisy and how worn a shot is, where it is enlarged by learning."""
        return shot.kept("noise and wear", lambda: measured(shot, progress)) if settings.sampling == "learned" else {}

    def new_format(self, fmt: PictureFormat, settings: ReframeSettings) -> PictureFormat:
        """The format of the output."""
        width, height = settings.width, settings.height
        if width and not height:
            height = _even(width * fmt.height / fmt.width)
        elif height and not width:
            width = _even(height * fmt.width / fmt.height)
        return replace(fmt, width=width or fmt.width, height=height or fmt.height)

    def geometry(self, fmt: PictureFormat, number: int, settings: ReframeSettings) -> Geometry:
        """Where what is shown lies in the picture."""
        return Geometry(map_of(fmt, self.new_format(fmt, settings), key_at(settings, number)))

    def reshape(self, window: Window, number: int, settings: ReframeSettings) -> Frame:
        """What is shown on frame `number` of the reel.

        Raises:
            SettingsError: if an interlaced picture of that height gives no two whole fields.
        """
        fmt = self.new_format(window.format, settings)
        if window.format.has_fields and not fmt.has_fields:
            raise SettingsError(
                f"An interlaced picture of {fmt.height} lines cannot be taken apart into two whole fields.",
                "Choose a height that is a multiple of 4, or deinterlace before.",
            )
        where = self.geometry(window.format, number, settings).back
        frame = window.frame()
        if fmt == frame.format and _is_same(where):
            return frame
        made = sampled(frame, fmt, where)
        larger = np.linalg.norm(where[:, :2], 2) < 1  # every new pixel is smaller than an old one
        if settings.sampling == "plain" or frame.format.has_fields or not larger:
            return made
        return with_brightness(made, _learned(frame, fmt, where, window.study()))


def _learned(frame: Frame, fmt: PictureFormat, where: Map, study: Arrays) -> Plane:
    """Brightness of what is shown, looked up in a picture that was made twice as large; 8-bit levels."""
    luma = brightness(levels_of(frame), frame.format)
    twice = doubled(luma, known_of(study), 1.0)
    part = Part.whole(luma.shape, twice.shape)
    how = How(lambda made: doubled(made, Known(), 1.0), 0.0, rounding_of(frame.format), OVERSHOOT)
    large = finished(luma, twice, part, how)
    alone = replace(fmt, model="grey", chroma="4:4:4", alpha=False, bit_depth=8, sample="integer",
                    full_range=fmt.full_range or fmt.model == "rgb")  # fmt: skip
    whole = replace(alone, width=large.shape[1], height=large.shape[0])
    back = np.column_stack([2 * where[:, :2], 2 * where[:, 2] + 0.5])  # middles of pixels lie at whole numbers
    return np.asarray(sampled(Frame(frame.number, whole, (large,)), alone, back).planes[0], np.float32)


def key_at(settings: ReframeSettings, number: int) -> ReframeKey:
    """What is shown on a frame of the reel."""
    keys = settings.keys
    if not keys:
        return ReframeKey()
    if number <= keys[0].frame or number >= keys[-1].frame:
        return keys[0] if number <= keys[0].frame else keys[-1]
    first, last = next((a, b) for a, b in pairwise(keys) if a.frame <= number < b.frame)
    share = EASES[settings.ease]((number - first.frame) / (last.frame - first.frame))
    between = {
        name: (1 - share) * getattr(first, name) + share * getattr(last, name) for name in ("x", "y", "zoom", "turn")
    }
    return ReframeKey(frame=number, **between)


def map_of(old: PictureFormat, new: PictureFormat, key: ReframeKey) -> Map:
    """Where in the old picture the pixels of the new one lie."""
    scale = min(old.width / new.width, old.height / new.height) / key.zoom
    shown = (scale * new.width, scale * new.height)
    middle = [_held(place * size, part, size) for place, part, size in
              zip((key.x, key.y), shown, (old.width, old.height), strict=True)]  # fmt: skip
    angle = radians(key.turn)
    aspect = float(old.pixel_aspect)  # a turn is one of the picture as it is seen
    turned = np.array([[cos(angle), sin(angle) / aspect], [-sin(angle) * aspect, cos(angle)]]) * scale
    centre = np.array([new.width, new.height]) / 2
    # middles of pixels lie at whole numbers, half a pixel inside their edges
    shift = np.array(middle) - turned @ (centre - 0.5) - 0.5
    return np.column_stack([turned, shift])


def _held(middle: float, part: float, size: float) -> float:
    """The middle of a part, inside the picture as long as it fits into it."""
    return size / 2 if part >= size else min(max(middle, part / 2), size - part / 2)


def _is_same(where: Map) -> bool:
    return bool(np.allclose(where, [[1, 0, 0], [0, 1, 0]], atol=1e-9))


def _even(value: float) -> int:
    return max(2, 2 * round(value / 2))
