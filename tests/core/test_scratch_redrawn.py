"""A found scratch as a drawn one: the same way, few key frames, mended as well, and it goes before what was found."""

from __future__ import annotations

import numpy as np
import pytest

from grevin.core.picture.frame import Frame
from grevin.core.quality.damage.scratch import Line, ScratchDamage
from grevin.core.quality.figures import psnr, squared_error
from grevin.core.quality.memory_source import MemorySource
from grevin.core.steps.scratch.redrawn import OFF_PX, Course, course_at, width_at
from grevin.core.steps.scratch.settings import ScratchSettings
from grevin.core.treatment.chain import Chain
from grevin.core.treatment.recipe import Treatment, TreatmentStep
from grevin.core.treatment.region_edits import moved_everywhere, moving_line
from grevin.core.treatment.step_source import StepSource
from grevin.core.treatment.strokes import Stroke
from tests.core.test_scratch import HEIGHT, LENGTH, MIDDLE, WIDTH, panned

DAMAGE = ScratchDamage(3, lines=(Line(0.4, 3.0, 30.0, wander_px=0.4),))
FRAMES = range(4, LENGTH - 4)


@pytest.fixture(scope="module")
def clean() -> list[Frame]:
    return panned(2.3)


@pytest.fixture(scope="module")
def worn(clean: list[Frame]) -> list[Frame]:
    return [DAMAGE.add(frame)[0] for frame in clean]


@pytest.fixture(scope="module")
def found(worn: list[Frame]) -> Chain:
    return Chain(MemorySource(worn, "found"), Treatment(steps=(TreatmentStep.make("scratch"),)))


@pytest.fixture(scope="module")
def course(found: Chain) -> Course:
    step = found.view_points[1]
    assert isinstance(step, StepSource)
    (blob,) = found.evidence_at(1, MIDDLE).blobs
    return course_at(step.study_of(MIDDLE), MIDDLE, blob.area, (HEIGHT, WIDTH), ScratchSettings())


def redrawn(worn: list[Frame], found: Chain, course: Course, right: float = 0.0) -> Chain:
    evidence = found.evidence_at(1, MIDDLE)
    where = moved_everywhere(moving_line(course, width_at(evidence.mask, evidence.blobs[0].area)), (right, 0.0))
    step = TreatmentStep.make("scratch", strokes=(Stroke(where=where),))
    return Chain(MemorySource(worn, "found"), Treatment(steps=(step,)))


def test_its_course_is_that_of_the_scratch_with_few_key_frames(course: Course) -> None:
    way = moving_line(course, 5.0)
    assert len(course) < LENGTH
    assert (way.first, way.last) == (min(course), max(course))
    for number in FRAMES:
        points, true = way.outline(number), DAMAGE.centres(0, number, (HEIGHT, WIDTH))
        rows = np.clip(np.rint(points[:, 1]).astype(int), 0, HEIGHT - 1)
        assert np.abs(points[:, 0] - true[rows]).mean() < 1.0 + OFF_PX


def test_it_goes_before_what_was_found_and_is_mended_as_well(
    clean: list[Frame], worn: list[Frame], found: Chain, course: Course
) -> None:
    drawn = redrawn(worn, found, course)
    errors = []
    for number in FRAMES[::6]:
        evidence = drawn.evidence_at(1, number)
        assert [blob.by_hand for blob in evidence.blobs] == [True], "nothing is found twice"
        truth = DAMAGE.add(clean[number])[1].mask
        assert (evidence.mask & truth).sum() > 0.9 * truth.sum()
        errors.append([
            psnr(*squared_error(one.planes[0].astype(float), clean[number].planes[0].astype(float), truth))
            for one in (worn[number], found.result.frame(number), drawn.result.frame(number))
        ])  # fmt: skip
    before, by_itself, by_hand = np.mean(errors, axis=0)
    assert by_hand > before + 4
    assert by_hand > by_itself - 1.5


def test_far_from_it_what_was_found_is_taken_as_before(worn: list[Frame], found: Chain, course: Course) -> None:
    aside = redrawn(worn, found, course, right=60.0).evidence_at(1, MIDDLE)
    assert sorted(blob.by_hand for blob in aside.blobs) == [False, True]
    assert aside.mask[found.evidence_at(1, MIDDLE).mask].all()


def test_where_none_was_found_there_is_no_course(found: Chain) -> None:
    step = found.view_points[1]
    assert isinstance(step, StepSource)
    study, size = step.study_of(MIDDLE), (HEIGHT, WIDTH)
    assert course_at(study, MIDDLE, (WIDTH - 20, 20, 9, 9), size, ScratchSettings()) == {}
    assert width_at(found.evidence_at(1, MIDDLE).mask, (WIDTH - 20, 20, 9, 9)) == 0
