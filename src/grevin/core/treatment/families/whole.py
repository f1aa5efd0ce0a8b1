"""Whole steps: a new picture, blended by the regions in floating point."""

from __future__ import annotations

import numpy as np

from grevin.core.picture.frame import Frame
from grevin.core.picture.levels import level_unit
from grevin.core.steps.evidence import Evidence
from grevin.core.treatment.regions import blended
from grevin.core.treatment.step_source import Acted, StepSource


class WholeSource(StepSource):
    """A whole step over the frames of another source."""

    def _make(self, number: int) -> Frame:
        frame = self._source.frame(number)
        made = self.step.render(self.window(number), self.settings_at(number))  # type: ignore[union-attr]
        if made is frame:
            return frame
        return blended(frame, made, self._allowed(number))

    def evidence(self, number: int) -> Evidence | None:
        """Places of a frame that is changed, at which the step itself has something against the result."""
        check = getattr(self.step, "check", None)
        if check is None or (self.learns and not self.is_studied(number)) or not self._acts_on(number):
            return None

        def make() -> Evidence:
            window, made = self.window(number), self.frame(number)
            return check(window, made, self.settings_at(number))  # type: ignore[no-any-return]

        return self._cache.get(f"check/{self.key(number)}", make, lambda evidence: evidence.nbytes)

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
