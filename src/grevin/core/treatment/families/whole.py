"""Whole steps: a new picture, blended by the regions in floating point."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from grevin.core.picture.fields import PARITIES
from grevin.core.picture.frame import Frame
from grevin.core.picture.levels import level_unit
from grevin.core.steps.evidence import Evidence
from grevin.core.treatment.fieldwise import woven, woven_frame
from grevin.core.treatment.regions import blended
from grevin.core.treatment.step_source import Acted, StepSource
from grevin.core.treatment.window import ChainWindow


class WholeSource(StepSource):
    """A whole step over the frames of another source."""

    def _make(self, number: int) -> Frame:
        frame = self._source.frame(number)
        made = self._made_on_fields(number) if self.on_fields else self._render(self.window(number))
        if made is frame:
            return frame
        return blended(frame, made, self._allowed(number))

    def _render(self, window: ChainWindow) -> Frame:
        return self.step.render(window, self.settings_at(window.number))  # type: ignore[union-attr]

    def _made_on_fields(self, number: int) -> Frame:
        """A frame whose fields were made each by itself; the frame where both are as they were."""
        changed = []
        for parity in PARITIES:
            window = self.field_window(number, parity)
            made = self._render(window)
            if made is not window.frame():
                changed.append((parity, made))
        frame = self._source.frame(number)
        return replace(woven_frame(frame, changed), touched="everything") if changed else frame

    def evidence(self, number: int) -> Evidence | None:
        """Places of a frame that is changed, at which the step itself has something against the result."""
        if (
            not hasattr(self.step, "check")
            or (self.learns and not self.is_studied(number))
            or not self._acts_on(number)
        ):
            return None
        make = self._checked_on_fields if self.on_fields else self._checked
        return self._cache.get(f"check/{self.key(number)}", lambda: make(number), lambda evidence: evidence.nbytes)

    def _checked(self, number: int) -> Evidence:
        return self._check(self.window(number), self.frame(number))

    def _check(self, window: ChainWindow, made: Frame) -> Evidence:
        return self.step.check(window, made, self.settings_at(window.number))  # type: ignore[union-attr, no-any-return]

    def _checked_on_fields(self, number: int) -> Evidence:
        made, before = self.frame(number), self._source.frame(number)
        found = []
        for parity in PARITIES:
            window = self.field_window(number, parity)
            planes = tuple(np.ascontiguousarray(plane[parity::2]) for plane in made.planes)
            field = Frame(number, window.format, planes) if made is not before else window.frame()
            found.append(self._check(window, field))
        return woven((found[0], found[1]), (before.format.height, before.format.width))

    def acted(self, before: int, behind: int) -> Acted:
        """Where the picture may be another, and by how much it is."""
        kept, made = self._source.frame(before), self.frame(behind)
        if made is kept:
            return Acted()
        fmt = kept.format
        where = self._allowed(before)
        mask = np.ones((fmt.height, fmt.width), np.bool_) if where is None else where > 0
        return Acted(mask, whole_levels=apart_levels(kept, made))


def apart_levels(one: Frame, other: Frame) -> float:
    """By how much two pictures differ in brightness: rms over the first plane (green of R'G'B'), 8-bit levels."""
    place = 1 if one.format.model == "rgb" else 0
    unit = level_unit(one.format)
    apart = other.planes[place].astype(np.float32) - one.planes[place].astype(np.float32)
    return float(np.sqrt(np.mean(np.square(apart / np.float32(unit)))))
