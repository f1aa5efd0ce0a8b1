"""Filling one stroke in a picture, from wherever it is to be filled."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import partial

import cv2
import numpy as np

from grevin.core.errors import UnreadableFrameError
from grevin.core.keys import content_key
from grevin.core.picture.colour import Rgb
from grevin.core.picture.frame import Mask
from grevin.core.steps.retouch.from_around import SEARCH_PX, built_from_around
from grevin.core.steps.retouch.from_frames import OtherFrames, mixed
from grevin.core.steps.retouch.rim import LOOK_PX, PIECE_PX, RING_PX, Grain, levelled, ring_of
from grevin.core.steps.retouch.settings import RetouchSettings
from grevin.core.steps.seen import Window
from grevin.core.steps.strokes import ALONG_MOTION, PlacedStroke, Way

ROOM_PX = RING_PX + 3  # round a stroke, of which its surroundings are told
KEPT_PX = max(LOOK_PX + PIECE_PX, SEARCH_PX)  # round a stroke: damage farther away has no say in its fill and grain


@dataclass(frozen=True)
class Sources:
    """From where a stroke is really filled.

    Attributes:
        way: as wanted, or "around" where nothing else is to be had.
        offsets: of the frames.
        words: why it is another way than the one that was wanted; "" where it is not.
    """

    way: Way
    offsets: tuple[int, ...] = ()
    words: str = ""


@dataclass(frozen=True, eq=False)
class Around:
    """What there is besides the picture itself.

    Attributes:
        window: on the frame.
        frames: the frames around.
        damaged: (H, W) bool, all strokes of the frame.
    """

    window: Window
    frames: OtherFrames
    damaged: Mask

    @property
    def grain(self) -> Grain:
        """Of the picture."""
        return self.window.keep("grain", lambda: Grain(self.window.rgb()), lambda grain: grain.nbytes)


def sources_of(window: Window, stroke: PlacedStroke) -> Sources:
    """From where a stroke is filled on a frame."""
    fill = stroke.fill
    if fill.way in ALONG_MOTION:
        sides = {"before": (-1,), "after": (1,), "both": (-1, 1)}[fill.way]
        wanted = [side * fill.away for side in sides]
        there = [offset for offset in wanted if window.has(offset)]
        other = [-offset for offset in wanted if window.has(-offset)]
        found = _readable(window, there) or _readable(window, other)
        if found:
            why = "" if set(found) <= set(wanted) else f"stroke {stroke.number}: filled from the other side"
            return Sources(fill.way, found, why)
        return Sources("around", (), f"stroke {stroke.number}: no frame of its shot is near, built from around")
    if fill.way in {"frame", "plate"}:
        found = _readable(window, [] if stroke.offset is None else [stroke.offset])
        if found:
            return Sources(fill.way, found)
        gone = f"frame {fill.frame} is not there or cannot be read"
        other_way: Way = "around" if fill.way == "frame" else "plate"
        what = "built from around" if fill.way == "frame" else "left as it is"
        return Sources(other_way, (), f"stroke {stroke.number}: {gone}, {what}")
    return Sources(fill.way)


def _readable(window: Window, offsets: list[int]) -> tuple[int, ...]:
    found = []
    for offset in offsets:
        try:
            window.frame(offset)
        except UnreadableFrameError:
            continue
        found.append(offset)
    return tuple(found)


def with_room(stroke: PlacedStroke, shape: tuple[int, int]) -> PlacedStroke:
    """The stroke in a box with room for its surroundings."""
    rows, columns = stroke.box
    top, left = max(0, rows.start - ROOM_PX), max(0, columns.start - ROOM_PX)
    bottom, right = min(shape[0], rows.stop + ROOM_PX), min(shape[1], columns.stop + ROOM_PX)
    wide = ((rows.start - top, bottom - rows.stop), (columns.start - left, right - columns.stop))
    return replace(stroke, x=left, y=top, weight=np.pad(stroke.weight, wide))


def fill_stroke(
    picture: Rgb, stroke: PlacedStroke, sources: Sources, around: Around, settings: RetouchSettings
) -> None:  # fmt: skip
    """Fill one stroke in place.

    Args:
        picture: (H, W, 3) R'G'B', with the strokes before it filled.
        stroke: with room round it.
        sources: from where.
        around: what else there is.
        settings: of the step.
    """
    box = stroke.box
    here = picture[box].copy()
    ring = _ring_round(stroke, around)
    fill = _fill(picture, here, stroke, sources, around, ring, settings)
    if fill is None:
        return
    share = stroke.weight * np.float32(stroke.fill.strength * settings.strength_pct / 100.0)
    picture[box] = here + share[..., None] * (fill - here)


def _ring_round(stroke: PlacedStroke, around: Around) -> Mask:
    return ring_of(stroke.inside, around.damaged[stroke.box] & ~stroke.inside)


def _fill(
    picture: Rgb, here: Rgb, stroke: PlacedStroke, sources: Sources, around: Around, ring: Mask,
    settings: RetouchSettings,
) -> Rgb | None:  # fmt: skip
    """(h, w, 3) what goes into a stroke; None where nothing can."""
    box, inside = stroke.box, stroke.inside

    def finished(fill: Rgb) -> Rgb:
        return around.grain.given(fill, box, ring, around.damaged) if settings.grain else fill

    def level(fill: Rgb) -> Rgb:
        return levelled(fill, here, inside, ring, settings.levels)

    if sources.way == "plate":
        theirs = around.frames.rgb(sources.offsets[0]) if sources.offsets else None
        return None if theirs is None else patch_of(theirs, stroke)
    if sources.way == "blur":
        return finished(np.asarray(cv2.GaussianBlur(here, (0, 0), stroke.fill.blur_px), np.float32))
    if sources.way == "place":
        return finished(level(patch_of(picture, stroke)))
    return _independent_fill(stroke, sources, around, ring, settings)


def fill_beforehand(stroke: PlacedStroke, sources: Sources, around: Around, settings: RetouchSettings) -> None:
    """Build what a stroke hides from around, and have it kept: many are built at once.

    Other ways take many small steps, which several threads make no faster.
    """
    if sources.way == "around" and stroke.offset is None:
        _independent_fill(stroke, sources, around, _ring_round(stroke, around), settings)


def _independent_fill(
    stroke: PlacedStroke, sources: Sources, around: Around, ring: Mask, settings: RetouchSettings
) -> Rgb:  # fmt: skip
    """(h, w, 3) what goes into a stroke whose fill takes nothing from under other strokes.

    It is kept, so that another stroke elsewhere does not cost this one anew. Not from a frame that was named: what is
    kept depends on frames within reach alone.
    """
    own = _from_frames if sources.way != "around" else _from_around
    if stroke.offset is not None:
        return own(stroke, sources, around, ring, settings)
    near = tuple(slice(max(0, part.start - KEPT_PX), part.stop + KEPT_PX) for part in stroke.box)
    name = content_key(
        "stroke", sources.way == "around", sources.offsets, stroke.x, stroke.y, stroke.inside.shape,
        np.packbits(stroke.inside).tobytes(), np.packbits(around.damaged[near]).tobytes(), settings.levels,
        settings.grain,
    )  # fmt: skip
    make = partial(own, stroke, sources, around, ring, settings)
    return around.window.keep(name, make, lambda fill: fill.nbytes)


def _from_around(
    stroke: PlacedStroke, _sources: Sources, around: Around, ring: Mask, settings: RetouchSettings
) -> Rgb:  # fmt: skip
    """(h, w, 3) what goes on from its surroundings."""
    fill = built_from_around(around.window.rgb(), stroke.box, stroke.inside, around.damaged)
    return around.grain.given(fill, stroke.box, ring, around.damaged) if settings.grain else fill


def _from_frames(
    stroke: PlacedStroke, sources: Sources, around: Around, ring: Mask, settings: RetouchSettings
) -> Rgb:  # fmt: skip
    """(h, w, 3) what other frames show."""
    box, inside, picture = stroke.box, stroke.inside, around.window.rgb()
    start = stroke.there[:, 2] if stroke.offset is not None else np.zeros(2)
    offers = [around.frames.offer(offset, box, ring, start) for offset in sources.offsets]
    fill, seen = mixed(
        [offer for offer in offers if offer is not None], inside,
        lambda fill: levelled(fill, picture[box], inside, ring, settings.levels),
    )  # fmt: skip
    if settings.grain:
        fill = around.grain.given(fill, box, ring, around.damaged)
    hidden = inside & ~seen
    built = built_from_around(picture, box, hidden, around.damaged) if hidden.any() else fill
    return np.asarray(np.where(hidden[..., None], built, fill), np.float32)


def patch_of(picture: Rgb, stroke: PlacedStroke) -> Rgb:
    """(h, w, 3) a picture, (H, W, 3), read where a stroke says that its fill lies."""
    rows, columns = np.mgrid[stroke.box].astype(np.float64)
    places = np.stack([columns, rows, np.ones_like(rows)], axis=-1) @ stroke.there.T
    across, down = (np.ascontiguousarray(places[..., axis], np.float32) for axis in (0, 1))
    read = cv2.remap(picture, across, down, cv2.INTER_CUBIC, borderMode=cv2.BORDER_REFLECT_101)
    return np.asarray(read, np.float32)
