"""The survey: what stands out against what was put in, the stored pass, the report."""

from __future__ import annotations

import json
from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import numpy as np
import pypdfium2
import pytest

from grevin.core.errors import CancelledError, OutputError, UnreadableFrameError, UsageError
from grevin.core.job.measured import MeasuredFile
from grevin.core.measure.cadence import cadence_of_shot, repeats_of
from grevin.core.measure.line_jitter import moved_lines
from grevin.core.picture.frame import Frame
from grevin.core.progress import Progress
from grevin.core.quality.damage.dirt import DirtDamage
from grevin.core.quality.damage.wobble import WobbleDamage
from grevin.core.quality.memory_source import MemorySource
from grevin.core.survey.curves import curve_svg
from grevin.core.survey.lanes import Lanes
from grevin.core.survey.measures.base import Depth, Seen, Sight
from grevin.core.survey.measures.line_jitter import LineJitter
from grevin.core.survey.measures.wobble import Wobble
from grevin.core.survey.proposal import proposal_for, words_of
from grevin.core.survey.report import Reported, report_html
from grevin.core.survey.report_files import write_report
from grevin.core.survey.rows import Row
from grevin.core.survey.survey import Survey, measured_key, run_survey
from grevin.core.timebase.counters import Counter
from grevin.core.treatment.verdicts import same_place
from tests.conftest import moving_frames
from tests.core.drawn import frame_of, frames_of, pan

NTSC = Fraction(30000, 1001)


def survey(frames: list[Frame]) -> Survey:
    return run_survey(MemorySource(frames, "survey"), range(len(frames)), "full", Progress())


@pytest.mark.parametrize(
    ("pattern", "rate", "name", "true"),
    [
        ((0, 0, 1, 1, 2, 2, 3, 3, 4, 4, 5, 5), Fraction(25), "12.5 in 25", Fraction(25, 2)),
        ((0, 1, 2, 3, 3), Fraction(30000, 1001), "24 in 29.97", Fraction(24000, 1001)),
        ((0, 1, 2, 3, 4, 4), Fraction(30000, 1001), "25 in 29.97", Fraction(25000, 1001)),
        (tuple(range(12)), Fraction(25), "none", Fraction(25)),
    ],
)
@pytest.mark.parametrize("fresh", [False, True])
def test_cadences_are_named(pattern, rate, name, true, fresh: bool) -> None:
    """Exact repeats, and repeats that were compressed again."""
    step = max(pattern) + 1
    order = [step * block + place for block in range(48 // len(pattern)) for place in pattern]
    clean = pan(max(order) + 1, noise=0.0 if fresh else 2.0)
    rng = np.random.default_rng(5)
    lumas = [clean[n] + (rng.normal(0, 1.0, (240, 320)) if fresh else 0) for n in order]
    frames = [replace(f, format=replace(f.format, rate=rate)) for f in frames_of(lumas)]
    result = run_survey(MemorySource(frames, "cadence"), range(len(frames)), "full", Progress())
    assert result.cadence is not None
    assert result.cadence.name == name
    assert result.cadence.true_rate == true
    expected = [place > 0 and order[place] == order[place - 1] for place in range(len(order))]
    found = repeats_of(result.series["change_largest"], result.series["change_displaced"])
    assert np.mean(found == expected) >= 0.95


def test_irregular_repeats_are_no_cadence() -> None:
    rng = np.random.default_rng(2)
    change = np.where(rng.random(100) < 0.1, 0.0, 8.0).astype(np.float32)
    change[0] = np.nan
    steady = np.full(100, 8.0, np.float32)
    moved = np.zeros(100, np.float32)
    assert cadence_of_shot(change, moved, [steady, steady], Fraction(25)).name == "irregular"
    assert cadence_of_shot(steady, moved, [steady, steady], Fraction(25)).name == "none"


@pytest.mark.parametrize("order", [(2, 3), (3, 2)])
def test_film_over_fields_is_named(order: tuple[int, int]) -> None:
    """Two and three fields of each picture in turn: 24 frames over 60 fields (SMPTE RP 197, from memory)."""
    film = pan(40, 21, 4.0)
    fields = [film[n // 2 * 2 + part] for n in range(0, 38, 2) for part in (0, 1) for _ in range(order[part])]
    frames = []
    for number in range(40):
        woven = fields[2 * number].copy()
        woven[1::2] = fields[2 * number + 1][1::2]
        frames.append(replace(frame_of(woven, number), format=replace(frame_of(woven).format, rate=NTSC)))
    cadence = run_survey(MemorySource(frames, "fields"), range(40), "full", Progress()).cadence
    assert cadence is not None
    assert (cadence.name, cadence.period, cadence.true_rate) == ("3:2 fields", 5, Fraction(24000, 1001))


def test_each_shot_has_a_cadence_and_a_mixed_reel_none_of_its_own() -> None:
    clean = pan(60, 22)
    lumas = [clean[n // 2] for n in range(40)] + [luma[::-1].copy() for luma in clean[:40]]
    result = survey(frames_of(lumas))
    assert [(first, last, one.name) for first, last, one in result.shots] == [
        (0, 39, "12.5 in 25"), (40, 79, "none"),
    ]  # fmt: skip
    assert result.cadence is not None
    assert result.cadence.name == "irregular"
    assert float(result.cadence.true_rate) == pytest.approx(25 * 0.75, rel=0.01)


def test_dirt_is_counted_where_it_was_put() -> None:
    clean = [moving_frames(9, 320, 240).frame(n) for n in range(9)]
    damage = DirtDamage(seed=3, blobs_per_frame=60, hair_share=0.0, largest_px=14)
    dirty = [damage.add(frame) for frame in clean]
    result = survey([frame for frame, _ in dirty])
    true = {number: [mark.area for mark in truth.marks] for number, (_, truth) in enumerate(dirty)}
    inner = range(1, 8)
    spots = [spot for spot in result.spots if int(spot["frame"]) in inner]
    hits = sum(any(same_place(area_of(spot), area) for area in true[int(spot["frame"])]) for spot in spots)
    assert hits >= 0.9 * len(spots)
    assert hits >= 0.6 * sum(len(true[number]) for number in inner)
    assert result.series["dirt_count"][4] == sum(int(spot["frame"]) == 4 for spot in result.spots)
    covered = 100 * sum(int(spot["pixels"]) for spot in result.spots if int(spot["frame"]) == 4) / (320 * 240)
    assert result.series["dirt_area"][4] == pytest.approx(covered, rel=1e-4)
    assert np.isnan(result.series["dirt_count"][0]), "nothing to compare the first frame with"
    assert survey(clean).spots.size <= 2


def area_of(spot: np.ndarray) -> tuple[int, int, int, int]:
    return int(spot["x"]), int(spot["y"]), int(spot["width"]), int(spot["height"])


@pytest.mark.parametrize("depth", ["first", "full"])
def test_a_stopped_pass_goes_on_and_gives_the_same(tmp_path: Path, depth: Depth) -> None:
    frames = frames_of(pan(30, 23))
    store = MeasuredFile(tmp_path / "kept.sqlite")
    source = Counting(frames)
    progress = Progress()

    def stop_at_ten(row: Row) -> None:
        if row.frame == 10:
            progress.cancel()

    with pytest.raises(CancelledError):
        run_survey(source, range(30), depth, progress, store, stop_at_ten)
    kept = store.count(measured_key(source, depth))
    assert 10 <= kept < 30
    source.asked.clear()
    measured: list[int] = []  # before whole shots are looked at

    def last(row: Row) -> None:
        if row.frame == 29:
            measured.extend(source.asked)

    again = run_survey(source, range(30), depth, Progress(), store, last)
    assert min(measured) >= kept - 5, "only what its neighbours need is looked at again"
    whole = run_survey(MemorySource(frames, "whole"), range(30), depth, Progress())
    assert again.cuts == whole.cuts
    assert [one.data() for one in again.findings] == [one.data() for one in whole.findings]
    for name, curve in whole.series.items():
        np.testing.assert_array_equal(again.series[name], curve, name)
    source.asked.clear()
    run_survey(source, range(30), depth, Progress(), store)
    assert source.asked == [], "a pass that is whole is not measured again"


class Counting(MemorySource):
    """Notes which frames were asked for; its name is the same each time."""

    def __init__(self, frames: list[Frame]) -> None:
        super().__init__(frames, "counting")
        self.asked: list[int] = []

    def frame(self, number: int) -> Frame:
        self.asked.append(number)
        return super().frame(number)


def test_a_proposal_follows_from_figures_and_may_be_empty() -> None:
    calm = survey(frames_of(pan(30, 24, noise=1.0)))
    assert proposal_for(calm, range(30)) == []
    assert words_of([]) == "nothing to do"
    damage = DirtDamage(seed=3, blobs_per_frame=60, hair_share=0.0, largest_px=14)
    dirty = survey([damage.add(moving_frames(12, 320, 240).frame(n))[0] for n in range(12)])
    (dirt,) = [one for one in proposal_for(dirty, range(12)) if one.step == "dirt"]
    assert f"{np.nanmean(dirty.series['dirt_count']):.1f} specks a frame" in dirt.reason
    gains = np.where(np.arange(30) % 2, 1.05, 0.95)
    flickering = survey(
        frames_of([np.clip(luma * gain, 0, 255) for luma, gain in zip(pan(30, 25), gains, strict=True)])
    )
    (flicker,) = [one for one in proposal_for(flickering, range(30)) if one.step == "flicker"]
    assert "%" in flicker.reason


def test_lanes_keep_peaks_however_long_the_reel_is() -> None:
    lanes = Lanes(200_000)
    starts = np.linspace(0, 200_000, 701).astype(np.int64)[:-1]
    stops = np.append(starts[1:], 200_000)
    assert np.isnan(lanes.span("noise", starts, stops).high).all()
    lanes.curve("noise")[:] = 2.0
    lanes.curve("noise")[123_456] = 9.0
    span = lanes.span("noise", starts, stops)
    assert np.flatnonzero(span.high == 9.0).tolist() == [int(np.searchsorted(starts, 123_456, "right")) - 1]
    assert (span.low == 2.0).all()
    assert lanes.limits("noise", 40.0) == (-14.5, 25.5)
    lanes.forget("noise")
    assert lanes.value("noise", 0) is None
    assert not lanes.complete


def test_cuts_black_freeze_flash_and_flicker_stand_out() -> None:
    first, second = pan(40, 11), pan(40, 12)
    flicker = np.where(np.arange(40) % 2, 1.04, 0.96)
    lumas = [*first, *(np.clip(luma * gain, 0, 255) for luma, gain in zip(second, flicker, strict=True))]
    lumas[12] = np.clip(lumas[12] + 60, 0, 255)
    lumas[20:40] = [*[lumas[20]] * 10, *lumas[21:31]]
    lumas += [np.full((240, 320), 16.0)] * 3
    result = survey(frames_of(lumas))
    assert result.cuts == [40, 80]
    found = {(one.kind, one.first, one.last) for one in result.findings}
    assert ("flash", 12, 12) in found
    assert ("freeze", 21, 29) in found
    assert ("flicker", 40, 79) in found
    assert ("black", 80, 82) in found
    assert not any(kind == "repeat" for kind, _, _ in found)
    assert not any(kind == "flicker" and first < 40 for kind, first, _ in found)


def test_a_fade_is_no_flicker() -> None:
    lumas = [luma * (1 - 0.02 * n) for n, luma in enumerate(pan(30, 13))]
    assert not [one for one in survey(frames_of(lumas)).findings if one.kind in {"flicker", "flash"}]


def test_clean_material_has_nothing_that_stands_out() -> None:
    result = survey([moving_frames(14, 320, 240).frame(n) for n in range(14)])
    assert result.findings == []
    assert result.cuts == []


def test_unreadable_frames_are_findings_and_the_rest_is_measured() -> None:
    class Broken(MemorySource):
        def frame(self, number: int) -> Frame:
            if number == 5:
                raise UnreadableFrameError("broken", 5, "torn")
            return super().frame(number)

    result = run_survey(Broken(frames_of(pan(12)), "broken"), range(12), "full", Progress())
    assert [(one.kind, one.first) for one in result.findings] == [("unreadable", 5)]
    assert np.isnan(result.series["noise"][5])
    assert not np.isnan(result.series["noise"][6])
    assert np.isnan(result.series["motion_median"][6]), "nothing reaches over a frame that cannot be read"


def test_the_quick_pass_and_a_range() -> None:
    source = MemorySource(frames_of(pan(23)), "quick")
    quick = run_survey(source, range(2, 23), "quick", Progress())
    assert list(quick.frames) == [2, 7, 12, 17, 22]
    assert "noise" not in quick.series
    assert not np.isnan(quick.series["level_luma_mean"]).any()
    whole = run_survey(source, range(4, 9), "full", Progress())
    assert list(whole.frames) == [4, 5, 6, 7, 8]
    assert whole.series["motion_median"][0] == pytest.approx(3.0, abs=0.5), "against the frame before the range"
    json.dumps(whole.data({}))


def test_it_can_be_stopped() -> None:
    progress = Progress()
    progress.cancel()
    with pytest.raises(CancelledError):
        run_survey(MemorySource(frames_of(pan(6)), "stop"), range(6), "full", progress)


def test_the_command_writes_what_it_measured(tmp_path: Path, dirty_reel: Path) -> None:
    from grevin.cli.main import main

    out, curves = tmp_path / "s.json", tmp_path / "s.csv"
    with pytest.raises(SystemExit) as leaving:
        main(["survey", str(dirty_reel), "--range", "2:9", "--json", str(out), "--csv", str(curves)])
    assert leaving.value.code == 0
    data = json.loads(out.read_text())
    assert (data["format"], data["version"]) == ("grevin-survey", 1)
    assert set(data) == {"format", "version", "reel", "frames", "cuts", "cadence", "shots", "series", "findings"}
    assert data["cadence"]["name"] == "none"
    assert all(len(one["values"]) == 7 and one["unit"] for one in data["series"].values())
    rows = curves.read_text().splitlines()
    assert len(rows) == 8
    assert rows[0].startswith("frame,level_luma_mean,")
    assert rows[1].startswith("2,")


def test_lines_that_tremble_are_told_on_repeats_too() -> None:
    """A repeat trembles as the frame before it did: it is held beside the one behind it."""
    rng, clean = np.random.default_rng(4), moving_frames(4, 320, 240)
    worn = []
    for number in range(4):
        frame = clean.frame(number)
        luma = moved_lines(frame.planes[0].astype(np.float32), rng.normal(0, 0.5, 240).astype(np.float32))
        worn.append(frame.with_planes((np.clip(np.rint(luma), 0, 255).astype(np.uint8), *frame.planes[1:])))
    seen = [Seen(worn[number]) for number in (0, 0, 1)]
    (repeat,) = LineJitter().of(Sight(seen[1], seen[0], seen[2]))
    (alone,) = LineJitter().of(Sight(seen[1]))
    assert repeat > 0.5 * alone > 0.02


def test_lines_that_sway_together_are_told_and_a_pan_is_not() -> None:
    clean = moving_frames(12, 320, 240)
    worn = WobbleDamage(seed=2, waves_px=0.0, restless_px=0.8).over(clean)
    for source, wobbles in ((clean, False), (worn, True)):
        result = run_survey(source, range(12), "full", Progress())
        assert ("wobble" in {finding.kind for finding in result.findings}) == wobbles
        told = result.series["wobble"][~np.isnan(result.series["wobble"])]
        assert (told > 0.2).all() if wobbles else (told < 0.08).all()
    flat = [Seen(clean.frame(3))] * 2
    assert np.isnan(Wobble().of(Sight(flat[0], flat[1], flat[1]))[0]), "a repeat says nothing"


def test_the_report_is_one_file_that_says_what_was_found(tmp_path: Path) -> None:
    lumas = pan(24, 14)
    lumas[8] = np.clip(lumas[8] + 70, 0, 255)
    lumas[15:23] = [lumas[15]] * 8
    source = MemorySource(frames_of(lumas), "report")
    result = run_survey(source, range(24), "full", Progress())
    counter = Counter("timecode", Fraction(25))
    text = report_html(Reported("Port Ellery <1962>", result, {"width": 320, "codec": "drawn"}, source, counter))
    assert "<h1>Port Ellery &lt;1962&gt;</h1>" in text
    assert "flash 1 times" not in text
    assert "(frame 8): flash" in text
    assert "(frame 16): frozen picture" in text
    assert text.count("data:image/jpeg;base64,") == 1 + 2, "the shot at a glance, and the worst of each kind"
    assert text.count("<svg") == 17
    assert "http" not in text, "nothing is fetched from elsewhere"
    calm = run_survey(MemorySource(frames_of(pan(10, 15)), "calm"), range(10), "quick", Progress())
    assert "nothing to do" in report_html(Reported("x", calm, {}, source, counter))


def test_a_report_compares_before_and_after() -> None:
    damage = DirtDamage(seed=3, blobs_per_frame=60, hair_share=0.0, largest_px=14)
    clean = [moving_frames(12, 320, 240).frame(n) for n in range(12)]
    before = MemorySource([damage.add(frame)[0] for frame in clean], "before")
    after = MemorySource(clean, "after")
    surveys = [run_survey(source, range(12), "full", Progress()) for source in (before, after)]
    counter = Counter("timecode", Fraction(25))
    text = report_html(Reported("Quay", surveys[0], {}, before, counter, surveys[1], after, {0: "the pier"}))
    assert "before and after treatment" in text
    assert f"<td class=number>{len(surveys[0].spots)}</td><td class=number>{len(surveys[1].spots)}</td>" in text
    assert "after, 00:00:00:" in text
    assert "Shot 1: the pier" in text


def test_the_report_is_laid_out_as_pdf_too(tmp_path: Path) -> None:
    source = MemorySource(frames_of(pan(8, 26)), "pdf")
    about = Reported("Quay", survey(frames_of(pan(8, 26))), {"width": 320}, source, Counter("timecode", Fraction(25)))
    try:
        write_report(tmp_path / "r.pdf", about)
    except OutputError as fault:
        assert "libpango" in fault.hint
        pytest.skip("Pango is not installed, and that is said")
    document = pypdfium2.PdfDocument(tmp_path / "r.pdf")
    text = "".join(page.get_textpage().get_text_range() for page in document)
    assert "Condition report" in text
    assert "8 frames looked at, 1 shot." in text
    assert document[0].render().to_numpy().std() > 5, "something is drawn"
    document.close()
    assert [path.name for path in tmp_path.iterdir()] == ["r.pdf"]
    with pytest.raises(UsageError, match=r"\.html, \.pdf, \.csv, \.json"):
        write_report(tmp_path / "r.doc", about)


def test_a_curve_keeps_its_peaks_and_its_gaps() -> None:
    curve = np.full(20_000, 10.0, np.float32)
    curve[12_345] = 90.0
    curve[5000:10_000] = np.nan
    svg = curve_svg(curve, range(20_000), [15_000], (0.0, 50.0))
    assert ">90</text>" in svg
    assert "V2.0V" in svg, "the single peak reaches the top"
    assert svg.count("M") == 1 + 2, "the line is broken where nothing is known; the third is the cut"
    assert "stroke-dasharray" in svg


@pytest.mark.parametrize("option", ["--json", "--csv", "--report"])
def test_the_command_never_writes_over_a_reel(option: str, dirty_reel: Path) -> None:
    from grevin.cli.main import main

    before = dirty_reel.read_bytes()
    with pytest.raises(SystemExit) as leaving:
        main(["survey", str(dirty_reel), option, str(dirty_reel)])
    assert leaving.value.code == 2
    assert dirty_reel.read_bytes() == before
