"""The dirt step against truth: simulated dirt over clean material, gain inside and harm outside."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import cv2
import numpy as np
import pytest

from grevin.core.media.opening import open_reel
from grevin.core.motion.flow import estimate_flow, positions, sample
from grevin.core.picture.frame import Frame
from grevin.core.progress import Progress
from grevin.core.quality.damage.dirt import DirtDamage
from grevin.core.quality.figures import Matches, psnr, squared_error
from grevin.core.quality.memory_source import MemorySource
from grevin.core.render.request import RunRequest
from grevin.core.render.run import run
from grevin.core.steps.dirt.filling import Source, fill_blobs
from grevin.core.steps.dirt.judge import MODEL
from grevin.core.steps.dirt.suspects import robust_noise
from grevin.core.treatment.chain import Chain
from grevin.core.treatment.plan import Plan
from grevin.core.treatment.recipe import Treatment, TreatmentStep
from tests.conftest import moving_frames, write_video

DAMAGE = DirtDamage(seed=11, blobs_per_frame=90, hair_share=0.1, largest_px=12)


def dirt(source: MemorySource, **settings: object) -> Chain:
    return Chain(source, Treatment(steps=(TreatmentStep.make("dirt", settings),)))


@pytest.mark.parametrize("bits", [8, 10])
@pytest.mark.parametrize("speed", [0.0, 2.0, 5.5])
def test_dirt_is_found_and_filled_and_the_rest_left(bits: int, speed: float) -> None:
    clean = moving_frames(8, 200, 150, bits, speed)
    pairs = [DAMAGE.add(clean.frame(n)) for n in range(len(clean))]
    damaged = MemorySource([frame for frame, _ in pairs], "damaged")
    chain = dirt(damaged)
    matches = Matches()
    inside = [0.0, 0]
    before = [0.0, 0]
    for number, (dirty, truth) in enumerate(pairs):
        evidence = chain.evidence_at(1, number)
        assert evidence is not None
        matches.count(truth.mask, evidence.mask)
        for total, frame in ((inside, chain.result.frame(number)), (before, dirty)):
            error, samples = squared_error(clean.frame(number).luma8(), frame.luma8(), truth.mask)
            total[0] += error
            total[1] += samples
    ratios = matches.ratios()
    assert matches.true_blobs >= 30
    assert ratios["blob_precision"] > 0.9
    assert ratios["blob_recall"] > 0.85
    assert psnr(*inside) > psnr(*before) + 8


def spot(frame: Frame, level: int, size: int = 8) -> Frame:
    planes = [plane.copy() for plane in frame.planes]
    planes[0][50 : 50 + size, 60 : 60 + size] = level
    return replace(frame, planes=tuple(planes))


def with_spot(number: int, level: int = 10, count: int = 7) -> MemorySource:
    clean = moving_frames(count)
    return MemorySource([spot(clean.frame(n), level) if n == number else clean.frame(n) for n in range(count)], "spot")


@pytest.mark.parametrize("number", [0, 3, 6])
def test_first_middle_and_last_frame_are_mended(number: int) -> None:
    evidence = dirt(with_spot(number)).evidence_at(1, number)
    assert evidence is not None
    assert evidence.mask[50:58, 60:68].mean() > 0.9
    assert len(evidence.blobs) == 1
    blob = evidence.blobs[0]
    assert blob.contrast < -40
    assert blob.confidence > 0.9


def test_polarity_and_sizes_are_kept_to() -> None:
    dark = with_spot(3)
    for settings, found in (
        ({"polarity": "brighter"}, 0), ({"polarity": "darker"}, 1), ({"smallest_px": 100}, 0), ({"largest_px": 20}, 0),
    ):  # fmt: skip
        evidence = dirt(dark, **settings).evidence_at(1, 3)
        assert evidence is not None
        assert len(evidence.blobs) == found, settings


def test_faint_dirt_needs_a_lower_threshold() -> None:
    clean = moving_frames(7)
    middle = clean.frame(3)
    faint = MemorySource(
        [spot(middle, int(middle.planes[0][54, 64]) + 14) if n == 3 else clean.frame(n) for n in range(7)], "faint"
    )
    counts = [len(dirt(faint, sensitivity=s).evidence_at(1, 3).blobs) for s in (3.0, 20.0)]  # type: ignore[union-attr]
    assert counts == [1, 0]


def test_fast_places_are_left_alone() -> None:
    clean = moving_frames(7, speed=5.0)
    source = MemorySource([spot(clean.frame(n), 10) if n == 3 else clean.frame(n) for n in range(7)], "fast")
    assert len(dirt(source).evidence_at(1, 3).blobs) == 1  # type: ignore[union-attr]
    assert len(dirt(source, motion_limit_px=3.0).evidence_at(1, 3).blobs) == 0  # type: ignore[union-attr]


def test_growing_widens_the_evidence() -> None:
    areas = [dirt(with_spot(3), grow_px=g).evidence_at(1, 3).mask.sum() for g in (0, 2, 6)]  # type: ignore[union-attr]
    assert areas[0] < areas[1] < areas[2]


def test_nothing_is_taken_across_a_cut() -> None:
    """A shot of one frame between two others has no neighbours: it stays exactly as it is."""
    first, last = moving_frames(6), moving_frames(6, speed=0.0)
    turned = [replace(last.frame(n), planes=tuple(255 - p for p in last.frame(n).planes)) for n in range(6)]
    lonely = spot(
        replace(first.frame(5), planes=tuple(np.ascontiguousarray(p[::-1]) for p in first.frame(5).planes)), 5
    )
    source = MemorySource([*(first.frame(n) for n in range(5)), lonely, *turned], "cuts")
    chain = dirt(source)
    assert [n for n in range(1, len(source)) if chain.shots.cut_before(n)] == [5, 6]
    assert chain.result.frame(5) is chain.source.frame(5)
    assert chain.result.frame(4) is chain.source.frame(4)
    assert chain.result.frame(6) is chain.source.frame(6)


@pytest.mark.parametrize("count", [1, 2])
def test_very_short_reels_are_left_alone(count: int) -> None:
    source = with_spot(0, count=count)
    chain = dirt(source)
    for number in range(count):
        assert chain.result.frame(number) is chain.source.frame(number)


def test_tiny_pictures_do_not_matter() -> None:
    source = moving_frames(4, 12, 6)
    assert dirt(source).result.frame(1).planes[0].shape == (6, 12)


@pytest.mark.parametrize("quality", ["fine", "quick", "glance", "far", "steady"])
def test_flow_is_the_same_whatever_was_looked_at_before(quality: str) -> None:
    """On small pictures OpenCV's estimator changes settings of its own, which it keeps."""
    here = moving_frames(2, 320, 240).frame(0).luma8()
    there = moving_frames(2, 320, 240).frame(1).luma8()
    first = estimate_flow(here, there, quality)
    for height, width in ((16, 20), (24, 48), (60, 60)):
        estimate_flow(here[:height, :width], there[:height, :width], quality)
    np.testing.assert_array_equal(estimate_flow(here, there, quality), first)


@pytest.mark.reference
def test_flow_finds_a_known_shift() -> None:
    source = moving_frames(2, 200, 150, speed=3.5)
    here, there = source.frame(0).luma8(), source.frame(1).luma8()
    flow = estimate_flow(here, there)
    middle = flow[30:-30, 30:-30]
    assert float(np.median(middle[..., 0])) == pytest.approx(-3.5, abs=0.2)
    assert float(np.median(middle[..., 1])) == pytest.approx(0.0, abs=0.2)
    moved = sample(there, *positions(flow))
    assert cv2.absdiff(here, moved)[30:-30, 30:-30].mean() < 3


@pytest.mark.reference
def test_noise_is_measured_as_it_was_made() -> None:
    """Differences of two pictures with independent noise sigma have sigma * sqrt(2); dirt does not disturb it."""
    rng = np.random.default_rng(2)
    for sigma in (2.0, 5.0):
        pictures = [np.clip(np.rint(rng.normal(120, sigma, (300, 300))), 0, 255).astype(np.uint8) for _ in range(3)]
        pictures[0][:40, :40] = 255
        assert robust_noise(*pictures) == pytest.approx(sigma * np.sqrt(2), rel=0.08)


def test_a_flash_is_left_alone_and_said(tmp_path: Path) -> None:
    """Many bright specks over much of a frame: water, sparks, a flash; not repainted but reported."""
    clean = moving_frames(7)
    rng = np.random.default_rng(3)
    middle = clean.frame(3)
    luma = middle.planes[0].copy()
    for y, x in zip(rng.integers(8, 104, 30), rng.integers(8, 144, 30), strict=True):
        luma[y : y + 5, x : x + 5] = 250
    lit = replace(middle, planes=(luma, *middle.planes[1:]))
    source = MemorySource([lit if n == 3 else clean.frame(n) for n in range(7)], "flash")
    evidence = dirt(source, most_pct=1.0).evidence_at(1, 3)
    assert evidence is not None
    assert not evidence.mask.any()
    assert "may be a flash or a bad frame" in evidence.doubt
    assert dirt(source, most_pct=100.0, most_specks=5000).evidence_at(1, 3).mask.any()  # type: ignore[union-attr]
    reel = open_reel(write_video(tmp_path / "a.mkv", [source.frame(n) for n in range(7)]))
    treatment = Treatment(steps=(TreatmentStep.make("dirt", {"most_pct": 1.0}),))
    proof = run(reel, Plan.whole(treatment), RunRequest(tmp_path / "o.mkv", range(7)), Progress())
    assert any(note.startswith("Frame 3: ") for note in proof.notes)


def test_a_neighbours_own_dirt_is_not_taken() -> None:
    """One neighbour is dirty at the very place: the fill comes from the other one."""
    rng = np.random.default_rng(1)
    picture = cv2.GaussianBlur(rng.random((60, 60, 3), np.float32), (0, 0), 3.0)
    mask, still = np.zeros((60, 60), np.bool_), np.zeros((60, 60, 2), np.float32)
    mask[25:33, 25:33] = True
    spoilt, dirty = picture.copy(), picture.copy()
    spoilt[mask], dirty[mask] = 0.0, 1.0
    clean = np.zeros_like(mask)
    fill_blobs(spoilt, mask, [Source(-1, dirty, still, mask), Source(1, picture, still, clean)])
    assert np.abs(spoilt - picture).max() < 0.03
    fill_blobs(spoilt, mask, [Source(-1, dirty, still, mask), Source(-1, dirty, still, mask)])
    assert np.isfinite(spoilt).all(), "where both are dirty something has to be taken"


def test_caution_moves_the_decision_in_false_blobs_a_frame() -> None:
    thresholds = [MODEL.score(caution) for caution in (0.02, 0.1, 0.5, 2.0, 5.0)]
    assert thresholds == sorted(thresholds, reverse=True)
    assert thresholds[0] - thresholds[-1] > 2
    counts = [len(dirt(with_spot(3, 60), caution=c).evidence_at(1, 3).blobs) for c in (5.0, 0.02)]  # type: ignore[union-attr]
    assert counts[0] >= counts[1]


@pytest.mark.parametrize("bits", [8, 10])
def test_the_median_way_needs_one_frame_and_changes_nothing_else(bits: int) -> None:
    clean = moving_frames(1, 160, 120, bits)
    frame = clean.frame(0)
    unit = 1 << (bits - 8)
    spotted = frame.planes[0].copy()
    spotted[50:54, 60:64] = 235 * unit
    spotted[80:82, 100:103] = 16 * unit
    source = MemorySource([Frame(0, frame.format, (spotted, *frame.planes[1:]))], "median")
    step = TreatmentStep.make("dirt", {"way": "median", "median_px": 9, "median_levels": 30, "largest_px": 40})
    chain = Chain(source, Treatment(steps=(step,)))
    evidence = chain.evidence_at(1, 0)
    assert evidence is not None
    assert {(blob.contrast > 0) for blob in evidence.blobs} >= {True, False}
    assert any(b.area == (60, 50, 4, 4) for b in evidence.blobs)
    result = chain.result.frame(0).planes[0]
    np.testing.assert_array_equal(result[~evidence.mask], spotted[~evidence.mask])
    before = np.abs(spotted.astype(int) - frame.planes[0])[50:54, 60:64].mean()
    after = np.abs(result.astype(int) - frame.planes[0])[50:54, 60:64].mean()
    assert after < before / 4
    assert chain.explain(1, 0, (60, 50, 4, 4)) == "filled from the median of its surroundings"
    only_dark = TreatmentStep.make("dirt", {**step.settings, "polarity": "darker"})
    darker = Chain(source, Treatment(steps=(only_dark,))).evidence_at(1, 0)
    assert darker is not None
    assert all(blob.contrast < 0 for blob in darker.blobs)


def test_quick_motion_finds_most_of_what_fine_motion_finds() -> None:
    clean = moving_frames(8, 200, 150, 8, 3.0)
    dirty = MemorySource([DAMAGE.add(clean.frame(n))[0] for n in range(8)], "quick")
    found = {}
    for motion in ("fine", "quick"):
        chain = Chain(dirty, Treatment(steps=(TreatmentStep.make("dirt", {"motion": motion}),)))
        found[motion] = sum(len(evidence.blobs) for n in range(8) if (evidence := chain.evidence_at(1, n)) is not None)
        assert not np.array_equal(chain.result.frame(4).planes[0], dirty.frame(4).planes[0])
    assert found["quick"] >= 0.8 * found["fine"] > 10


def test_content_that_leaves_the_picture_is_looked_up_beyond_the_other_neighbour() -> None:
    """A pan by 12 px: what enters at the right edge is not to be seen on the frame before."""
    clean = moving_frames(9, 220, 150, 8, 12.0)
    spotted = []
    for number in range(9):
        frame = clean.frame(number)
        luma = frame.planes[0].copy()
        if number == 4:
            luma[70:75, 4:9], luma[40:45, 211:216] = 235, 16
        spotted.append(Frame(number, frame.format, (luma, *frame.planes[1:])))
    evidence = dirt(MemorySource(spotted, "edge")).evidence_at(1, 4)
    assert evidence is not None
    assert evidence.mask[72, 6]
    assert evidence.mask[42, 213]
