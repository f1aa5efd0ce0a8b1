"""Train the judges of streaks: `python -m bench.train_dropout`. Writes the weights beside the step, `judge*.json`.

The clips on which rules are set, as interlaced and as whole frames, without noise and under three kinds of it, with
simulated dropouts and clean, their fields also through a codec, and in colours that are much stronger; each clip counts
the same. What the table says of a clip was judged by a model that was trained without it and its neighbours.
"""

from __future__ import annotations

import sys
from dataclasses import replace
from itertools import product

import numpy as np
import numpy.typing as npt

from bench.clips import RULES, Clip, Wear, carried_by_codec, long_run
from bench.clips import worn as worn_by
from bench.logistic import fit_crossed, write_crossed
from bench.on_fields import ORDERS, interlaced
from grevin.core.cache import ByteCache
from grevin.core.measure.logistic import CrossedModel
from grevin.core.picture.frame import Frame, Mask
from grevin.core.quality.damage.dropout import DropoutDamage
from grevin.core.quality.damage.grain import GrainDamage
from grevin.core.quality.damage.tape_noise import TapeNoiseDamage
from grevin.core.quality.memory_source import MemorySource
from grevin.core.steps.dropout import judge
from grevin.core.steps.dropout.settings import DropoutSettings
from grevin.core.steps.dropout.spikes import Of, Spikes, spikes_of
from grevin.core.steps.dropout.step import sights
from grevin.core.steps.dropout.streaks import FEATURES, streaks_of
from grevin.core.treatment.chain import Chain
from grevin.core.treatment.recipe import Treatment, TreatmentStep

DROPOUT = Treatment(steps=(TreatmentStep.make("dropout"),))
SEED = 5200
# None, little, much, and that of a tape: what hardly stands out of one may be plain in another
NOISES = (None, GrainDamage(SEED, 2.5), GrainDamage(SEED, 6.0), TapeNoiseDamage(SEED))
LOOKED_AT = (1, 5, 9)
RUNS = 7  # of a clip under a noise: its fields as they are, through a codec and in strong colours; its whole frames
STRONG = 2.5  # times the colour: no clip has small things as colourful as some mosaics are
A_FRAME = 8.0
WEARS = (Wear(0.0, 8, "h264"), Wear(0.0, 8, "mpeg2"))  # of the fields of either parity
TRUE_FROM, FALSE_BELOW = 0.5, 0.1  # of a streak's pixels that are damaged
EACH = 10.0  # weight of a clip
CLEAN_WEIGHT = 2.0  # of false streaks of clean pictures beside damaged ones
MOST_FALSE = 900  # streaks of a clip, drawn from all: there are many more than true ones, and all tell no more
PARTS = 5  # of the clips, each judged by a model of the others

Rows = npt.NDArray[np.float64]
Example = tuple[Rows, float, float]  # measures, whether it is a dropout, weight


Run = tuple[list[Frame], list[Mask]]
Noise = GrainDamage | TapeNoiseDamage | None


def runs_of(clip: Clip, number: int, a_frame: float, noise: Noise) -> list[Run]:
    """Pictures in a row as the step sees them, the fields of either parity or whole frames, and what is damaged."""
    clean = interlaced(clip, ORDERS[number % 2], grain=0.0)
    if clean is None:
        return []
    frames = _under(clean, noise)
    damage = DropoutDamage(SEED + number, a_frame)
    found = _fields_of(frames, damage)
    found += [
        (coded(fields, wear, SEED, clip.name), masks) for (fields, masks), wear in zip(found, WEARS, strict=True)
        if carried_by_codec(fields[0])
    ]  # fmt: skip
    found += _fields_of([colourful(frame) for frame in frames], damage)
    plain = _under(long_run(clip, len(frames)), noise)
    worn = [damage.add(replace(frame, format=replace(frame.format, field_order="progressive"))) for frame in plain]
    return [*found, ([frame for frame, _ in worn], [truth.mask for _, truth in worn])]


def _under(frames: list[Frame], noise: Noise) -> list[Frame]:
    return [noise.add(frame)[0] for frame in frames] if noise else frames


def _fields_of(frames: list[Frame], damage: DropoutDamage) -> list[Run]:
    """The fields of either parity, damaged."""
    worn, found = [damage.add(frame) for frame in frames], []
    for parity in (0, 1):
        fmt = frames[0].format.of_field(parity)
        fields = [
            Frame(n, fmt, tuple(np.ascontiguousarray(plane[parity::2]) for plane in frame.planes))
            for n, (frame, _) in enumerate(worn)
        ]
        found.append((fields, [truth.mask[parity::2] for _, truth in worn]))
    return found


def colourful(frame: Frame) -> Frame:
    """A frame whose colour is stronger; others than Y'CbCr as they are."""
    if frame.format.model != "yuv":
        return frame
    middle = 1 << (frame.format.bit_depth - 1)
    unit = middle // 128
    chroma = (
        np.clip(np.rint((plane.astype(np.float32) - middle) * STRONG) + middle, 16 * unit, 240 * unit)
        for plane in frame.planes[1:3]
    )
    planes = (frame.planes[0], *(plane.astype(frame.format.dtype) for plane in chroma))
    return Frame(frame.number, frame.format, planes)


def coded(frames: list[Frame], wear: Wear, seed: int, name: str) -> list[Frame]:
    """Frames through a codec."""
    source = worn_by(frames, wear, seed, name)
    return [source.frame(number) for number in range(len(frames))]


def examples(clip: Clip, number: int) -> dict[Of, list[Example]]:
    """Streaks of a clip, by what they were seen in."""
    found: dict[Of, list[Example]] = {of: [] for of in judge.WEIGHTS}
    for noise, a_frame in product(NOISES, (A_FRAME, 0.0)):
        for pictures, truths in runs_of(clip, number, a_frame, noise):
            step = Chain(MemorySource(pictures, "train"), DROPOUT, ByteCache(1 << 28)).steps[0]
            for at in LOOKED_AT:
                if at + 1 >= len(pictures):
                    continue
                weight = CLEAN_WEIGHT if a_frame == 0 else 1.0
                window = step.window(at)
                for sight in sights(window, spikes_of(window, (-1, 1)), DropoutSettings()):
                    found[sight.of] += _told(sight, truths[at], weight)
    return found


def _told(spikes: Spikes, truth: Mask, weight: float) -> list[Example]:
    """Streaks of a picture, with the share of them that is damaged."""
    found = []
    for streak in streaks_of(spikes, DropoutSettings()):
        x, y, width, height = streak.area
        share = float(truth[y : y + height, x : x + width][streak.mask].mean())
        found.append((streak.features, share, weight))
    return found


def fit_clips(parts: list[list[Example]]) -> CrossedModel:
    """A model of several clips, each counting the same; streaks that are damaged in part are left out."""
    rows, true, weight = [], [], []
    for part in parts:
        told = thinned(part)
        whole = sum(one for _, _, one in told)
        rows += [measures for measures, _, _ in told]
        true += [float(share >= TRUE_FROM) for _, share, _ in told]
        weight += [EACH * one / whole for _, _, one in told]
    return fit_crossed(np.stack(rows), np.array(true), np.array(weight))


def thinned(part: list[Example]) -> list[Example]:
    """The streaks of a clip that are dropouts, and some of those that are none, which count for all of them."""
    true = [one for one in part if one[1] >= TRUE_FROM]
    false = [one for one in part if one[1] < FALSE_BELOW]
    if len(false) <= MOST_FALSE:
        return true + false
    drawn = np.random.default_rng(SEED).permutation(len(false))[:MOST_FALSE]
    times = len(false) / MOST_FALSE
    return true + [(false[at][0], false[at][1], false[at][2] * times) for at in drawn]


def table_row(part: list[Example], model: CrossedModel) -> dict[str, float]:
    """Precision, recall among the streaks, and false ones on a clean picture."""
    if not part:
        return {}
    scores = model.scores(np.stack([measures for measures, _, _ in part]))
    taken = scores >= judge.asked(DropoutSettings().caution)
    share = np.array([one for _, one, _ in part])
    clean = np.array([weight for _, _, weight in part]) > 1
    right, there = (taken & (share >= TRUE_FROM)).sum(), (share >= TRUE_FROM).sum()
    wrong = (taken & (share < FALSE_BELOW) & ~clean).sum()
    return {
        "precision": round(float(right / max(1, right + wrong)), 3), "recall": round(float(right / max(1, there)), 3),
        "false_a_clean_picture": round(float((taken & clean).sum()) / (RUNS * len(NOISES) * len(LOOKED_AT)), 2),
    }  # fmt: skip


def main() -> int:
    """Train, judge each clip by the others, and write the weights, for each that streaks are seen in."""
    clips = {clip.name: examples(clip, number) for number, clip in enumerate(RULES)}
    for of in judge.WEIGHTS:
        sys.stdout.write(f"{of}\n")
        _train(of, {name: parts[of] for name, parts in clips.items() if parts[of]})
    return 0


def _train(of: Of, parts: dict[str, list[Example]]) -> None:
    table = {}
    for first in range(PARTS):
        held = list(parts)[first::PARTS]
        model = fit_clips([part for name, part in parts.items() if name not in held])
        table.update({name: table_row(parts[name], model) for name in held})
    for name, row in table.items():
        sys.stdout.write(f"{name}: {row}\n")
    write_crossed(
        judge.WEIGHTS[of], FEATURES, fit_clips(list(parts.values())), made_by="python -m bench.train_dropout",
        seed=SEED, clips=list(parts), left_out=table,
    )  # fmt: skip


if __name__ == "__main__":
    sys.exit(main())
