"""Steps that work on fields: each field of interlaced material as a picture of its own, woven back afterwards.

The two fields of a frame are two moments. A speck on the one says nothing of the other, whose lines stay as they are.
A field's neighbours are the fields of its own parity; chroma blocks pair lines of one field.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace

import numpy as np

from grevin.core.cache import ByteCache
from grevin.core.picture.format import PictureFormat
from grevin.core.picture.frame import Frame
from grevin.core.picture.geometry import Area
from grevin.core.steps.evidence import Blob, Evidence
from grevin.core.steps.seen import Arrays
from grevin.core.steps.strokes import PlacedStroke
from grevin.core.treatment.step_source import StepSource
from grevin.core.treatment.verdicts import Verdict, same_place
from grevin.core.treatment.window import NamedSource

PARITIES = (0, 1)  # the field of the first line, and that of the second


class FieldSource:
    """A NamedSource: the fields of one parity of another one's frames."""

    def __init__(self, source: NamedSource, parity: int, cache: ByteCache) -> None:
        self._source = source
        self._parity = parity
        self._cache = cache

    @property
    def format(self) -> PictureFormat:
        """Format of a field."""
        return self._source.format.of_field(self._parity)

    @property
    def identity(self) -> str:
        """Identity of the source, and of the field."""
        return self._of(self._source.identity)

    def __len__(self) -> int:
        return len(self._source)

    def _of(self, key: str) -> str:
        return f"{key}/field {self._parity}"

    def key(self, number: int) -> str:
        """Key of all that the field depends on."""
        return self._of(self._source.key(number))

    def near(self, number: int, reach: int) -> str:
        """The same for all within reach."""
        return self._of(self._source.near(number, reach))

    def run_key(self, first: int, stop: int) -> str:
        """The same for a run of frames."""
        return self._of(self._source.run_key(first, stop))

    def name(self, number: int) -> str:
        """Key of what the field is."""
        return self._of(self._source.name(number))

    def frame(self, number: int) -> Frame:
        """The field of a frame, as a picture."""

        def cut() -> Frame:
            frame = self._source.frame(number)
            planes = tuple(np.ascontiguousarray(plane[self._parity :: 2]) for plane in frame.planes)
            return Frame(frame.number, frame.format.of_field(self._parity), planes)

        return self._cache.get(self.name(number), cut, lambda made: made.nbytes)


class FieldPath:
    """What a window on a field knows of the path: that of its frame (`window.Behind`)."""

    def __init__(self, step: StepSource, parity: int) -> None:
        self._step = step
        self._parity = parity

    def study_of(self, number: int) -> Arrays:
        """What the step learned of the shot of a frame."""
        return self._step.study_of(number)

    def around(self, step: str, number: int) -> tuple[Frame, Frame] | None:
        """A frame before and behind the last earlier step of an id."""
        return self._step.around(step, number)

    def strokes_on(self, number: int) -> tuple[PlacedStroke, ...]:
        """What a person drew over damage of a frame, as it lies on the field."""
        return self._step.strokes_on(number, self._parity)


def field_area(area: Area, parity: int) -> Area:
    """A place of the frame, on one of its fields."""
    x, y, width, height = area
    top, stop = max(0, y - parity + 1) // 2, max(0, y + height - parity + 1) // 2
    return x, top, width, max(1, stop - top)


def parity_of(area: Area) -> int:
    """The field that a place given by `woven` lies on."""
    return area[1] % 2


def _frame_blob(blob: Blob, parity: int) -> Blob:
    x, y, width, height = blob.area
    return replace(blob, area=(x, 2 * y + parity, width, 2 * height - 1))


def woven(fields: tuple[Evidence, Evidence], shape: tuple[int, int]) -> Evidence:
    """Evidence on both fields as evidence on their frame, (H, W)."""
    mask = np.zeros(shape, np.bool_)
    weight = np.zeros(shape, np.float32)
    for parity, one in zip(PARITIES, fields, strict=True):
        mask[parity::2] = one.mask
        weight[parity::2] = one.mask if one.weight is None else one.weight
    doubts = list(dict.fromkeys(one.doubt for one in fields if one.doubt))
    words = list(dict.fromkeys(one.words for one in fields if one.words))
    blobs, passed, left = (
        tuple(
            _frame_blob(blob, parity)
            for parity, one in zip(PARITIES, fields, strict=True)
            for blob in getattr(one, name)
        )
        for name in ("blobs", "passed", "left")
    )
    plain = all(one.weight is None for one in fields)
    return Evidence(mask, None if plain else weight, blobs, " ".join(doubts), passed, left, " ".join(words))


def woven_frame(frame: Frame, fields: Iterable[tuple[int, Frame]]) -> Frame:
    """A frame with some of its fields replaced."""
    planes = tuple(plane.copy() for plane in frame.planes)
    for parity, field in fields:
        for plane, part in zip(planes, field.planes, strict=True):
            plane[parity::2] = part
    return replace(frame, planes=planes)


def words_on_fields(
    verdicts: tuple[Verdict, ...], found: tuple[Evidence, Evidence]
) -> tuple[tuple[Verdict, ...], tuple[Verdict, ...]]:  # fmt: skip
    """A person's words on places of the frame, for either field.

    What is to be left is left on both. What is to be mended concerns the field that it was found on; both where it was
    found on neither, but a single line the field that it is of.
    """
    told: tuple[list[Verdict], list[Verdict]] = ([], [])
    for verdict in verdicts:
        on = [replace(verdict, area=field_area(verdict.area, parity)) for parity in PARITIES]
        holds = [any(same_place(b.area, on[p].area) for b in found[p].blobs) for p in PARITIES]
        for parity in PARITIES if verdict.area[3] > 1 else (parity_of(verdict.area),):
            if verdict.word == "leave" or holds[parity] or not any(holds):
                told[parity].append(on[parity])
    return tuple(told[0]), tuple(told[1])
