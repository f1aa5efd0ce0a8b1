"""What steps do to material that is not damaged, with empty settings: the suite `harm`.

Every open clip as it is, with grain, with the noise of a tape, through two codecs, with things that happen before a
camera (`bench.happenings`), and as interlaced material. Each step that acts by itself is laid over it alone. Steps that
take noise or residue may come nearer to the clean picture; none may go away from it.
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import numpy as np

from bench.clips import CLIPS, Clip, Wear, carried_by_codec, long_run, worn
from bench.happenings import HAPPENINGS
from bench.on_fields import ORDERS, interlaced
from bench.over_clips import suite_over_clips
from grevin.core.picture.frame import Frame
from grevin.core.progress import Progress
from grevin.core.quality.damage.tape_noise import TapeNoiseDamage
from grevin.core.quality.figures import psnr
from grevin.core.quality.memory_source import MemorySource
from grevin.core.treatment.chain import Chain
from grevin.core.treatment.recipe import Treatment, TreatmentStep

SEED = 7000  # of the grain
LENGTH, LOOKED_AT = 14, (0, 4, 7, 10, 13)  # frames
STEPS = (
    "dropout", "jitter", "wobble", "chroma", "compression", "noise", "flicker", "bands", "dirt", "scratch", "edges",
    "stairs",
)  # fmt: skip
WEARS = {
    "as it is": Wear(0.0), "grain": Wear(3.0), "H.264": Wear(2.0, 8, "h264"), "MPEG-2": Wear(1.0, 8, "mpeg2"),
}  # fmt: skip
TAPE, FIELDS = "noise of a tape", "interlaced"
LOST_DB, NOT_SEEN_DB = 0.3, 48.0  # by which a frame gets worse, and above which nobody sees that


def run_harm(wanted: list[str], progress: Progress) -> tuple[dict[str, Any], None]:
    """Measure what is done to undamaged clips.

    Raises:
        UsageError: for a name that does not exist.
    """
    known = [clip.name for clip in CLIPS]
    return suite_over_clips("harm", wanted, known, lambda name: _of_clip(known.index(name)), _together, progress)


def _together(rows: list[dict[str, Any]]) -> dict[str, float]:
    """For each step: how many cases it changed, how many it made visibly worse, and the worst frame's loss and dB."""
    found: dict[str, float] = {}
    for step in STEPS:
        own = [row for row in rows if row["step"] == step]
        if not own:
            continue
        worse = [row for row in own if row["lost_db"] > LOST_DB and row["db"] < NOT_SEEN_DB]
        found[f"{step}_cases"] = len(own)
        found[f"{step}_changed"] = sum(row["changed"] for row in own)
        found[f"{step}_worse"] = len(worse)
        found[f"{step}_lost_db_worst"] = max((row["lost_db"] for row in worse), default=0.0)
        found[f"{step}_db_worst"] = min((row["db"] for row in worse), default=99.0)
    return found


def _of_clip(place: int) -> list[dict[str, Any]]:
    clip = CLIPS[place]
    return [
        {"clip": clip.name, "group": clip.group, "kind": kind, "step": step, **_figures(truth, given, step)}
        for kind, truth, given in _materials(place)
        for step in STEPS
        if not (kind == FIELDS and step == "noise")  # whose grain is part of what is right there
    ]


def _materials(place: int) -> Iterator[tuple[str, list[Frame], list[Frame]]]:
    """Kind, frames as they should be, and as they are given."""
    clip: Clip = CLIPS[place]
    right = long_run(clip, LENGTH)
    coded = carried_by_codec(right[0])
    for kind, wear in WEARS.items():
        if wear.codec and not coded:
            continue
        source = worn(right, wear, SEED + place, clip.name)
        yield kind, right, [source.frame(number) for number in range(len(source))]
    noise = TapeNoiseDamage(SEED + place)
    yield TAPE, right, [noise.add(frame)[0] for frame in right]
    for kind, happen in HAPPENINGS.items():
        happened = happen(right, SEED + place)
        yield kind, happened, happened
    fields = interlaced(clip, ORDERS[place % 2], LENGTH // 2)
    if fields is not None:
        yield FIELDS, fields, fields


def _figures(truth: list[Frame], given: list[Frame], step: str) -> dict[str, float]:
    """Of the frame that the step does most harm to."""
    chain = Chain(MemorySource(given, f"{step} harm"), Treatment(steps=(TreatmentStep.make(step),)))
    worst, changed = (0.0, 99.0), 0
    for number in LOOKED_AT:
        if number >= len(given):
            continue
        made = chain.result.frame(number)
        if made is given[number]:
            continue
        changed = 1
        for before, after in zip(_db(truth[number], given[number]), _db(truth[number], made.rounded()), strict=True):
            worst = max(worst, (min(before, NOT_SEEN_DB) - after, after))  # what was better than can be seen is no loss
    return {"changed": changed, "lost_db": round(worst[0], 2), "db": round(worst[1], 2)}


def _db(right: Frame, frame: Frame) -> tuple[float, float]:
    """Of luma and of both colour planes together, or of green and of red and blue."""
    first = 1 if right.format.model == "rgb" else 0
    unit = float(1 << (right.format.bit_depth - 8))
    apart = [
        np.square((one.astype(np.float64) - other) / unit)
        for one, other in zip(right.planes[:3], frame.planes[:3], strict=True)
    ]
    kinds = [apart[first]], apart[:first] + apart[first + 1 :]
    luma, colour = ((sum(float(one.sum()) for one in kind), sum(one.size for one in kind)) for kind in kinds)
    return psnr(*luma), psnr(*colour)
