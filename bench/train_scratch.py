"""Train the judge of lines: `python -m bench.train_scratch`. Writes `judge.json` of the step.

The clips on which rules are set, with simulated scratches and clean, as they are, with grain and through a codec;
logistic regression of the measures and their products by Newton's method, each clip counting the same. What the table
says of a clip was judged by a model that was trained without it.
"""

from __future__ import annotations

import sys
from dataclasses import replace

import cv2
import numpy as np

from bench.clips import RULES, Clip, Wear, carried_by_codec, long_run, worn
from bench.logistic import fit_crossed, write_crossed
from grevin.core.measure.logistic import CrossedModel
from grevin.core.motion.flow import Luma8, estimate_flow
from grevin.core.parallel import in_parallel
from grevin.core.picture.colour import to_rgb
from grevin.core.picture.frame import Frame
from grevin.core.quality.damage.scratch import ScratchDamage
from grevin.core.steps.scratch import judge
from grevin.core.steps.scratch.features import FEATURES
from grevin.core.steps.scratch.over_shot import Candidate, candidates_of, judged
from grevin.core.steps.scratch.responses import HOP_PX, middle_of
from grevin.core.steps.scratch.sight import Sight, sight_of

LENGTH = 25  # frames
LOOKED_AT = (4, 8, 12, 16, 20)
SEED = 4400
WEARS = (Wear(0.0), Wear(3.0), Wear(2.0, 8, "h264"))  # of the damaged ones, then of the clean ones
WANDERS = (0.0, 0.3, 0.6)  # px a frame
TRUE_FROM, FALSE_BELOW = 0.6, 0.25  # of a line's bands that lie on a scratch
EACH = 10.0  # weight of a clip


def sights_of(frames: list[Frame]) -> dict[int, Sight]:
    """What is looked at of some frames in a row."""
    small = [_half(frame.luma8()) for frame in frames]

    def look(at: int) -> Sight:
        flow = estimate_flow(small[at], small[at + 1], "quick") if at + 1 < len(frames) else None
        return sight_of(to_rgb(frames[at]), flow)

    return dict(enumerate(in_parallel(look, range(len(frames)))))


def _half(luma: Luma8) -> Luma8:
    size = luma.shape[1] // 2, luma.shape[0] // 2
    return np.asarray(cv2.resize(luma, size, interpolation=cv2.INTER_AREA), np.uint8)


def share_on_scratch(one: Candidate, damage: ScratchDamage | None, shape: tuple[int, int]) -> float:
    """How much of a line lies on a scratch."""
    best, height = 0.0, shape[0]
    for place, line in enumerate(damage.drawn if damage is not None else ()):
        grey = line.tint in {"grey", "blue"}
        if not line.begin <= one.frame < line.end or (grey and (line.levels < 0) != one.dark):
            continue
        down = np.clip(middle_of(one.path.bands), 0, height - 1).astype(int)
        away = np.abs(one.path.across - damage.centres(place, one.frame, shape)[down])  # type: ignore[union-attr]
        on = (away < 2.5 + line.width_px / 2) & (down >= line.first * height - 6) & (down < line.last * height + 6)
        best = max(best, float(on.mean()))
    return best


def examples(clip: Clip, number: int) -> list[tuple[Candidate, float, int, int]]:
    """Lines of a clip: each with the share of it on a scratch, its variant (the last is clean), and their height."""
    found: list[tuple[Candidate, float, int, int]] = []
    plain = long_run(clip, LENGTH)
    shape = plain[0].planes[0].shape
    for variant in range(2 * len(WEARS)):
        seed = SEED + 10 * number + variant
        wander = WANDERS[(number + variant) % len(WANDERS)]
        scratched = variant < len(WEARS)
        damage = ScratchDamage(seed, count=9, wander_px=wander, length=len(plain)) if scratched else None
        frames = plain if damage is None else [damage.add(frame)[0] for frame in plain]
        wear = WEARS[variant % len(WEARS)]
        source = worn(frames, wear if carried_by_codec(plain[0]) else replace(wear, codec=""), seed, clip.name)
        sights = sights_of([source.frame(at) for at in range(len(source))])
        for at in LOOKED_AT:
            if at < len(source):
                some = candidates_of(range(at, at + 1), sights)[at]
                found += [(one, share_on_scratch(one, damage, shape), variant, shape[0]) for one in some]
    return found


def fit_clips(parts: list[list[tuple[Candidate, float, int, int]]]) -> CrossedModel:
    """A model of several clips, each counting the same; lines that lie half on a scratch are left out."""
    rows, scratch, weight = [], [], []
    for part in parts:
        told = [(one, share) for one, share, _, _ in part if share >= TRUE_FROM or share < FALSE_BELOW]
        rows += [one.features for one, _ in told]
        scratch += [float(share >= TRUE_FROM) for _, share in told]
        weight += [EACH / max(1, len(told))] * len(told)
    return fit_crossed(np.stack(rows), np.array(scratch), np.array(weight))


def table_row(part: list[tuple[Candidate, float, int, int]], model: CrossedModel) -> dict[str, float]:
    """Precision, and false picture heights a clean frame, single frames alone."""
    groups: dict[tuple[int, int], list[tuple[Candidate, float, int, int]]] = {}
    for row in part:
        groups.setdefault((row[2], row[0].frame), []).append(row)
    right, wrong, clean = 0.0, 0.0, 0.0
    for (variant, _), rows in groups.items():
        share_of = {(id(one.path)): share for one, share, _, _ in rows}
        for one in judged([one for one, *_ in rows], model):
            if one.score <= 0:
                continue
            length, share = len(one.path.across) * HOP_PX / rows[0][3], share_of[id(one.path)]
            right += length * share
            wrong += length * (1 - share) if variant < len(WEARS) else 0.0
            clean += length if variant >= len(WEARS) else 0.0
    frames = max(1, sum(variant >= len(WEARS) for variant, _ in groups))
    return {"precision": round(right / max(1e-9, right + wrong), 3), "clean": round(clean / frames, 3)}


def main() -> int:
    """Train, judge each clip by the others, and write the weights."""
    parts = {}
    for number, clip in enumerate(RULES):
        parts[clip.name] = examples(clip, number)
    table = {
        name: table_row(part, fit_clips([other for key, other in parts.items() if key != name]))
        for name, part in parts.items()
    }
    for name, row in table.items():
        sys.stdout.write(f"{name}: {row}\n")
    write_crossed(
        judge.WEIGHTS, FEATURES, fit_clips(list(parts.values())), made_by="python -m bench.train_scratch", seed=SEED,
        clips=list(parts), left_out=table,
    )  # fmt: skip
    return 0


if __name__ == "__main__":
    sys.exit(main())
