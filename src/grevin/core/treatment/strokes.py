"""Strokes as a person draws them on the reel's own frames, and where they lie on a frame before a step."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from math import ceil, floor
from typing import Any

import numpy as np
import numpy.typing as npt
from pydantic import BaseModel, ConfigDict, model_validator

from grevin.core.keys import content_key
from grevin.core.picture.geometry import Geometry
from grevin.core.steps.strokes import NAMES_A_FRAME, PlacedStroke, StrokeFill
from grevin.core.treatment.regions import STANDING, Region, Shift

Points = npt.NDArray[np.float64]
ShiftOf = Callable[[Region, int], Shift]


class Stroke(BaseModel):
    """One stroke.

    Attributes:
        where: its shape and place, and the frames on which it holds.
        fill: from where it is filled.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")

    where: Region
    fill: StrokeFill = StrokeFill()

    @model_validator(mode="after")
    def _is_drawn(self) -> Stroke:
        if self.where.use != "only":
            raise ValueError("a stroke acts inside its shape only")
        return self

    def data(self) -> dict[str, Any]:
        """As in a recipe."""
        return {"where": self.where.data(), "fill": self.fill.model_dump(exclude_defaults=True)}

    def changed(self, **fill: Any) -> Stroke:
        """The stroke filled otherwise; checked anew."""
        return self.model_copy(update={"fill": StrokeFill.model_validate({**self.fill.model_dump(), **fill})})

    @property
    def words(self) -> str:
        """For people."""
        return f"{self.where.place_words}: {self.fill.words}"


@dataclass(frozen=True)
class Seen:
    """What a step sees of the reel's pictures.

    Attributes:
        reel_shape: (H, W) of the reel's own picture.
        shape: (H, W) of the picture before the step.
        geometry: where its pixels lie in the reel's own; None where they are the same.
        aspect: width of a pixel of the reel over its height.
    """

    reel_shape: tuple[int, int]
    shape: tuple[int, int]
    geometry: Geometry | None
    aspect: float


def strokes_key(strokes: tuple[Stroke, ...], frame: int) -> str:
    """Changes with the strokes that hold on a frame, whatever their numbers; "" for none."""
    held = [stroke.model_dump_json() for stroke in strokes if stroke.where.holds(frame)]
    return content_key("strokes", *held) if held else ""


def placed(
    stroke: Stroke, number: int, frame: int, seen: Seen, offset: int | None, shift_of: ShiftOf
) -> PlacedStroke | None:  # fmt: skip
    """A stroke on a frame; None where it lies beside the picture.

    Args:
        stroke: as it was drawn.
        number: as people count them.
        frame: of the reel.
        seen: of that frame by the step.
        offset: frames from it to the one that the stroke names, as the step counts them.
        shift_of: how far a region that follows the picture has come on a frame.
    """
    where = stroke.where
    shift = shift_of(where, frame) if where.follow else STANDING
    left, top, right, bottom = _bounds(where, frame, shift)
    height, width = seen.reel_shape
    x, y = max(0, floor(left)), max(0, floor(top))
    wide, high = min(width, ceil(right)) - x, min(height, ceil(bottom)) - y
    if wide <= 0 or high <= 0:
        return None
    weight = where.weight((high, wide), frame, (shift[0] - x, shift[1] - y))
    there = _there(stroke, frame, shift, seen, shift_of)
    if seen.geometry is not None:
        whole = np.zeros(seen.reel_shape, np.float32)
        whole[y : y + high, x : x + wide] = weight
        weight, x, y = _cut(seen.geometry.weight_on(whole, seen.shape, 0.0))
        own = Geometry(seen.geometry.on).then(Geometry(there)).then(seen.geometry)
        there = own.back
    if not weight.any():
        return None
    return PlacedStroke(number, stroke.fill, x, y, weight, offset, there)


def _bounds(where: Region, frame: int, shift: Shift) -> tuple[float, float, float, float]:
    outline = where.outline(frame)
    if where.has_points:
        beyond = where.width_px / 2 + 1
        (left, top), (right, bottom) = outline.min(axis=0) - beyond, outline.max(axis=0) + beyond + 1
    else:
        (left, top), (right, bottom) = outline[0] - 1, outline[0] + outline[1] + 1
    return left + shift[0], top + shift[1], right + shift[0], bottom + shift[1]


def middle(where: Region, frame: int, shift: Shift) -> Points:
    """(2,) x and y of the middle of a shape on a frame."""
    left, top, right, bottom = _bounds(where, frame, shift)
    return np.array([(left + right - 1) / 2, (top + bottom - 1) / 2])


def _there(stroke: Stroke, frame: int, shift: Shift, seen: Seen, shift_of: ShiftOf) -> npt.NDArray[np.float64]:
    """Where in the other frame or place a pixel of this frame lies, in pixels of the reel."""
    where, fill = stroke.where, stroke.fill
    here = middle(where, frame, shift)
    if fill.way in NAMES_A_FRAME:
        theirs = shift_of(where, fill.frame) if where.follow else STANDING
        return np.column_stack([np.eye(2), middle(where, fill.frame, theirs) - here])
    if fill.way != "place":
        return np.eye(2, 3)
    turn, aspect = np.radians(fill.turn_degrees), seen.aspect
    turned = np.array([[np.cos(turn), np.sin(turn) / aspect], [-np.sin(turn) * aspect, np.cos(turn)]]) / fill.scale
    return np.column_stack([turned, here + np.array([fill.right, fill.down]) - turned @ here])


def _cut(weight: npt.NDArray[np.float32]) -> tuple[npt.NDArray[np.float32], int, int]:
    """The box of what is not 0, with its left and top."""
    rows, columns = np.flatnonzero(weight.any(axis=1)), np.flatnonzero(weight.any(axis=0))
    if not len(rows):
        return weight[:1, :1], 0, 0
    part = weight[rows[0] : rows[-1] + 1, columns[0] : columns[-1] + 1]
    return np.ascontiguousarray(part), int(columns[0]), int(rows[0])
