"""Local steps: evidence first, then a mended picture that is used inside it only."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace

import numpy as np

from grevin.core.picture.colour import paint_inside
from grevin.core.picture.fields import PARITIES
from grevin.core.picture.frame import Frame, Mask, merge_touched
from grevin.core.picture.geometry import Area
from grevin.core.picture.masks import align_to_chroma
from grevin.core.steps.evidence import Blob, Evidence
from grevin.core.treatment.fieldwise import field_area, parity_of, words_on_fields, woven, woven_frame
from grevin.core.treatment.regions import within
from grevin.core.treatment.step_source import Acted, StepSource
from grevin.core.treatment.verdicts import Verdict, apply_verdicts
from grevin.core.treatment.window import ChainWindow

FLAG_BYTES = 64  # of whether a step acts on a frame


class LocalSource(StepSource):
    """A local step over the frames of another source."""

    def evidence(self, number: int) -> Evidence:
        """Where the step acts on the frame, in whole chroma blocks."""
        find = self._find_on_fields if self.on_fields else self._find
        return self._cache.get(f"evidence/{self._on(number)}", lambda: find(number), lambda e: e.nbytes)

    def acted(self, before: int, behind: int) -> Acted:
        """The places that were mended, and those that were left on a person's word."""
        evidence = self.evidence(before)
        return Acted(evidence.mask, evidence.blobs, evidence.left, evidence.doubt)

    def _acts_on(self, number: int) -> bool:
        key = f"acts/{self._on(number)}"
        return bool(self._cache.get(key, lambda: [self._mask_of(number).any()], lambda _: FLAG_BYTES)[0])

    def _mask_of(self, number: int) -> Mask:
        return self.evidence(number).mask

    def _find(self, number: int) -> Evidence:
        window = self.window(number)
        found = self.step.find(window, self.settings_at(number))  # type: ignore[union-attr]
        return self._settled(within(found, self._allowed(number)), window, self._verdicts(number))

    def _find_on_fields(self, number: int) -> Evidence:
        return woven(self._field_evidence(number), (self._source.format.height, self._source.format.width))

    def _field_evidence(self, number: int) -> tuple[Evidence, Evidence]:
        """The same for either field."""

        def find() -> tuple[Evidence, Evidence]:
            where = self._allowed(number)
            windows = [self.field_window(number, parity) for parity in PARITIES]
            settings = self.settings_at(number)
            top, bottom = (
                within(self.step.find(window, settings), None if where is None else where[parity::2])  # type: ignore[union-attr]
                for parity, window in zip(PARITIES, windows, strict=True)
            )
            words = words_on_fields(self._verdicts(number), (top, bottom))
            return self._settled(top, windows[0], words[0]), self._settled(bottom, windows[1], words[1])

        key = f"evidence/fields/{self._on(number)}"
        return self._cache.get(key, find, lambda pair: pair[0].nbytes + pair[1].nbytes)

    def _settled(self, found: Evidence, window: ChainWindow, verdicts: tuple[Verdict, ...]) -> Evidence:
        """What a step found, as a person wants it, in whole chroma blocks."""
        found = apply_verdicts(found, verdicts, lambda area: self._find_at(window, area))
        mask = align_to_chroma(found.mask, window.format)
        if found.weight is not None:
            added = mask & ~found.mask
            found = replace(found, weight=np.where(added, np.float32(0.0), found.weight))
        return replace(found, mask=mask)

    def _find_at(self, window: ChainWindow, area: Area) -> Evidence:
        """What a person's word adds at a place: as the step sees it, or the place as it was drawn."""
        if hasattr(self.step, "find_at"):
            return self.step.find_at(window, area, self.settings_at(window.number))  # type: ignore[no-any-return]
        mask = np.zeros((window.format.height, window.format.width), np.bool_)
        mask[area[1] : area[1] + area[3], area[0] : area[0] + area[2]] = True
        return Evidence(mask, blobs=(Blob(area, int(mask.sum()), 0.0, 0.0),))

    def explain(self, number: int, area: Area) -> str:
        """From where a piece of the evidence is filled, in words; "" where the step does not say."""
        if not hasattr(self.step, "explain"):
            return ""
        settings = self.settings_at(number)
        if not self.on_fields:
            return str(self.step.explain(self.window(number), self.evidence(number), area, settings))
        parity = parity_of(area)
        own = self._field_evidence(number)[parity]
        return str(self.step.explain(self.field_window(number, parity), own, field_area(area, parity), settings))

    def _make(self, number: int) -> Frame:
        frame, evidence = self._source.frame(number), self.evidence(number)
        if not evidence.mask.any():
            return frame
        if self.on_fields:
            painted = woven_frame(frame, self._mended_fields(number))
        else:
            painted = self._mended(frame, self.window(number), evidence)
        return replace(painted, touched=merge_touched(frame.touched, evidence.mask))

    def _mended_fields(self, number: int) -> Iterator[tuple[int, Frame]]:
        for parity, evidence in zip(PARITIES, self._field_evidence(number), strict=True):
            if evidence.mask.any():
                window = self.field_window(number, parity)
                yield parity, self._mended(window.frame(), window, evidence)

    def _mended(self, frame: Frame, window: ChainWindow, evidence: Evidence) -> Frame:
        mended = self.step.mend(window, evidence, self.settings_at(window.number))  # type: ignore[union-attr]
        return paint_inside(frame, mended, evidence.mask, evidence.weight)
