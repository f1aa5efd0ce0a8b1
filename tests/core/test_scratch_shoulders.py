"""Scratches with soft sides: no rim of them is left where the picture goes by, and none is made up where it stands."""

from __future__ import annotations

import numpy as np
import pytest

from grevin.core.picture.colour import from_rgb, to_rgb
from grevin.core.picture.frame import Frame
from grevin.core.progress import Progress
from grevin.core.steps.scratch.lines import Line, extent_of
from grevin.core.steps.scratch.shapes import PARTS, SHAPE_PX, parts_of, shapes_of, with_shoulders
from grevin.core.steps.seen import Arrays
from tests.core.test_scratch import HEIGHT, LENGTH, MIDDLE, WIDTH, over, panned

PLACE, WIDE_PX, LEVELS = 200, 5.0, -44.0


def soft_line(frames: list[Frame]) -> list[Frame]:
    """A scratch that ends nowhere: half of its depth where a box as wide ends, a tenth of it three times as far."""
    away = np.abs(np.arange(WIDTH) - PLACE)
    line = LEVELS / 255 / (1 + np.square(away / (WIDE_PX / 2)))
    return [from_rgb(frame, (to_rgb(frame) + line[None, :, None]).astype(np.float32)).rounded() for frame in frames]


def off_beside(made: Frame, clean: Frame, evidence: np.ndarray) -> float:
    """Levels by which columns beside what was mended are off, in the mean over the rows: the largest."""
    apart = (made.planes[0].astype(float) - clean.planes[0]).mean(axis=0)
    beside = evidence.mean(axis=0) < 0.5
    return float(np.abs(apart[beside]).max())


def test_no_rim_is_left_where_the_picture_goes_by(monkeypatch: pytest.MonkeyPatch) -> None:
    clean = panned(4.5)
    worn = soft_line(clean)
    chain = over(worn)
    left = off_beside(chain.result.frame(MIDDLE), clean[MIDDLE], chain.evidence_at(1, MIDDLE).mask)
    monkeypatch.setattr("grevin.core.steps.scratch.step.with_shoulders", lambda study, line, reach: reach)
    plain = over(worn)
    before = off_beside(plain.result.frame(MIDDLE), clean[MIDDLE], plain.evidence_at(1, MIDDLE).mask)
    assert before > 5
    assert left < 3.5, "it has no end"
    mask = chain.evidence_at(1, MIDDLE).mask
    assert mask.any(axis=0).sum() < 30, "a rim, no part of the picture"


def test_a_picture_that_stands_tells_no_shoulders() -> None:
    """What is upright in it beside the scratch is there on every frame too."""
    still = [frame.with_planes(panned(4.5, length=1)[0].planes) for frame in panned(4.5)]
    study = over(soft_line(still)).steps[0].study_of(0)
    assert len(study["score"])
    assert len(study["shape_track"]) == 0
    moving = over(soft_line(panned(4.5))).steps[0].study_of(0)
    assert len(moving["shape_track"]) == 1
    assert moving["shapes"].shape == (1, PARTS, 2 * SHAPE_PX + 1, 3)


def test_a_hard_sided_scratch_stays_as_narrow_as_it_is() -> None:
    line = Line(0, np.full(HEIGHT, float(PLACE)), 3, True, 3.0, 7)
    clean = panned(4.5)
    worn = []
    for frame in clean:
        luma = frame.planes[0].copy()
        luma[:, PLACE - 1 : PLACE + 2] -= 30
        worn.append(frame.with_planes((luma, *frame.planes[1:])))
    pictures = [to_rgb(frame) for frame in worn]
    parts = np.median([parts_of(picture, line) for picture in pictures[::3]], axis=0)
    study: Arrays = {"shape_track": np.array([7]), "shapes": parts[None]}
    reach = extent_of(pictures[MIDDLE], line)
    assert with_shoulders(study, line, reach) == reach
    other = Line(0, line.centre, 3, True, 3.0, 8)
    assert with_shoulders(study, other, (2, 2)) == (2, 2), "of another scratch nothing is known"
    assert with_shoulders(study, line, (16, 17)) == (16, 17), "nothing is left to tell by"


def test_a_shot_without_scratches_and_one_on_few_frames() -> None:
    study = over(panned(4.5)).steps[0].study_of(0)
    assert study["shapes"].shape == (0, PARTS, 2 * SHAPE_PX + 1, 3)
    few = over(soft_line(panned(4.5)[:3])).steps[0].study_of(0)
    assert len(few["shape_track"]) == 0
    assert LENGTH > 12
    nothing = {"score": np.zeros(0), "frame": np.zeros(0, int)}
    told = shapes_of(nothing, range(5), lambda number: to_rgb(panned(4.5)[number]), Progress())
    assert len(told["shape_track"]) == 0
