"""Trains the judge of dirt: `python -m bench.train_dirt` (minutes; seeded, so that it comes out the same).

Open clips and the demo, clean and with simulated dirt; logistic regression by Newton's method with a ridge. Prints
what each clip scores when the others alone were learned from, then writes `judge.json` from all.
"""

from __future__ import annotations

import json
import sys
from collections.abc import Iterator
from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np
import numpy.typing as npt

from bench.clips import CLIPS, ClipUnavailableError, load_clip
from bench.report import DEMO_CLIP, DEMO_FRAMES
from grevin.core.cache import ByteCache
from grevin.core.parallel import in_parallel
from grevin.core.picture.frame import Frame, Mask
from grevin.core.picture.masks import grow
from grevin.core.picture.source import FrameSource
from grevin.core.quality.damage.dirt import DirtDamage
from grevin.core.quality.figures import HIT_SHARE, TOLERANCE_PX
from grevin.core.quality.memory_source import MemorySource
from grevin.core.steps.dirt import finding, judge
from grevin.core.steps.dirt.settings import DirtSettings
from grevin.core.steps.dirt.step import second_sight
from grevin.core.treatment.chain import Chain
from grevin.core.treatment.recipe import Treatment, TreatmentStep
from grevin.demo.reel import DemoReel

SEEDS = (11, 12, 13, 14)  # of the damage; not the bench's
RIDGE = 3.0  # best of 0.02, 0.3 and 3 on the clips left out
ROUNDS = 30
CAUTIONS = (5.0, 2.0, 1.0, 0.5, 0.3, 0.2, 0.1, 0.05, 0.02)
SD_AREA = 720 * 576
TARGET = Path(judge.__file__).with_name("judge.json")

Rows = npt.NDArray[np.float64]


@dataclass
class Examples:
    """Blobs of one clip.

    Attributes:
        rows: (N, F) measures.
        dirt: (N,) bool, whether they are.
        clean: (N,) bool, whether they come from clean material.
        sd_frames: clean material looked at, in frames of 720x576.
    """

    rows: Rows
    dirt: npt.NDArray[np.bool_]
    clean: npt.NDArray[np.bool_]
    sd_frames: float


def sources() -> Iterator[tuple[str, FrameSource]]:
    """The clips that can be had."""
    for clip in CLIPS:
        try:
            yield clip.name, load_clip(clip)
        except ClipUnavailableError as fault:
            sys.stderr.write(f"{clip.name} is left out: {fault}\n")
    yield DEMO_CLIP, DemoReel().clean_run(DEMO_FRAMES)


def examples_of(clean: FrameSource) -> Examples:
    """Suspects of a clip, clean and damaged."""
    rows: list[Rows] = []
    dirt: list[npt.NDArray[np.bool_]] = []
    untouched: list[npt.NDArray[np.bool_]] = []
    for seed in (None, *SEEDS):
        pairs = [(clean.frame(n), None) if seed is None else DirtDamage(seed=seed).add(clean.frame(n))
                 for n in range(len(clean))]  # fmt: skip
        truths = [None if truth is None else truth.mask for _, truth in pairs]
        for found, right in _suspects([frame for frame, _ in pairs], truths):
            rows.append(found)
            dirt.append(right)
            untouched.append(np.full(len(right), seed is None))
    fmt = clean.format
    frames = len(clean) * fmt.width * fmt.height / SD_AREA
    return Examples(np.concatenate(rows), np.concatenate(dirt), np.concatenate(untouched), frames)


def _suspects(
    frames: list[Frame], truths: list[Mask | None]
) -> Iterator[tuple[Rows, npt.NDArray[np.bool_]]]:  # fmt: skip
    chain = Chain(MemorySource(frames, "train"), Treatment(steps=(TreatmentStep.make("dirt"),)), ByteCache(1 << 30))
    settings = DirtSettings()

    def look(number: int) -> tuple[Rows, npt.NDArray[np.bool_]]:
        sight = second_sight(chain.steps[0].window(number), settings)
        truth = truths[number]
        if sight is None or sight.suspects.count == 0:
            return np.zeros((0, len(judge.FEATURES))), np.zeros(0, np.bool_)
        seen = sight.suspects
        chosen, rows = judge.rows_of(seen)
        allowed = finding.in_bounds(seen.features, settings)[chosen]
        right = np.zeros(len(chosen), np.bool_)
        if truth is not None:
            sizes = np.bincount(seen.labels.ravel(), minlength=seen.count + 1)[1:]
            hits = np.bincount(seen.labels[grow(truth, TOLERANCE_PX)], minlength=seen.count + 1)[1:]
            right = (hits >= HIT_SHARE * sizes)[chosen]
        return rows[allowed], right[allowed]

    yield from in_parallel(look, range(len(frames)))


def fit(parts: list[Examples]) -> judge.Model:
    """A model of several clips, each clip counting the same."""
    rows = np.concatenate([part.rows for part in parts])
    dirt = np.concatenate([part.dirt for part in parts]).astype(np.float64)
    weight = np.concatenate([np.full(len(part.rows), 1000 / len(part.rows)) for part in parts])
    mean, scale = rows.mean(axis=0), rows.std(axis=0) + 1e-9
    features = judge.expanded((rows - mean) / scale)
    features = np.concatenate([features, np.ones((len(features), 1))], axis=1)
    ridge = RIDGE * weight.sum() / 1000 * np.eye(features.shape[1])
    ridge[-1, -1] = 0
    beta = np.zeros(features.shape[1])
    for _ in range(ROUNDS):
        sure = 1 / (1 + np.exp(-np.clip(features @ beta, -30, 30)))
        slope = features.T @ (weight * (dirt - sure)) - ridge @ beta
        bend = (features * (weight * sure * (1 - sure))[:, None]).T @ features + ridge
        step = np.linalg.solve(bend, slope)
        beta += step
        if np.abs(step).max() < 1e-6:
            break
    return judge.Model(tuple(mean), tuple(scale), tuple(beta[:-1]), float(beta[-1]), (1.0, 0.1), (0.0, 1.0))


def with_cautions(model: judge.Model, judged: list[tuple[judge.Model, Examples]]) -> judge.Model:
    """The model with the scores that leave so many false blobs a clean frame.

    Args:
        model: learned from all clips.
        judged: each clip with a model that was learned from the others alone, so that the rates hold for new material;
            each clip counts the same.
    """
    scores, shares = [], []
    for other, part in judged:
        sure = other.confidence(part.rows[part.clean])
        scores.append(np.log(sure / (1 - sure)))
        shares.append(np.full(len(sure), 1 / part.sd_frames / len(judged)))
    score, share = np.concatenate(scores), np.concatenate(shares)
    order = np.argsort(-score)
    falling = np.cumsum(share[order])
    levels = tuple(float(np.interp(caution, falling, score[order])) for caution in CAUTIONS)
    return replace(model, cautions=CAUTIONS, scores=levels)


@dataclass
class Count:
    """What one model takes on one clip.

    Attributes:
        right, taken, dirt: blobs on damaged material: dirt taken, all taken, all dirt.
        false_clean: blobs taken a clean 720x576 frame.
    """

    right: float
    taken: float
    dirt: float
    false_clean: float


def count(model: judge.Model, part: Examples, threshold: float) -> Count:
    """Count what is taken from that confidence on."""
    taken, damaged = model.confidence(part.rows) >= threshold, ~part.clean
    return Count(
        float((taken & part.dirt & damaged).sum()), float((taken & damaged).sum()), float((part.dirt & damaged).sum()),
        float((taken & part.clean).sum()) / part.sd_frames,
    )  # fmt: skip


def main() -> int:
    """Train."""
    parts = {}
    for name, source in sources():
        parts[name] = examples_of(source)
        sys.stderr.write(f"{name}: {len(parts[name].rows)} suspects, {int(parts[name].dirt.sum())} dirt\n")
    alone = {name: fit([part for other, part in parts.items() if other != name]) for name in parts}
    model = with_cautions(fit(list(parts.values())), [(alone[name], part) for name, part in parts.items()])
    sys.stdout.write("Every clip judged by what was learned from the others alone, among the suspects:\n")
    table = {}
    for caution in CAUTIONS:
        threshold = 1 / (1 + np.exp(-model.score(caution)))
        counts = [count(alone[name], part, threshold) for name, part in parts.items()]
        right, taken, dirt = (sum(getattr(row, name) for row in counts) for name in ("right", "taken", "dirt"))
        row = {
            "precision": right / max(1.0, taken), "recall": right / max(1.0, dirt),
            "false_clean": float(np.mean([row.false_clean for row in counts])),
        }  # fmt: skip
        table[str(caution)] = {key: round(value, 3) for key, value in row.items()}
        sys.stdout.write(f"caution {caution}: {table[str(caution)]}\n")
    _write(model, sorted(parts), table)
    return 0


def _write(model: judge.Model, clips: list[str], table: dict[str, dict[str, float]]) -> None:
    data = {
        "provenance": "python -m bench.train_dirt: logistic regression on simulated dirt over open clips and the demo",
        "clips": clips,
        "leave_one_clip_out": table,
        "features": list(judge.FEATURES),
        "mean": [round(value, 5) for value in model.mean],
        "scale": [round(value, 5) for value in model.scale],
        "weights": [round(value, 5) for value in model.weights],
        "bias": round(model.bias, 5),
        "cautions": list(model.cautions),
        "scores": [round(value, 4) for value in model.scores],
    }
    TARGET.write_text(json.dumps(data, indent=1) + "\n", encoding="utf-8")


if __name__ == "__main__":
    sys.exit(main())
