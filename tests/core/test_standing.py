"""Marks that stand while the picture moves on: found, told from what was laid over a picture, surveyed and proposed."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace
from fractions import Fraction

import cv2
import numpy as np
import pytest

from grevin.core.errors import CancelledError
from grevin.core.measure.standing import FARTHEST, Standing, standing_marks
from grevin.core.picture.frame import Frame
from grevin.core.progress import Progress
from grevin.core.quality.damage.spot import Spot, SpotDamage
from grevin.core.quality.memory_source import MemorySource
from grevin.core.survey.proposal import proposal_for
from grevin.core.survey.report import Reported, report_html, summary_lines
from grevin.core.survey.rows import Row
from grevin.core.survey.survey import Survey, run_survey
from grevin.core.survey.words import figures_words
from grevin.core.timebase.counters import Counter
from grevin.core.treatment.chain import Chain
from grevin.core.treatment.recipe import Treatment, TreatmentStep
from grevin.core.treatment.regions import Region
from grevin.demo.surface_reels import under_clouds
from tests.core.test_scratch import HEIGHT, LENGTH, WIDTH, panned

SPOTS = (Spot(0.28, 0.3, 9.0, 0.2), Spot(0.6, 0.66, 6.0, 0.14))
LIGHT = Spot(0.28, 0.3, 9.0, -0.25)  # a flaw of the glass that gathers light


@pytest.fixture(scope="module")
def clean() -> list[Frame]:
    return panned(4.5)


@pytest.fixture(scope="module")
def worn(clean: list[Frame]) -> list[Frame]:
    return with_spots(clean, SPOTS)


def with_spots(frames: list[Frame], spots: tuple[Spot, ...]) -> list[Frame]:
    damage = SpotDamage(2, spots=spots)
    return [damage.add(frame)[0] for frame in frames]


def marks_in(frames: list[Frame]) -> list[Standing]:
    size = frames[0].format.height, frames[0].format.width
    return standing_marks(range(len(frames)), size, lambda number: frames[number].luma8(), Progress())


def round_them(boxes: Iterable[tuple[int, int, int, int]], spots: tuple[Spot, ...]) -> bool:
    """Whether each spot has one box that holds it whole, not thrice as wide as it."""
    boxes = list(boxes)
    for spot in spots:
        across, down, radius = spot.across * WIDTH, spot.down * HEIGHT, spot.radius_px
        round_it = [
            (x, y, width, height) for x, y, width, height in boxes
            if x <= across - radius and y <= down - radius and x + width >= across + radius
            and y + height >= down + radius and max(width, height) < 6 * radius
        ]  # fmt: skip
        if len(round_it) != 1:
            return False
    return len(boxes) == len(spots)


def test_they_are_found_where_the_picture_moves_and_nothing_else(clean: list[Frame], worn: list[Frame]) -> None:
    found = marks_in(worn)
    assert round_them((mark.area for mark in found), SPOTS)
    assert all(mark.light < 0 and 0.5 < mark.sure <= 1 and mark.pixels > 80 for mark in found)
    assert marks_in(clean) == []


def test_what_gathers_light_is_a_mark_too(clean: list[Frame]) -> None:
    (mark,) = marks_in(with_spots(clean, (LIGHT,)))
    assert mark.light > 0
    assert round_them([mark.area], (LIGHT,))


def test_a_slow_picture_is_compared_over_more_frames() -> None:
    slow = panned(0.8)
    assert FARTHEST * 0.8 * 2 > 12, "px that it goes between the frames that are farthest apart"
    assert round_them((mark.area for mark in marks_in(with_spots(slow, SPOTS[1:]))), SPOTS[1:])


def test_in_a_picture_that_stands_nothing_is_a_mark(worn: list[Frame]) -> None:
    assert marks_in([frame.with_planes(worn[0].planes) for frame in worn]) == []


def test_what_was_laid_over_the_picture_is_none(clean: list[Frame]) -> None:
    """A disc of one level hides what goes by beneath it: dust on the sensor lets it shine through."""
    disc = np.zeros((HEIGHT, WIDTH), np.float32)
    cv2.circle(disc, (120, 90), 9, 1.0, -1, cv2.LINE_AA)
    laid = [
        frame.with_planes((np.asarray(frame.planes[0] * (1 - disc) + 60 * disc), *frame.planes[1:])).rounded()
        for frame in clean
    ]
    assert marks_in(laid) == []


def test_a_sky_that_stands_behind_roofs_that_go_by_has_no_marks(monkeypatch: pytest.MonkeyPatch) -> None:
    """Motion that is evened out takes it along with the roofs: its clouds then stand where something should move."""
    frames = [under_clouds(number) for number in range(24)]
    assert marks_in(frames) == []
    monkeypatch.setattr("grevin.core.measure.standing.MOST_STAYING", 1.0)
    assert len(marks_in(frames)) > 0


def test_large_pictures_small_ones_and_short_shots(clean: list[Frame], worn: list[Frame]) -> None:
    large = [np.asarray(cv2.resize(frame.luma8(), None, fx=3, fy=3)) for frame in worn]
    found = standing_marks(range(LENGTH), large[0].shape, lambda number: large[number], Progress())
    assert round_them((tuple(v // 3 for v in mark.area) for mark in found), SPOTS)
    for length in (1, 2, 4):
        assert marks_in(worn[:length]) == []
    for height, width in ((1, 1), (2, 40), (17, 16), (40, 3)):
        tiny = [np.asarray(frame.luma8()[:height, :width]) for frame in worn]
        assert standing_marks(range(LENGTH), (height, width), tiny.__getitem__, Progress()) == []


def test_frames_that_cannot_be_read_are_passed_over(worn: list[Frame]) -> None:
    bad = {0, 7, 8, 20}
    size = HEIGHT, WIDTH
    luma = [None if number in bad else frame.luma8() for number, frame in enumerate(worn)]
    found = standing_marks(range(LENGTH), size, lambda number: luma[number], Progress())
    assert round_them((mark.area for mark in found), SPOTS)
    assert standing_marks(range(LENGTH), size, lambda number: None, Progress()) == []


class Kept:
    """Rows in memory."""

    def __init__(self) -> None:
        self.rows: dict[str, list[Row]] = {}

    def measured(self, key: str) -> list[Row]:
        return list(self.rows.get(key, ()))

    def keep_measured(self, key: str, rows: list[Row]) -> None:
        self.rows.setdefault(key, []).extend(rows)


class Counting(MemorySource):
    """Counts how often a frame is asked for."""

    asked = 0

    def frame(self, number: int) -> Frame:
        self.asked += 1
        return super().frame(number)


def surveyed(source: MemorySource, store: Kept) -> Survey:
    return run_survey(source, range(len(source)), "full", Progress(), store)


def test_a_survey_finds_keeps_and_proposes_them(worn: list[Frame]) -> None:
    source, store = Counting(worn, "dust"), Kept()
    survey = surveyed(source, store)
    found = [finding for finding in survey.findings if finding.kind == "spot"]
    assert round_them((finding.area for finding in found if finding.area is not None), SPOTS)
    assert {(finding.first, finding.last) for finding in found} == {(0, LENGTH - 1)}
    assert "mark that stands while the picture moves (2)" in summary_lines(survey)[-1]
    about = Reported("dust", survey, {}, source, Counter("frames", source.format.rate))
    where = figures_words(found[0].figures, found[0].area)
    assert where.startswith(f"{found[0].figures['pixels']:.4g} px, at ")
    assert where in report_html(about)
    asked = source.asked
    again = surveyed(source, store)
    assert asked == source.asked, "all of it was kept"
    assert again.findings == survey.findings
    (proposed,) = [one for one in proposal_for(survey, range(LENGTH)) if one.step == "spot"]
    assert proposed.reason == "2 marks stand while the picture moves on"
    regions = tuple(Region(**region) for region in proposed.regions)
    step = TreatmentStep.make("spot", proposed.settings, regions=regions)
    chain = Chain(MemorySource(worn, "dust"), Treatment(steps=(step,)))
    words = " ".join(chain.told(range(LENGTH)))
    assert words.count("a spot that changes the light by") == 2


def test_a_survey_that_is_stopped_meanwhile_stops(worn: list[Frame]) -> None:
    progress = Progress()

    def stop(report: object) -> None:
        if getattr(report, "message", "").startswith("Looking for marks"):
            progress.cancel()

    progress.also(stop)
    with pytest.raises(CancelledError):
        run_survey(MemorySource(worn, "dust"), range(LENGTH), "full", progress)


def test_the_step_says_what_it_would_circle_and_changes_nothing(clean: list[Frame], worn: list[Frame]) -> None:
    for frames, words in ((worn, "2 marks stand while the picture moves on"), (clean, "Draw a region")):
        chain = Chain(MemorySource(frames, "dust"), Treatment(steps=(TreatmentStep.make("spot"),)))
        assert words in " ".join(chain.told(range(LENGTH)))
        assert chain.result.frame(4) is chain.source.frame(4)
    assert "mark stands" not in " ".join(chain.told(range(LENGTH)))


def test_interlaced_material_and_wide_pixels(worn: list[Frame]) -> None:
    """Boxes are pixels of the picture, whatever shape those have."""
    fmt = replace(worn[0].format, field_order="top_first", pixel_aspect=Fraction(64, 45))
    assert round_them((mark.area for mark in marks_in([replace(f, format=fmt) for f in worn])), SPOTS)
