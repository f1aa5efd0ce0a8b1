"""Promise P1: where no step acted, an output carries the source's own code values, bit for bit."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from grevin.core.errors import CancelledError, OutputError
from grevin.core.media.opening import open_reel
from grevin.core.media.pixel_layout import lossless_layout, pack, unpack
from grevin.core.picture.colour import from_rgb, paint_inside, to_rgb
from grevin.core.picture.format import CHROMA_RATIOS, PictureFormat
from grevin.core.picture.masks import align_to_chroma, cover_chroma
from grevin.core.progress import Progress
from grevin.core.render.request import RunRequest
from grevin.core.render.run import run
from grevin.core.render.verify import verify
from grevin.core.treatment.plan import Plan
from grevin.core.treatment.recipe import Treatment, TreatmentStep
from tests.conftest import FORMATS, moving_frames, name_of, random_frame, write_video


@st.composite
def any_format(draw: st.DrawFn) -> PictureFormat:
    model = draw(st.sampled_from(["yuv", "rgb", "grey"]))
    return PictureFormat(
        draw(st.integers(1, 40)),
        draw(st.integers(1, 40)),
        model,
        draw(st.integers(8, 16)),
        chroma=draw(st.sampled_from(sorted(CHROMA_RATIOS))) if model == "yuv" else "4:4:4",
        alpha=draw(st.booleans()),
        full_range=draw(st.booleans()),
        matrix=draw(st.sampled_from(["bt601", "bt709", "bt2020"])),
    )


@given(any_format(), st.integers(0, 2**31))
@settings(max_examples=120, deadline=None)
def test_rgb_and_back_gives_the_same_code_values(fmt: PictureFormat, seed: int) -> None:
    frame = random_frame(fmt, seed=seed)
    picture = to_rgb(frame)
    back = from_rgb(frame, picture).rounded()
    if fmt.model == "grey":
        assert picture.shape == (fmt.height, fmt.width, 3)
    for ours, theirs in zip(back.planes, frame.planes, strict=True):
        np.testing.assert_array_equal(ours, theirs)


@given(any_format(), st.integers(0, 2**31), st.data())
@settings(max_examples=120, deadline=None, suppress_health_check=[HealthCheck.too_slow])
def test_painting_changes_only_what_the_mask_covers(fmt: PictureFormat, seed: int, data: st.DataObject) -> None:
    frame = random_frame(fmt, seed=seed)
    rng = np.random.default_rng(seed)
    mask = align_to_chroma(rng.random((fmt.height, fmt.width)) < data.draw(st.floats(0, 0.3)), fmt)
    before = [plane.copy() for plane in frame.planes]
    painted = paint_inside(frame, rng.random((fmt.height, fmt.width, 3)).astype(np.float32), mask, None)
    for index, (ours, theirs) in enumerate(zip(painted.planes, before, strict=True)):
        chroma = fmt.model == "yuv" and index in {1, 2}
        covered = cover_chroma(mask, *fmt.chroma_ratio) if chroma else mask
        if fmt.alpha and index == len(before) - 1:
            covered = np.zeros_like(mask)
        np.testing.assert_array_equal(ours[~covered], theirs[~covered])
        np.testing.assert_array_equal(frame.planes[index], theirs)


def test_an_aligned_mask_covers_whole_chroma_blocks() -> None:
    fmt = PictureFormat(9, 7, "yuv", 8, chroma="4:2:0")
    mask = np.zeros((7, 9), np.bool_)
    mask[6, 8] = mask[2, 3] = True
    aligned = align_to_chroma(mask, fmt)
    assert aligned[2:4, 2:4].all()
    assert aligned.sum() == 5
    assert cover_chroma(aligned, 2, 2).sum() == 2


@pytest.mark.parametrize("fmt", FORMATS, ids=name_of)
def test_every_layout_is_carried_sample_for_sample(fmt: PictureFormat) -> None:
    frame = random_frame(fmt)
    layout = lossless_layout(fmt)
    planes, model, depth, chroma, alpha = unpack(pack(frame.planes, fmt, layout))
    assert (model, depth, alpha) == (fmt.model, fmt.bit_depth, fmt.alpha)
    assert chroma == fmt.chroma
    for ours, theirs in zip(planes, frame.planes, strict=True):
        np.testing.assert_array_equal(ours, theirs)


@pytest.mark.parametrize("fmt", FORMATS, ids=name_of)
def test_an_empty_treatment_writes_the_source_itself(fmt: PictureFormat, tmp_path: Path) -> None:
    frames = [random_frame(replace(fmt, alpha=fmt.alpha), number) for number in range(3)]
    source = open_reel(write_video(tmp_path / "in.mkv", frames))
    proof = run(source, Plan.whole(Treatment()), RunRequest(tmp_path / "out.mkv", range(3)), Progress())
    assert (proof.frames, proof.untouched, proof.mended) == (3, 3, 0)
    result = verify(source, open_reel(tmp_path / "out.mkv"), range(3), None, Progress())
    assert result.passed
    assert result.identical == 3


@pytest.mark.parametrize(("bits", "chroma", "model"), [(8, "4:2:0", "yuv"), (10, "4:2:2", "yuv"), (16, "4:4:4", "rgb")])
def test_a_treated_reel_differs_inside_its_evidence_only(bits: int, chroma: str, model: str, tmp_path: Path) -> None:
    source = moving_frames(6)
    fmt = PictureFormat(160, 120, model, bits, chroma=chroma, full_range=model == "rgb")  # type: ignore[arg-type]
    frames = []
    for number in range(6):
        frame = from_rgb(random_frame(fmt, number), to_rgb(source.frame(number))).rounded()
        planes = [plane.copy() for plane in frame.planes]
        top, left = 12 + 53 * number % 90, 20 + 71 * number % 120  # dirt lies elsewhere on every frame: along no line
        speck = (slice(top, top + 7), slice(left, left + 8))
        planes[0][speck] = fmt.max_code // 12
        if model == "rgb":
            planes[1][speck] = fmt.max_code // 12
        frames.append(replace(frame, planes=tuple(planes), touched=None))
    reel = open_reel(write_video(tmp_path / "in.mkv", frames))
    treatment = Treatment(steps=(TreatmentStep.make("dirt"),))
    request = RunRequest(tmp_path / "out.mkv", range(6), evidence=tmp_path / "evidence")
    proof = run(reel, Plan.whole(treatment), request, Progress())
    assert proof.mended >= 5
    output = open_reel(tmp_path / "out.mkv")
    assert output.format.describe() == reel.format.describe()
    proved = verify(reel, output, range(6), tmp_path / "evidence", Progress())
    assert proved.passed
    assert proved.changed == proof.mended
    unproved = verify(reel, output, range(6), None, Progress())
    assert not unproved.passed
    assert len(unproved.offending) == proof.mended


def test_verify_finds_one_changed_sample(tmp_path: Path) -> None:
    frames = [random_frame(FORMATS[0], number) for number in range(3)]
    write_video(tmp_path / "a.mkv", frames)
    planes = [plane.copy() for plane in frames[1].planes]
    planes[2][3, 4] ^= 1
    write_video(tmp_path / "b.mkv", [frames[0], replace(frames[1], planes=tuple(planes)), frames[2]])
    result = verify(open_reel(tmp_path / "a.mkv"), open_reel(tmp_path / "b.mkv"), range(3), None, Progress())
    assert result.offending == [(1, 1)]
    assert "frame 1 in 1 samples" in result.sentence()


def test_evidence_of_an_earlier_run_stays_until_the_next_one_succeeded(tmp_path: Path) -> None:
    source = moving_frames(5)
    reel = open_reel(write_video(tmp_path / "in.mkv", [source.frame(n) for n in range(5)]))
    twice = Treatment(steps=(TreatmentStep.make("dirt"), TreatmentStep.make("dirt")))
    folder = tmp_path / "evidence"
    run(reel, Plan.whole(twice), RunRequest(tmp_path / "a.mkv", range(5), evidence=folder), Progress())
    before = sorted(str(path.relative_to(folder)) for path in folder.glob("*/*"))
    assert len(before) == 10
    stopped = Progress(lambda report: stopped.cancel() if report.done == 2 else None)
    with pytest.raises(CancelledError):
        run(
            reel,
            Plan.whole(Treatment(steps=twice.steps[:1])),
            RunRequest(tmp_path / "b.mkv", range(5), evidence=folder),
            stopped,
        )
    assert sorted(str(path.relative_to(folder)) for path in folder.glob("*/*")) == before
    assert sorted(path.name for path in tmp_path.iterdir()) == ["a.mkv", "evidence", "in.mkv"]
    run(
        reel,
        Plan.whole(Treatment(steps=twice.steps[:1])),
        RunRequest(tmp_path / "b.mkv", range(1, 4), evidence=folder),
        Progress(),
    )
    assert sorted(path.name for path in folder.glob("*/*")) == ["000001.png", "000002.png", "000003.png"]


def test_evidence_may_not_be_put_over_the_source(tmp_path: Path) -> None:
    pictures = tmp_path / "material" / "01-dirt"
    source = open_reel(write_video(tmp_path / "in.mkv", [random_frame(FORMATS[7], n) for n in range(3)]))
    run(source, Plan.whole(Treatment()), RunRequest(pictures / "%06d.png", range(3)), Progress())
    reel = open_reel(pictures)
    for folder in (pictures, tmp_path / "material"):
        with pytest.raises(OutputError, match="holds the source"):
            run(reel, Plan.whole(Treatment()), RunRequest(tmp_path / "o.mkv", range(3), evidence=folder), Progress())
    assert len(list(pictures.iterdir())) == 3
    assert not list(tmp_path.glob("*o.*"))
