"""Steps on fields: a speck on one field leaves the lines of the other as they are, bit for bit."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from grevin.core.media.opening import open_reel
from grevin.core.picture.format import PictureFormat
from grevin.core.picture.frame import Frame
from grevin.core.picture.masks import chroma_under, cover_chroma
from grevin.core.progress import Progress
from grevin.core.quality.damage.border import BorderDamage
from grevin.core.quality.damage.dirt import DirtDamage
from grevin.core.quality.damage.grain import GrainDamage
from grevin.core.quality.damage.scratch import Line, ScratchDamage
from grevin.core.quality.memory_source import MemorySource
from grevin.core.render.request import RunRequest
from grevin.core.render.run import run
from grevin.core.render.verify import verify
from grevin.core.steps.registry import REGISTRY
from grevin.core.treatment.chain import Chain
from grevin.core.treatment.plan import Plan
from grevin.core.treatment.recipe import Treatment, TreatmentStep
from grevin.core.treatment.regions import Region
from grevin.core.treatment.verdicts import Verdict, Verdicts
from tests.conftest import moving_frames, write_video

DIRT = Treatment(steps=(TreatmentStep.make("dirt"),))
WIDTH, HEIGHT, FRAMES = 320, 240, 7
TRACE = 2.0  # 8-bit levels by which light may be measured otherwise; what was changed differs by 90 in the mean
SPECKS = [(60, 20, 14, 8), (150, 60, 9, 5), (250, 90, 20, 10)]  # x, y, width, height on a field


def woven(order: str, chroma: str = "4:2:0") -> list[Frame]:
    """Two moments a frame of a picture that moves by 3 px a field."""
    whole = moving_frames(2 * FRAMES, WIDTH, HEIGHT, speed=3.0)
    fmt = replace(whole.format, field_order=order, chroma=chroma)
    made = []
    for number in range(FRAMES):
        early, late = (whole.frame(2 * number + n).planes[0] for n in (0, 1))
        luma = early.copy()
        second = 1 if order == "top_first" else 0
        luma[second::2] = late[second::2]
        rng = np.random.default_rng(number)
        rest = tuple(rng.integers(110, 140, shape).astype(np.uint8) for shape in fmt.plane_shapes()[1:])
        made.append(Frame(number, fmt, (luma, *rest)))
    return made


def specked(frames: list[Frame], number: int, parity: int) -> list[Frame]:
    """The frames with specks on one field of one of them."""
    frame = frames[number]
    luma = frame.planes[0].copy()
    field = luma[parity::2]
    for x, y, width, height in SPECKS:
        field[y : y + height, x : x + width] = 240 if field[y : y + height, x : x + width].mean() < 130 else 12
    damaged = replace(frame, planes=(luma, *frame.planes[1:]))
    return [*frames[:number], damaged, *frames[number + 1 :]]


@pytest.mark.parametrize("order", ["top_first", "bottom_first"])
@pytest.mark.parametrize("parity", [0, 1])
@pytest.mark.parametrize("chroma", ["4:2:0", "4:2:2"])
def test_specks_on_one_field_leave_the_other_alone(order: str, parity: int, chroma: str) -> None:
    clean = woven(order, chroma)
    frames = specked(clean, 3, parity)
    chain = Chain(MemorySource(frames, "fields"), DIRT)
    evidence, result = chain.steps[0].evidence(3), chain.result.frame(3)
    assert evidence is not None
    for plane, before in zip(result.planes, frames[3].planes, strict=True):
        np.testing.assert_array_equal(plane[1 - parity :: 2], before[1 - parity :: 2])
    assert len(evidence.blobs) == len(SPECKS)
    for x, y, width, height in SPECKS:
        rows, columns = slice(2 * y + parity, 2 * (y + height) + parity, 2), slice(x, x + width)
        assert evidence.mask[rows, columns].all()
        apart = np.abs(result.planes[0][rows, columns].astype(int) - clean[3].planes[0][rows, columns]).mean()
        assert apart < 6, "as good as on a progressive picture"
    for number in (1, 2, 4, 5):
        assert chain.result.frame(number) is frames[number]


def test_the_proof_holds_field_by_field(tmp_path: Path) -> None:
    frames = specked(woven("top_first"), 3, 1)
    path = write_video(tmp_path / "tape.mkv", frames, field_order=2)
    reel = open_reel(path)
    assert reel.format.has_fields
    request = RunRequest(tmp_path / "out.mkv", range(len(frames)), evidence=tmp_path / "evidence")
    proof = run(reel, Plan.whole(DIRT), request, Progress())
    assert proof.mended == 1
    assert proof.mends == len(SPECKS)
    out = open_reel(tmp_path / "out.mkv")
    found = verify(reel, out, range(len(frames)), tmp_path / "evidence", Progress())
    assert not found.offending
    assert found.changed == 1
    for plane, before in zip(out.frame(3).planes, frames[3].planes, strict=True):
        np.testing.assert_array_equal(plane[0::2], before[0::2])
    reel.close()
    out.close()


def test_words_and_regions_are_about_the_frame() -> None:
    frames = specked(woven("top_first"), 3, 0)
    source = MemorySource(frames, "words")
    blobs = sorted(Chain(source, DIRT).steps[0].evidence(3).blobs, key=lambda blob: blob.area)
    left = Chain(source, DIRT, verdicts=Verdicts([Verdict("dirt", 3, blobs[0].area, "leave")]))
    assert [blob.area for blob in left.steps[0].evidence(3).left] == [blobs[0].area]
    assert len(left.steps[0].evidence(3).blobs) == len(SPECKS) - 1
    x, y, width, height = blobs[0].area
    assert np.array_equal(left.result.frame(3).planes[0][y : y + height, x : x + width],
                          frames[3].planes[0][y : y + height, x : x + width])  # fmt: skip
    agreed = Chain(source, DIRT, verdicts=Verdicts([Verdict("dirt", 3, blobs[0].area, "mend")]))
    assert np.array_equal(agreed.steps[0].evidence(3).mask, Chain(source, DIRT).steps[0].evidence(3).mask)
    assert Chain(source, DIRT).explain(1, 3, blobs[0].area).startswith("filled from frame ")
    region = Region(use="protect", x=x - 4, y=y - 4, width=width + 8, height=height + 8)
    step = DIRT.steps[0].model_copy(update={"regions": (region,)})
    assert len(Chain(source, Treatment(steps=(step,))).steps[0].evidence(3).blobs) == len(SPECKS) - 1


def test_what_a_person_points_at_is_mended_on_its_fields() -> None:
    frames = woven("bottom_first")
    source = MemorySource(frames, "pointed")
    chain = Chain(source, DIRT, verdicts=Verdicts([Verdict("dirt", 3, (100, 100, 12, 10), "mend")]))
    evidence = chain.steps[0].evidence(3)
    assert evidence.blobs
    assert evidence.blobs[0].by_hand
    rows = np.flatnonzero(evidence.mask.any(axis=1))
    assert rows.min() >= 90
    assert rows.max() <= 120


@pytest.mark.parametrize(
    ("height", "chroma", "fields"), [(486, "4:2:0", False), (486, "4:2:2", True), (576, "4:2:0", True)]
)
def test_pictures_that_give_no_two_whole_fields_are_treated_as_frames(height: int, chroma: str, fields: bool) -> None:
    assert PictureFormat(720, height, "yuv", 8, chroma=chroma, field_order="top_first").has_fields is fields


def test_chroma_of_a_field_lies_under_its_own_lines() -> None:
    fmt = PictureFormat(8, 8, "yuv", 8, chroma="4:2:0", field_order="top_first")
    mask = np.zeros((8, 8), np.bool_)
    mask[[1, 3], 2] = True  # two lines of the second field, one block of it
    assert [tuple(int(n) for n in place) for place in np.argwhere(chroma_under(mask, fmt))] == [(1, 1)]
    assert np.array_equal(chroma_under(mask, replace(fmt, field_order="progressive")), cover_chroma(mask, 2, 2))


ACTING = [  # those that change pictures by themselves; what is drawn by hand is tested with its own steps
    step for step, kind in REGISTRY.steps.items()
    if kind.family in {"local", "whole"} and not hasattr(kind, "learns_where") and (
        hasattr(kind, "learn") or not hasattr(kind, "fills_strokes")
    )
]  # fmt: skip


def worn(frames: list[Frame]) -> list[Frame]:
    """With what steps act on: dark sides, dirt, a scratch, grain, and light that varies."""
    light = np.random.default_rng(5).normal(1.0, 0.05, len(frames))
    damages = (
        DirtDamage(seed=5, blobs_per_frame=20, hair_share=0.0, largest_px=10),
        ScratchDamage(3, lines=(Line(0.4, 3.0, 40.0),)), BorderDamage(3, 6, 7), GrainDamage(4, 2.0),
    )  # fmt: skip
    made = []
    for frame, gain in zip(frames, light, strict=True):
        luma = np.clip(np.rint(16 + (frame.planes[0].astype(float) - 16) * gain), 16, 235).astype(np.uint8)
        one = replace(frame, planes=(luma, *frame.planes[1:]))
        for damage in damages:
            one = damage.add(one)[0]
        made.append(one)
    return made


@pytest.mark.parametrize("step", ACTING)
def test_no_step_carries_anything_from_one_field_into_the_other(step: str) -> None:
    """What is measured of whole shots may change by a trace; no line may show what the other field shows."""
    frames, middle = worn(woven("top_first")), FRAMES // 2
    luma = frames[middle].planes[0].copy()
    luma[81:161:2, 100:180] = 255 - luma[81:161:2, 100:180]  # of the second field alone
    changed = [*frames]
    changed[middle] = replace(frames[middle], planes=(luma, *frames[middle].planes[1:]))
    settings = {"acts": "all"} if step == "compression" else {}
    one, other = (
        Chain(MemorySource(some, step), Treatment(steps=(TreatmentStep.make(step, settings),))).result
        for some in (frames, changed)
    )
    for number in range(FRAMES):
        apart = np.abs(one.frame(number).planes[0][0::2].astype(float) - other.frame(number).planes[0][0::2])
        assert apart.max() <= TRACE, number
