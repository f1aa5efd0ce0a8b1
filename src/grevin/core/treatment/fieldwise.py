"""Steps that work on fields: each field of interlaced material as a picture of its own, woven back afterwards.

The two fields of a frame are two moments. A speck on the one says nothing of the other, whose lines stay as they are.
A field's neighbours are the fields of its own parity; chroma blocks pair lines of one field.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace

import numpy as np

from grevin.core.picture.fields import PARITIES
from grevin.core.picture.frame import Frame
from grevin.core.picture.geometry import Area
from grevin.core.steps.evidence import Blob, Evidence
from grevin.core.treatment.verdicts import Verdict, same_place


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
    """A frame with some of its fields replaced; in floating point where theirs are."""
    planes = list(frame.planes)
    for parity, field in fields:
        for place, part in enumerate(field.planes):
            planes[place] = planes[place].astype(np.result_type(planes[place], part))
            planes[place][parity::2] = part
    return replace(frame, planes=tuple(planes))


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
