"""Trains the judge of dirt: `python -m bench.train_dirt` (minutes; seeded, so that it comes out the same).

The clips on which rules are set and the demo, clean and with simulated dirt; logistic regression by Newton's method
with a ridge. Prints what each source scores when the others alone were learned from, then writes `judge.json` from
all. Clips of one source are left out together: what was learned on a street in the morning knows the street.
"""

from __future__ import annotations

import json
import sys
from collections.abc import Iterator
from dataclasses import dataclass, replace
from pathlib import Path

import cv2
import numpy as np
import numpy.typing as npt

from bench.clips import RULES, ClipUnavailableError, load_clip
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
from grevin.core.steps.dirt.blobs import Blobs
from grevin.core.steps.dirt.settings import DirtSettings
from grevin.core.steps.dirt.step import second_sight
from grevin.core.treatment.chain import Chain
from grevin.core.treatment.recipe import Treatment, TreatmentStep
from grevin.demo.reel import DemoReel

SEEDS = (11, 12, 13, 14)  # of the damage; not the bench's
RIDGE = 0.3  # best of 0.05, 0.3, 1 and 3 on the sources left out
ROUNDS = 30
CAUTIONS = (5.0, 2.0, 1.0, 0.5, 0.3, 0.2, 0.1, 0.05, 0.02)
SD_AREA = 720 * 576
DIRT_SHARE = 0.5  # of a blob's pixels on dirt from which it is an example of dirt; below `HIT_SHARE` of none
TARGET = Path(judge.__file__).with_name("judge.json")

Rows = npt.NDArray[np.float64]
Flags = npt.NDArray[np.bool_]


@dataclass(frozen=True, eq=False)
class Look:
    """The suspects of one frame.

    Attributes:
        clean: whether the frame is.
        area: of the frame, in frames of 720x576.
        blobs: all of them, N.
        worth: (N,) bool, those that are judged, M.
        rows: (M, F) their measures.
        share: (N,) of their pixels on dirt.
        surcharge: (N,) of the score.
        eligible: (N,) bool, in bounds.
        flying: (N,) bool.
        covered: (T, N) bool, which pieces of dirt they would count as finding.
    """

    clean: bool
    area: float
    blobs: Blobs
    worth: Flags
    rows: Rows
    share: Rows
    surcharge: Rows
    eligible: Flags
    flying: Flags
    covered: Flags

    def taken(self, model: judge.Model) -> tuple[Rows, Flags]:
        """(N,) score less surcharge by a model, and which blobs are chosen where blobs overlap, as the step does."""
        score = np.full(len(self.blobs), -np.inf)
        if self.worth.any():
            score[self.worth] = finding.score_of(model.confidence(self.rows))
        score = np.where(self.eligible, score - self.surcharge, -np.inf)
        return score, np.asarray(self.blobs.best(score) & np.isfinite(score) & ~self.flying)


def sources() -> Iterator[tuple[str, str, FrameSource]]:
    """Name, origin and frames of what can be had."""
    for clip in RULES:
        try:
            yield clip.name, clip.source, load_clip(clip)
        except ClipUnavailableError as fault:
            sys.stderr.write(f"{clip.name} is left out: {fault}\n")
    yield DEMO_CLIP, DEMO_CLIP, DemoReel().clean_run(DEMO_FRAMES)


def looks_at(clean: FrameSource) -> list[Look]:
    """Suspects of a clip, clean and damaged."""
    found: list[Look] = []
    for seed in (None, *SEEDS):
        pairs = [(clean.frame(n), None) if seed is None else DirtDamage(seed=seed).add(clean.frame(n))
                 for n in range(len(clean))]  # fmt: skip
        truths = [None if truth is None else truth.mask for _, truth in pairs]
        found += _looks([frame for frame, _ in pairs], truths)
    return found


def _looks(frames: list[Frame], truths: list[Mask | None]) -> list[Look]:
    chain = Chain(MemorySource(frames, "train"), Treatment(steps=(TreatmentStep.make("dirt"),)), ByteCache(1 << 30))
    settings = DirtSettings()

    def look(number: int) -> Look | None:
        sight = second_sight(chain.steps[0].window(number), settings)
        truth, fmt = truths[number], frames[number].format
        if sight is None:
            return None
        seen = sight.suspects
        worth = judge.worth_looking(seen.features)
        rows = judge.measures(seen, worth) if worth.any() else np.zeros((0, len(judge.FEATURES)))
        share, covered = _against(seen.blobs, truth)
        return Look(
            truth is None, fmt.width * fmt.height / SD_AREA, seen.blobs, worth, rows, share, finding.surcharge(seen),
            finding.in_bounds(seen.features, settings), sight.flying, covered,
        )  # fmt: skip

    return [one for one in in_parallel(look, range(len(frames))) if one is not None]


def _against(blobs: Blobs, truth: Mask | None) -> tuple[Rows, Flags]:
    """(N,) share of each blob on dirt, and (T, N) which pieces of dirt each would find."""
    if truth is None or not len(blobs):
        return np.zeros(len(blobs)), np.zeros((0, len(blobs)), np.bool_)
    share = blobs.mean(grow(truth, TOLERANCE_PX)[blobs.place])
    count, labels = cv2.connectedComponents(truth.view(np.uint8), connectivity=8)
    sizes, on = np.bincount(labels.ravel(), minlength=count)[1:], labels[blobs.place]
    hits = np.array([blobs.total(on == piece) for piece in range(1, count)]).reshape(count - 1, len(blobs))
    return share, np.asarray(hits >= HIT_SHARE * sizes[:, None])


def fit(parts: list[list[Look]]) -> judge.Model:
    """A model of several clips, each clip counting the same."""
    rows, dirt, weight = (np.concatenate(columns) for columns in zip(*(_examples(part) for part in parts), strict=True))
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


def _examples(part: list[Look]) -> tuple[Rows, Rows, Rows]:
    """Measures, whether they are of dirt, and weights, of a clip's blobs that are clearly one or the other."""
    rows = np.concatenate([look.rows for look in part])
    share = np.concatenate([look.share[look.worth] for look in part])
    told = (share >= DIRT_SHARE) | (share < HIT_SHARE)
    return rows[told], (share[told] >= DIRT_SHARE).astype(np.float64), _even_weights(int(told.sum()))


def _even_weights(count: int) -> Rows:
    return np.full(count, 1000 / max(1, count))


Judged = dict[str, list[tuple[Look, Rows, Flags]]]  # by source: a look, its scores, what is chosen


def judged_alone(parts: dict[str, tuple[str, list[Look]]]) -> Judged:
    """Every source judged by what was learned from the others alone."""
    result: Judged = {}
    for origin in sorted({origin for origin, _ in parts.values()}):
        model = fit([looks for other, looks in parts.values() if other != origin])
        looks = [look for other, part in parts.values() if other == origin for look in part]
        result[origin] = [(look, *look.taken(model)) for look in looks]
    return result


def false_rates(judged: Judged, threshold: float) -> list[float]:
    """False blobs a clean frame of 720x576 from that score on, of each source."""
    rates = []
    for looks in judged.values():
        clean = [(look.area, int(np.count_nonzero(chosen & (score >= threshold)))) for look, score, chosen in looks
                 if look.clean]  # fmt: skip
        rates.append(sum(count for _, count in clean) / sum(area for area, _ in clean))
    return rates


def threshold_for(judged: Judged, caution: float) -> float:
    """The score from which so many false blobs a clean frame are taken, in the mean of the sources."""
    low, high = -10.0, 20.0
    for _ in range(50):
        middle = (low + high) / 2
        low, high = (middle, high) if np.mean(false_rates(judged, middle)) > caution else (low, middle)
    return high


def row_of(judged: Judged, threshold: float) -> dict[str, float]:
    """What is found and how right it is, from a score on."""
    right = taken = found = dirt = 0
    for looks in judged.values():
        for look, score, chosen in looks:
            if look.clean:
                continue
            kept = chosen & (score >= threshold)
            right += int(np.count_nonzero(look.share[kept] >= HIT_SHARE))
            taken += int(np.count_nonzero(kept))
            found += int(np.count_nonzero(look.covered[:, kept].any(axis=1)))
            dirt += len(look.covered)
    rates = false_rates(judged, threshold)
    row = {"precision": right / max(1, taken), "recall": found / max(1, dirt), "false_clean": float(np.mean(rates)),
           "false_clean_median": float(np.median(rates)), "false_clean_most": max(rates)}  # fmt: skip
    return {name: round(value, 3) for name, value in row.items()}


def main() -> int:
    """Train."""
    parts: dict[str, tuple[str, list[Look]]] = {}
    for name, origin, source in sources():
        parts[name] = origin, looks_at(source)
        sys.stderr.write(f"{name}: {sum(len(look.rows) for look in parts[name][1])} suspects\n")
    judged = judged_alone(parts)
    thresholds = tuple(threshold_for(judged, caution) for caution in CAUTIONS)
    model = replace(fit([looks for _, looks in parts.values()]), cautions=CAUTIONS, scores=thresholds)
    sys.stdout.write("Every source judged by what was learned from the others alone:\n")
    table = {}
    for caution, threshold in zip(CAUTIONS, thresholds, strict=True):
        table[str(caution)] = row_of(judged, threshold)
        sys.stdout.write(f"caution {caution}: {table[str(caution)]}\n")
    _write(model, sorted(parts), table)
    return 0


def _write(model: judge.Model, clips: list[str], table: dict[str, dict[str, float]]) -> None:
    data = {
        "provenance": "python -m bench.train_dirt: logistic regression on simulated dirt over open clips and the demo",
        "clips": clips,
        "leave_one_source_out": table,
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
