"""What the pictures of a reel themselves say of it, measured on a few of them spread over its length."""

from __future__ import annotations

from typing import Literal

import numpy as np
from pydantic import BaseModel, ConfigDict

from grevin.core.errors import MediaError
from grevin.core.measure.fields import FieldVotes, Scan, count_votes, vote
from grevin.core.media.image_sequence import ImageSequence
from grevin.core.media.opening import Reader
from grevin.core.picture.format import PictureFormat
from grevin.core.picture.frame import Frame
from grevin.core.progress import Progress

PAIRS = 24  # pairs of frames looked at, spread over the reel
FOOT_CODE, HEAD_CODE = 8, 247  # 8-bit codes that limited-range pictures reach only by overshoot (EBU R 103: -5..105 %)
OUTSIDE_SHARE = 0.002  # more samples outside than this are no overshoot


class Examination(BaseModel):
    """The measured facts.

    Attributes:
        version: of the rules that measured it.
        scan: progressive, top_first, bottom_first or unknown.
        votes: pairs of frames that spoke for (progressive, top first, bottom first, nothing).
        outside: share of luma samples outside the limited range with its overshoot, 0..1.
        lowest, highest: 8-bit luma codes met.
        odd_pictures: sentences about pictures of another size in a sequence.
        unreadable: (frame, sentence) of frames that could not be read.
    """

    model_config = ConfigDict(frozen=True)

    version: Literal[1] = 1
    scan: Scan
    votes: tuple[int, int, int, int]
    outside: float
    lowest: int
    highest: int
    odd_pictures: tuple[str, ...] = ()
    unreadable: tuple[tuple[int, str], ...] = ()


def examine(reel: Reader, progress: Progress) -> Examination:
    """Look at `PAIRS` pairs of frames.

    Raises:
        CancelledError: if asked to stop.
    """
    progress.begin(PAIRS, "Examining")
    votes: list[Scan] = []
    counts = np.zeros(256, np.int64)
    unreadable: list[tuple[int, str]] = []
    last = max(0, len(reel) - 2)
    for number in sorted({round(last * (place + 0.5) / PAIRS) for place in range(PAIRS)}):
        pair = [_readable(reel, place, unreadable) for place in (number, number + 1) if place < len(reel)]
        frames = [frame for frame in pair if frame is not None]
        if frames:
            counts += np.bincount(frames[0].luma8().ravel(), minlength=256)
        if len(frames) == 2:
            votes.append(vote(frames[0].luma8(), frames[1].luma8()))
        progress.advance()
    met = np.nonzero(counts)[0]
    outside = counts[:FOOT_CODE].sum() + counts[HEAD_CODE + 1 :].sum()
    counted: FieldVotes = count_votes(votes)
    return Examination(
        scan=counted.scan,
        votes=(counted.progressive, counted.top_first, counted.bottom_first, counted.silent),
        outside=float(outside) / max(1, int(counts.sum())),
        lowest=int(met[0]) if len(met) else 0,
        highest=int(met[-1]) if len(met) else 0,
        odd_pictures=reel.odd_pictures(progress) if isinstance(reel, ImageSequence) else (),
        unreadable=tuple(unreadable),
    )


def _readable(reel: Reader, number: int, unreadable: list[tuple[int, str]]) -> Frame | None:
    try:
        return reel.frame(number)
    except MediaError as fault:
        unreadable.append((number, fault.what))
        return None


# Sizes of standard-definition pictures with the (width, height) of their pixels' shape at 4:3 and 16:9: the two
# conventions for 720 samples differ in whether 702/704 or all 720 fill the picture's width (common practice).
SD_ASPECTS: dict[tuple[int, int], str] = {
    (720, 576): "59:54 or 12:11 at 4:3, 118:81 or 16:11 at 16:9",
    (704, 576): "12:11 at 4:3, 16:11 at 16:9",
    (720, 480): "10:11 or 8:9 at 4:3, 40:33 or 32:27 at 16:9",
    (720, 486): "10:11 at 4:3, 40:33 at 16:9",
    (704, 480): "10:11 at 4:3, 40:33 at 16:9",
}
_SQUARE_4_3 = {(640, 480), (768, 576), (1440, 1080), (960, 720), (320, 240), (384, 288)}
_SCAN_WORDS = {
    "progressive": "progressive", "top_first": "interlaced, top field first",
    "bottom_first": "interlaced, bottom field first",
}  # fmt: skip


def contradictions(fmt: PictureFormat, examined: Examination | None) -> tuple[str, ...]:
    """Where the format (as declared, else as found) does not fit the picture, a sentence each.

    Args:
        fmt: what the frames are taken for.
        examined: what was measured; None while it is not known.
    """
    sentences = list(_shape_doubts(fmt))
    if examined is None:
        return tuple(sentences)
    sentences += _scan_doubts(fmt, examined)
    sentences += _range_doubts(fmt, examined)
    return (*sentences, *examined.odd_pictures)


def _shape_doubts(fmt: PictureFormat) -> list[str]:
    size = (fmt.width, fmt.height)
    shown = fmt.width * fmt.pixel_aspect / fmt.height
    if fmt.pixel_aspect == 1 and size in SD_ASPECTS:
        return [
            f"The pixels are taken for square, which shows {fmt.width}x{fmt.height} at {float(shown):.2f}:1; "
            f"this size usually has {SD_ASPECTS[size]}."
        ]
    if fmt.pixel_aspect != 1 and size in _SQUARE_4_3 and abs(float(shown) - 16 / 9) > 0.02:
        return [
            f"{fmt.width}x{fmt.height} is 4:3 with square pixels, but the pixels are said to be "
            f"{fmt.pixel_aspect.numerator}:{fmt.pixel_aspect.denominator}, which shows it at {float(shown):.2f}:1."
        ]
    return []


def _scan_doubts(fmt: PictureFormat, examined: Examination) -> list[str]:
    measured = examined.scan
    if measured == "unknown" or fmt.field_order in {measured, "unknown"}:
        return []
    votes = max(examined.votes[:3])
    seen = "shows combing" if measured != "progressive" else "shows no combing"
    return [
        f"The reel is taken for {_SCAN_WORDS[fmt.field_order]}, but the picture {seen}: "
        f"{_SCAN_WORDS[measured]} in {votes} of {sum(examined.votes)} places looked at."
    ]


def _range_doubts(fmt: PictureFormat, examined: Examination) -> list[str]:
    if not fmt.full_range and examined.outside > OUTSIDE_SHARE:
        return [
            f"The range is taken for limited, but {examined.outside:.1%} of the samples lie outside it "
            f"(codes {examined.lowest} to {examined.highest} of 255): it may be full."
        ]
    narrow = examined.lowest >= 14 and examined.highest <= 237
    if fmt.full_range and fmt.model == "yuv" and narrow and examined.highest > 200:
        return [
            f"The range is taken for full, but codes run only from {examined.lowest} to {examined.highest} of 255: "
            "it may be limited."
        ]
    return []
