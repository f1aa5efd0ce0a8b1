"""Every step, and the survey, over pictures of odd sizes and formats: a result or a sentence, never a crash."""

from __future__ import annotations

import contextlib
from fractions import Fraction

import cv2
import numpy as np
import pytest

from grevin.core.errors import GrevinError
from grevin.core.motion.flow import MotionQuality, estimate_flow
from grevin.core.picture.format import PictureFormat
from grevin.core.picture.frame import Frame
from grevin.core.progress import Progress
from grevin.core.quality.memory_source import MemorySource
from grevin.core.steps.registry import REGISTRY
from grevin.core.survey.proposal import proposal_for
from grevin.core.survey.report import summary_lines
from grevin.core.survey.survey import run_survey
from grevin.core.treatment.chain import Chain
from grevin.core.treatment.recipe import Treatment, TreatmentStep

FORMATS = (
    PictureFormat(1, 1, "grey", 8), PictureFormat(2, 2, "rgb", 8), PictureFormat(2, 150, "yuv", 8, chroma="4:2:0"),
    PictureFormat(7, 90, "grey", 8), PictureFormat(320, 8, "yuv", 8, chroma="4:2:0"),
    PictureFormat(200, 33, "yuv", 8, chroma="4:2:2", field_order="top_first"),
    PictureFormat(64, 48, "yuv", 8, chroma="4:1:1", field_order="bottom_first", rate=Fraction(30000, 1001)),
    PictureFormat(33, 47, "yuv", 10, chroma="4:2:2"), PictureFormat(96, 72, "yuv", 16, full_range=True),
    PictureFormat(64, 64, "rgb", 16, sample="half"), PictureFormat(90, 66, "rgb", 16, alpha=True),
)  # fmt: skip
RUNS = (("noise", 1), ("moving", 9))  # what is shown, and on how many frames
MARGIN = 40  # px of the picture that moves


def frames(fmt: PictureFormat, what: str, count: int) -> list[Frame]:
    """Some frames of noise, or of soft shapes that move."""
    rng = np.random.default_rng(7)
    shapes = cv2.GaussianBlur(rng.random((fmt.height + MARGIN, fmt.width + MARGIN)).astype(np.float32), (0, 0), 2)
    shapes = (shapes - shapes.min()) / max(1e-6, float(np.ptp(shapes)))
    made = []
    for number in range(count):
        planes = []
        for height, width in fmt.plane_shapes():
            values = {
                "noise": rng.random((height, width)),
                "moving": shapes[:height, number : number + width],
            }[what]
            codes = values if fmt.sample == "half" else np.rint(values * fmt.max_code)
            planes.append(codes.astype(fmt.dtype))
        made.append(Frame(number, fmt, tuple(planes)))
    return made


@pytest.mark.parametrize("step", REGISTRY.steps)
def test_a_step_with_empty_settings_gives_a_picture_or_says_why_not(step: str) -> None:
    for fmt in FORMATS:
        for what, count in RUNS:
            source = MemorySource(frames(fmt, what, count), "odd")
            chain = Chain(source, Treatment(steps=(TreatmentStep.make(step),)))
            with contextlib.suppress(GrevinError):
                chain.prepare(Progress(), range(count))
                for number in (0, len(chain.result) - 1):
                    made = chain.result.frame(number).rounded()
                    assert tuple(plane.shape for plane in made.planes) == made.format.plane_shapes(), (fmt, what)
                chain.evidence_at(1, count - 1)
                chain.told([0])


def test_the_survey_of_any_picture_says_something() -> None:
    for fmt in FORMATS:
        for what, count in RUNS:
            survey = run_survey(MemorySource(frames(fmt, what, count), "odd"), range(count), "full", Progress())
            proposal_for(survey, range(count))
            assert summary_lines(survey)


@pytest.mark.parametrize("quality", ["fine", "quick", "glance", "far", "steady"])
@pytest.mark.parametrize("size", [(16, 240), (31, 720), (20, 20), (17, 96), (240, 18)])
def test_motion_in_strips_does_not_crash(quality: MotionQuality, size: tuple[int, int]) -> None:
    """OpenCV 5.0.0 ends the whole program where a picture is lower than a patch at its finest scale."""
    rng = np.random.default_rng(3)
    here = cv2.GaussianBlur(rng.random(size), (0, 0), 1.5)
    here = np.asarray(255 * (here - here.min()) / np.ptp(here), np.uint8)
    flow = estimate_flow(here, np.roll(here, 1, axis=1), quality)
    assert flow.shape == (*size, 2)
    assert np.isfinite(flow).all()
