"""Retouching by hand: what no other step mends is drawn over on the light table, and filled.

Draw with a brush, an outline, a polygon or a disc, and say from where it is filled: from the frames before and after
along the motion, from a chosen frame, from another place of the same frame, built from its surroundings, blurred; or
lay one frame's area as a patch over a whole standing shot, with whatever crosses it left in front. The fill is brought
to the levels and the grain round it. Strokes stay what they are: each can be moved, given other frames, made to follow
the picture, filled from elsewhere, copied, and taken out. Outside of them every sample stays the source's own.
"""

from __future__ import annotations

from collections import deque
from collections.abc import Iterator
from dataclasses import replace
from typing import ClassVar

import numpy as np

from grevin.core.parallel import in_parallel
from grevin.core.picture.colour import Rgb
from grevin.core.picture.geometry import Area
from grevin.core.steps.base import Family, Stage
from grevin.core.steps.evidence import Blob, Evidence
from grevin.core.steps.retouch.filling import (
    Around,
    Sources,
    fill_beforehand,
    fill_stroke,
    patch_of,
    sources_of,
    with_room,
)
from grevin.core.steps.retouch.from_frames import OtherFrames
from grevin.core.steps.retouch.in_front import in_front
from grevin.core.steps.retouch.settings import RetouchSettings
from grevin.core.steps.seen import Window
from grevin.core.steps.settings import Settings
from grevin.core.steps.strokes import MOST_AWAY, PlacedStroke, StrokeFill

MANY_STROKES = 8  # of a frame, from which they are built at once, on all processors


class RetouchStep:
    """See the module."""

    id: ClassVar[str] = "retouch"
    label: ClassVar[str] = "Retouch"
    fault: ClassVar[str] = "Damage that is best mended by hand"
    version: ClassVar[int] = 3
    family: ClassVar[Family] = "local"
    stage: ClassVar[Stage] = "surface"
    works_on_fields: ClassVar[bool] = True
    fills_strokes: ClassVar[bool] = True
    settings_model: ClassVar[type[Settings]] = RetouchSettings

    def reach(self, settings: RetouchSettings) -> int:
        """As far as a stroke may be filled from without naming a frame."""
        return MOST_AWAY

    def find(self, window: Window, settings: RetouchSettings) -> Evidence:
        """The strokes on the frame, without what stands before patches."""
        shape = (window.format.height, window.format.width)
        mask = np.zeros(shape, np.bool_)
        if settings.strength_pct <= 0:
            return Evidence(mask)
        blobs, words = [], []
        for stroke, sources in _filled(window):
            words += [sources.words] if sources.words else []
            if sources.way == "plate" and not sources.offsets:
                continue
            acting = _acting(window, stroke, sources)
            if acting.inside.any() and stroke.fill.strength > 0:
                mask[acting.box] |= acting.inside
                blobs.append(acting.blob)
        return Evidence(mask, blobs=tuple(blobs), words="; ".join(words))

    def find_at(self, window: Window, area: Area, settings: RetouchSettings) -> Evidence:
        """A place that a person points at is filled as a stroke of its size would be."""
        mask = np.zeros((window.format.height, window.format.width), np.bool_)
        mask[max(0, area[1]) : area[1] + area[3], max(0, area[0]) : area[0] + area[2]] = True
        return Evidence(mask, blobs=(Blob(area, int(mask.sum()), 0.0, 1.0, by_hand=True),))

    def mend(self, window: Window, evidence: Evidence, settings: RetouchSettings) -> Rgb:
        """The picture with its strokes filled, in the order in which they were drawn."""
        picture = window.rgb().copy()
        shape = picture.shape[:2]
        strokes = [(_acting(window, stroke, sources), sources) for stroke, sources in _filled(window)]
        drawn = {stroke.blob.area for stroke, _ in strokes if stroke.inside.any()}
        pointed = [blob.area for blob in evidence.blobs if blob.area not in drawn]
        strokes += [(one, sources_of(window, one)) for one in _as_strokes(pointed, shape, len(strokes))]
        damaged, bent = np.zeros(shape, np.bool_), np.zeros(shape, np.bool_)
        for stroke, sources in strokes:
            damaged[stroke.box] |= stroke.inside
            if sources.way != "plate":  # a patch over a standing shot is no reason to doubt its motion
                bent[stroke.box] |= stroke.inside
        around = Around(window, OtherFrames(window, bent), damaged)
        roomy = [(with_room(stroke, shape), sources) for stroke, sources in strokes]
        if len(roomy) >= MANY_STROKES:
            deque(in_parallel(lambda n: fill_beforehand(*roomy[n], around, settings), range(len(roomy))), maxlen=0)
        for stroke, sources in roomy:
            fill_stroke(picture, stroke, sources, around, settings)
        return picture

    def explain(self, window: Window, evidence: Evidence, area: Area, settings: RetouchSettings) -> str:
        """From where a stroke is filled, in words."""
        for stroke, sources in _filled(window):
            if stroke.blob.area == area:
                return sources.words or stroke.fill.words
        return StrokeFill().words


def _filled(window: Window) -> Iterator[tuple[PlacedStroke, Sources]]:
    for stroke in window.strokes():
        yield stroke, sources_of(window, stroke)


def _acting(window: Window, stroke: PlacedStroke, sources: Sources) -> PlacedStroke:
    """A stroke without what stands before it, where it is a patch."""
    if sources.way != "plate" or not sources.offsets or sources.offsets == (0,):
        return stroke

    patch = patch_of(window.rgb(sources.offsets[0]), stroke)
    return replace(stroke, weight=stroke.weight * (1 - in_front(window.rgb()[stroke.box], patch, stroke.inside)))


def _as_strokes(areas: list[Area], shape: tuple[int, int], before: int) -> Iterator[PlacedStroke]:
    """Places that a person pointed at, as strokes."""
    for number, (x, y, width, height) in enumerate(areas, before + 1):
        left, top = max(0, x), max(0, y)
        size = max(0, min(shape[0], y + height) - top), max(0, min(shape[1], x + width) - left)
        yield PlacedStroke(number, StrokeFill(), left, top, np.ones(size, np.float32), None, np.eye(2, 3))
