"""Scratches in the survey: told where the picture moves on beneath them, and not from what stands in the picture."""

from __future__ import annotations

import cv2
import numpy as np
import pytest

from grevin.core.picture.frame import Frame
from grevin.core.progress import Progress
from grevin.core.quality.damage.scratch import Line, ScratchDamage
from grevin.core.quality.memory_source import MemorySource
from grevin.core.survey.measures.base import Seen, Sight
from grevin.core.survey.measures.scratches import Scratches
from grevin.core.survey.proposal import proposal_for
from grevin.core.survey.survey import run_survey
from tests.core.drawn import frame_of, frames_of, texture

LINES = (Line(0.3, 2.0, 40.0), Line(0.7, 3.0, -40.0, "grey", 0.2, 2.0))


def lengths(frames: list[Frame]) -> list[float]:
    seen = [Seen(frame) for frame in frames]
    return [Scratches().of(Sight(seen[n], seen[n - 1], seen[n + 1]))[0] for n in range(1, len(seen) - 1)]


def moving(count: int, speed: float) -> list[Frame]:
    """A soft texture that goes to the left, under noise."""
    wide, rng = texture(4, 14.0, 640, 360), np.random.default_rng(4)
    moves = (np.array([[1.0, 0, -speed * n], [0, 1.0, 0]]) for n in range(count))
    lumas = [cv2.warpAffine(wide, move, (480, 360)) + rng.normal(0, 2, (360, 480)) for move in moves]
    return frames_of(lumas)


@pytest.fixture(scope="module")
def clean() -> list[Frame]:
    return moving(12, 4.0)


def test_scratches_count_by_their_length(clean: list[Frame]) -> None:
    assert lengths(clean) == [0.0] * 10
    worn = [ScratchDamage(3, lines=LINES).add(frame)[0] for frame in clean]
    assert np.mean(lengths(worn)) == pytest.approx(2.0, abs=0.4)
    half = [ScratchDamage(3, lines=(Line(0.4, 2.0, 40.0, first=0.0, last=0.5),)).add(frame)[0] for frame in clean]
    assert np.mean(lengths(half)) == pytest.approx(0.5, abs=0.25)


def test_poles_that_move_with_the_picture_are_none(clean: list[Frame]) -> None:
    poles = []
    for number, frame in enumerate(clean):
        luma = frame.planes[0].copy()
        for place in range(0, 520, 40):
            at = place - 4 * number % 40
            luma[:, max(0, at) : max(0, at + 3)] = 30
        poles.append(frame_of(luma, number))
    assert np.nanmean(lengths(poles)) < 0.1


def test_where_the_camera_stands_nothing_is_told(clean: list[Frame]) -> None:
    still = moving(6, 0.0)
    assert np.isnan(lengths([ScratchDamage(3, lines=LINES).add(frame)[0] for frame in still])).all()


def test_a_scratched_shot_is_found_and_the_step_proposed(clean: list[Frame]) -> None:
    worn = [ScratchDamage(3, lines=LINES).add(frame)[0] for frame in clean]
    for frames, wanted in ((worn, True), (clean, False)):
        survey = run_survey(MemorySource(frames, f"scratched {wanted}"), range(12), "full", Progress())
        assert any(finding.kind == "scratch" for finding in survey.findings) == wanted
        reasons = {one.step: one.reason for one in proposal_for(survey, range(12))}
        assert ("picture heights a frame" in reasons.get("scratch", "")) == wanted
