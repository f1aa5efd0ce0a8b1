"""Regions: where on the picture a step may act, drawn by the operator."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import replace
from typing import Annotated, Any, Literal

import cv2
import numpy as np
import numpy.typing as npt
from pydantic import BaseModel, ConfigDict, Field, model_validator

from grevin.core.picture.colour import paint_inside, to_rgb
from grevin.core.picture.frame import Frame, Mask, merge_touched
from grevin.core.picture.masks import align_to_chroma
from grevin.core.steps.evidence import Evidence

FEATHER_PX = 6.0  # over which a region that was made anew fades into its frame


FAR_PX = 1e5  # no picture reaches so far
Place = Annotated[float, Field(ge=-FAR_PX, le=FAR_PX)]
Point = tuple[Place, Place]  # x, y in pixels of the reel
Weight = npt.NDArray[np.float32]
Use = Literal["protect", "only", "measure"]
USE_WORDS: dict[Use, str] = {"protect": "Leave alone", "only": "Only inside", "measure": "Measure inside"}
Shift = tuple[float, float]
STANDING: Shift = (0.0, 0.0)
SUBPIXEL_BITS = 4  # of drawn outlines


class RegionKey(BaseModel):
    """Where a region lies on one frame.

    Attributes:
        frame: of the reel.
        x, y, width, height: its box in pixels; of a polygon not used.
        points: its corners, as many as the region has; of a box not used.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")

    frame: int = Field(ge=0)
    x: Place = 0.0
    y: Place = 0.0
    width: float = Field(1.0, gt=0, le=FAR_PX)
    height: float = Field(1.0, gt=0, le=FAR_PX)
    points: tuple[Point, ...] = ()


class Region(BaseModel):
    """A part of the picture on a run of frames.

    Attributes:
        use: "protect" (the step leaves it alone), "only" (the step leaves all else alone) or "measure" (a step that
            learns shots looks at nothing else; where it acts is not touched by that).
        shape: rectangle or ellipse within the box, a polygon, or the way of a brush.
        x, y, width, height: the box in pixels; it may reach over the picture's edge.
        points: corners of a polygon, or the middle of a brush along its way.
        width_px: of a brush.
        rounding_px: radius of the corners of a rectangle or polygon.
        feather_px: over which the step's say fades: inside a region of the kind "only", outside one that protects.
        keys: places and sizes on some frames; evenly between two, standing before the first and behind the last.
        follow: whether it goes with what it lies on, from its nearest key frame before, or from its first frame.
        first, last: frames of the reel, both included; None for from the beginning, to the end.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")

    use: Use
    shape: Literal["rectangle", "ellipse", "polygon", "brush"] = "rectangle"
    x: int = 0
    y: int = 0
    width: int = Field(1, ge=1)
    height: int = Field(1, ge=1)
    points: tuple[Point, ...] = ()
    width_px: float = Field(0.0, ge=0, le=10_000)
    rounding_px: float = Field(0.0, ge=0, le=10_000)
    feather_px: float = Field(0.0, ge=0, le=10_000)
    keys: tuple[RegionKey, ...] = ()
    follow: bool = False
    first: int | None = Field(None, ge=0)
    last: int | None = Field(None, ge=0)

    @model_validator(mode="after")
    def _has_a_place(self) -> Region:
        if self.has_points:
            least = 3 if self.shape == "polygon" else 1
            if len(self.points) < least or any(len(key.points) != len(self.points) for key in self.keys):
                raise ValueError(f"a {self.shape} needs {least} points or more, and as many on every key frame")
        elif not self.keys and not {"x", "y", "width", "height"} <= self.model_fields_set:
            raise ValueError("a region needs x, y, width and height")
        frames = [key.frame for key in self.keys]
        if frames != sorted(set(frames)):
            raise ValueError("key frames have to be in order, one a frame")
        return self

    def data(self) -> dict[str, Any]:
        """As in a recipe: its place, and what else was said of it."""
        data = self.model_dump(exclude_none=True)
        keys = [key.model_dump(exclude_defaults=True) for key in self.keys]
        kept = {"use", "shape", "first", "last"} | ({"x", "y", "width", "height"} if self._has_a_box else set())
        plain = {name: field.default for name, field in Region.model_fields.items()}
        said = {name: value for name, value in data.items() if name in kept or value != plain[name]}
        return {**said, "keys": keys} if keys else said

    @property
    def _has_a_box(self) -> bool:
        return not self.has_points and not self.keys

    @property
    def has_points(self) -> bool:
        """Whether it is drawn by points, not by a box."""
        return self.shape in {"polygon", "brush"}

    def holds(self, frame: int) -> bool:
        """Whether it applies to a frame."""
        return (self.first is None or frame >= self.first) and (self.last is None or frame <= self.last)

    def start(self, frame: int) -> int:
        """The frame on which it was drawn, from which it follows the picture to a frame."""
        drawn = [key.frame for key in self.keys] or [self.first or 0]
        return max((place for place in drawn if place <= frame), default=drawn[0])

    def outline(self, frame: int) -> npt.NDArray[np.float64]:
        """(N, 2) points of a polygon or brush, or the box's corner and its size ((x, y), (width, height))."""
        if not self.keys:
            own = self.points if self.has_points else ((self.x, self.y), (self.width, self.height))
            return np.array(own, np.float64)
        boxed = not self.has_points
        drawn = [((key.x, key.y), (key.width, key.height)) if boxed else key.points for key in self.keys]
        if self.follow:  # in between it goes with the picture, not evenly
            return np.array(drawn[[key.frame for key in self.keys].index(self.start(frame))], np.float64)
        frames = [key.frame for key in self.keys]
        flat = np.array(drawn, np.float64).reshape(len(drawn), -1)
        return np.stack([np.interp(frame, frames, column) for column in flat.T]).reshape(-1, 2)

    def mask(self, shape: tuple[int, int], frame: int = 0, shift: Shift = STANDING) -> Mask:
        """(H, W) bool, its place on a frame, moved by (right, down) px."""
        outline, (right, down) = self.outline(frame), shift
        drawn = np.zeros(shape, np.uint8)
        if self.shape == "polygon":
            corners = np.rint((outline + shift) * (1 << SUBPIXEL_BITS)).astype(np.int32)
            cv2.fillPoly(drawn, [corners], 1, shift=SUBPIXEL_BITS)
        elif self.shape == "brush":
            way = np.rint((outline + shift) * (1 << SUBPIXEL_BITS)).astype(np.int32)
            drawn = _brushed(drawn, way, self.width_px)
        elif self.shape == "ellipse":
            (x, y), (width, height) = outline
            middle = (x + right + (width - 1) / 2, y + down + (height - 1) / 2)
            cv2.ellipse(drawn, (middle, (float(width), float(height)), 0.0), 1, cv2.FILLED)
        else:
            (x, y), (width, height) = outline
            left, top = round(x + right), round(y + down)
            drawn[max(0, top) : max(0, top + round(height)), max(0, left) : max(0, left + round(width))] = 1
        if self.rounding_px >= 1 and self.shape not in {"ellipse", "brush"}:
            drawn = _rounded(drawn, self.rounding_px)
        return np.asarray(drawn, np.bool_)

    def weight(self, shape: tuple[int, int], frame: int = 0, shift: Shift = STANDING) -> Weight:
        """(H, W) float32 0..1, how much of what a step does is taken, as far as this region is concerned.

        Its edge is soft where it really lies, so a region that leaves the picture stays as it is.
        """
        beyond = math.ceil(self.feather_px) if self.feather_px >= 1 else 0
        wide = shape[0] + 2 * beyond, shape[1] + 2 * beyond
        inside = self.mask(wide, frame, (shift[0] + beyond, shift[1] + beyond))
        lets = ~inside if self.use == "protect" else inside
        own = slice(beyond, beyond + shape[0]), slice(beyond, beyond + shape[1])
        if not beyond or lets.all() or not lets[own].any():
            return lets[own].astype(np.float32)
        depth = cv2.distanceTransform(lets.view(np.uint8), cv2.DIST_L2, cv2.DIST_MASK_PRECISE)[own]
        return np.asarray(np.clip(depth / self.feather_px, 0, 1), np.float32)

    @property
    def words(self) -> str:
        """What it says, for people."""
        use = USE_WORDS[self.use]
        if self.first is None and self.last is None:
            run = "every frame"
        elif self.first == self.last:
            run = f"frame {self.first}"
        else:
            run = f"frames {self.first or 0} to {'the end' if self.last is None else self.last}"
        return f"{use}: {self.place_words}, {run}{self._more_words}"

    @property
    def place_words(self) -> str:
        """Its shape and where it lies."""
        if self.shape == "polygon":
            place = f"polygon of {len(self.points)} points"
        elif self.shape == "brush":
            place = f"brush of {self.width_px:g} px"
        else:
            place = f"{self.width} x {self.height} px at {self.x}, {self.y}" if not self.keys else self.shape
        return place

    @property
    def _more_words(self) -> str:
        more = f", {len(self.keys)} key frames" if self.keys else ""
        return more + (", follows the picture" if self.follow else "")


def _brushed(drawn: npt.NDArray[np.uint8], way: npt.NDArray[np.int32], width_px: float) -> npt.NDArray[np.uint8]:
    """What a round brush covers along its way, in parts of a pixel as OpenCV takes them."""
    radius = max(0.5, width_px / 2)
    if len(way) == 1:
        return np.asarray(
            cv2.circle(
                drawn, way[0].tolist(), round(radius * (1 << SUBPIXEL_BITS)), 1, cv2.FILLED, cv2.LINE_8, SUBPIXEL_BITS
            )
        )
    return np.asarray(cv2.polylines(drawn, [way], False, 1, max(1, round(2 * radius)), cv2.LINE_8, SUBPIXEL_BITS))


def _rounded(drawn: npt.NDArray[np.uint8], radius: float) -> npt.NDArray[np.uint8]:
    """What discs of a radius inside a drawn shape cover; nothing where none fits."""
    middles = cv2.distanceTransform(drawn, cv2.DIST_L2, cv2.DIST_MASK_PRECISE) >= radius + 0.5
    if not middles.any():
        return np.zeros_like(drawn)
    apart = cv2.distanceTransform((~middles).view(np.uint8), cv2.DIST_L2, cv2.DIST_MASK_PRECISE)
    return np.asarray(apart < radius + 0.5, np.uint8)  # a pixel reaches half its width beyond its middle


def allowed(
    regions: tuple[Region, ...], frame: int, shape: tuple[int, int],
    shift_of: Callable[[Region], Shift] = lambda region: STANDING,
) -> Weight | None:  # fmt: skip
    """(H, W) float32 0..1, how much of what a step does is taken on that frame; None for all, everywhere.

    On frames without a region of the kind "only" all that is not protected is allowed.

    Args:
        regions: of the step.
        frame: of the reel.
        shape: (H, W) of the picture.
        shift_of: how far a region that follows the picture has come from where it was drawn.
    """
    acting = [region for region in regions if region.holds(frame) and region.use != "measure"]
    if not acting:
        return None
    weights = [(r.use, r.weight(shape, frame, shift_of(r) if r.follow else STANDING)) for r in acting]
    only = [weight for use, weight in weights if use == "only"]
    result = np.maximum.reduce(only) if only else np.ones(shape, np.float32)
    for use, weight in weights:
        if use == "protect":
            result = np.minimum(result, weight)
    return np.asarray(result, np.float32)


def measured_in(
    regions: tuple[Region, ...], frame: int, shape: tuple[int, int], shift_of: Callable[[Region], Shift]
) -> Mask | None:  # fmt: skip
    """(H, W) bool, where a step that learns shots may look on that frame; None for everywhere."""
    looked = [region for region in regions if region.use == "measure" and region.holds(frame)]
    masks = [one.mask(shape, frame, shift_of(one) if one.follow else STANDING) for one in looked]
    return np.logical_or.reduce(masks) if masks else None


def within(found: Evidence, allow: Weight | None) -> Evidence:
    """The part of the evidence that a step may act on; blobs of which nothing is left go."""
    if allow is None:
        return found
    where = allow > 0
    mask = found.mask & where
    plain = found.weight is None and bool((allow[mask] == 1).all())
    given = np.float32(1) if found.weight is None else found.weight
    weight = None if plain else np.asarray(np.where(mask, given * allow, np.float32(0)), np.float32)
    blobs, passed = (
        tuple(b for b in some if np.any(where[b.area[1] : b.area[1] + b.area[3], b.area[0] : b.area[0] + b.area[2]]))
        for some in (found.blobs, found.passed)
    )
    return replace(found, mask=mask, weight=weight, blobs=blobs, passed=passed)


def blended(kept: Frame, made: Frame, allow: Weight | None) -> Frame:
    """A picture that was changed as a whole, as far as a step may: in float, the kept samples themselves elsewhere.

    Args:
        kept: the frame as it was.
        made: the same frame, changed.
        allow: (H, W) 0..1; None for everywhere.
    """
    if allow is None:
        return made
    if not allow.any():
        return kept
    fmt = kept.format
    planes = []
    for old, new, shape in zip(kept.planes, made.planes, fmt.plane_shapes(), strict=True):
        share = allow if shape == allow.shape else cv2.resize(allow, shape[::-1], interpolation=cv2.INTER_AREA)
        before = old.astype(np.float32)
        planes.append(before + share * (new.astype(np.float32) - before))
    where = align_to_chroma(allow > 0, fmt)
    return Frame(kept.number, made.format, tuple(planes), merge_touched(kept.touched, where))


def inside_only(kept: Frame, made: Frame, where: Mask) -> Frame:
    """A made frame inside a mask with a soft edge, the source's own samples outside it.

    Args:
        kept: the frame as it was.
        made: the same frame made anew.
        where: (H, W) bool, in whole chroma blocks.
    """
    depth = cv2.distanceTransform(where.view(np.uint8), cv2.DIST_L2, 3)
    weight = np.asarray(np.clip(depth / FEATHER_PX, 0, 1), np.float32)
    painted = paint_inside(kept, to_rgb(made), where, weight)
    return replace(painted, touched=merge_touched(kept.touched, where))
