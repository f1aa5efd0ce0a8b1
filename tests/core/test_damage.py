"""Simulated damage: exactly where its truth says, the same for the same seed, in any format, on top of each other."""

from __future__ import annotations

from dataclasses import replace

import cv2
import numpy as np
import pytest

from grevin.core.picture.format import PictureFormat
from grevin.core.picture.frame import Frame
from grevin.core.quality.damage.base import DamagedSource, damaged, truth_of
from grevin.core.quality.damage.dirt import DirtDamage
from grevin.core.quality.damage.grain import GrainDamage
from grevin.core.quality.damage.tape_noise import TapeNoiseDamage
from tests.conftest import FORMATS, moving_frames, name_of, random_frame

SD = PictureFormat(720, 64, "yuv", 8, chroma="4:2:2")
HEAVY = DirtDamage(seed=3, blobs_per_frame=90, largest_px=14, longest_px=80)


@pytest.mark.parametrize("fmt", [f for f in FORMATS if f.chroma != "4:1:1"], ids=name_of)
def test_dirt_is_where_the_truth_says(fmt) -> None:
    frame = random_frame(fmt, 4)
    damage = DirtDamage(seed=3, blobs_per_frame=2000, hair_share=0.0, largest_px=8, soft_share=0, faint_share=0)
    dirty, truth = damage.add(frame)
    again, _ = damage.add(frame)
    assert truth.marks
    changed = np.zeros_like(truth.mask)
    for ours, theirs, other in zip(dirty.planes[:1], frame.planes[:1], again.planes[:1], strict=True):
        changed |= ours != theirs
        np.testing.assert_array_equal(ours, other)
    assert (changed & truth.mask).sum() > 0.9 * truth.mask.sum()
    assert changed.mean() < 0.6
    for mark in truth.marks:
        x, y, width, height = mark.area
        part = truth.mask[y : y + height, x : x + width]
        assert part[0].any()
        assert part[-1].any()
        assert part.sum() >= mark.pixels


def test_every_mark_is_one_blob_that_can_be_seen() -> None:
    source = moving_frames(4)
    dirty = damaged(source, HEAVY)
    for number in range(4):
        (truth,) = dirty.truths(number)
        assert truth.origin == number
        count, _ = cv2.connectedComponents(truth.mask.astype(np.uint8), connectivity=8)
        assert count - 1 == pytest.approx(len(truth.marks), abs=1 + 0.1 * len(truth.marks))
        clean, seen = source.frame(number).luma8().astype(int), dirty.frame(number).luma8().astype(int)
        for mark in truth.marks:
            x, y, width, height = mark.area
            moved = (seen - clean)[y : y + height, x : x + width]
            strongest = moved[np.unravel_index(np.abs(moved).argmax(), moved.shape)]
            assert abs(strongest) >= 8, mark


def test_kinds_of_dirt_come_in_their_shares() -> None:
    rows = [mark for n in range(6) for mark in HEAVY.add(moving_frames(6, 320, 240).frame(n))[1].marks]
    hairs, soft = [m for m in rows if m.kind == "hair"], [m for m in rows if m.kind == "dust" and m.soft_px > 1.0]
    assert 0 < len(hairs) < 0.3 * len(rows)
    assert 0 < len(soft) < 0.5 * len(rows)
    assert any(m.density < 0.7 for m in rows)
    assert {m.contrast > 0 for m in rows} == {True, False}
    assert max(max(m.area[2:]) for m in hairs) > 2 * max(max(m.area[2:]) for m in rows if m.kind == "dust")
    only = replace(HEAVY, hair_share=0.0, soft_share=0.0, faint_share=0.0, again_share=0.0)
    plain = only.add(moving_frames(2).frame(1))[1].marks
    assert all(m.kind == "dust" and m.soft_px <= 0.9 and m.density >= 0.75 and not m.again for m in plain)


def test_some_dirt_lies_on_the_next_frame_at_another_place() -> None:
    source = moving_frames(5, 320, 240)
    always = replace(HEAVY, again_share=1.0, hair_share=0.0)
    marks = [always.add(source.frame(n))[1].marks for n in range(5)]
    shapes = {(m.pixels, m.soft_px) for m in marks[2] if not m.again}
    moved = [m for m in marks[3] if m.again and (m.pixels, m.soft_px) in shapes]
    assert len(moved) >= 5
    places = {m.area[:2] for m in marks[2]}
    assert not any(m.area[:2] in places for m in moved)


def test_damage_lies_on_damage_and_each_part_of_the_truth_is_kept() -> None:
    source = moving_frames(3)
    both = damaged(source, GrainDamage(seed=2, sigma=4.0), HEAVY)
    assert isinstance(both, DamagedSource)
    assert [truth.kind for truth in both.truths(1)] == ["noise", "dirt"]
    dirt = truth_of(both, 1, "dirt")
    assert truth_of(both, 1, "noise").mask.all()
    with pytest.raises(KeyError):
        truth_of(both, 1, "scratch")
    far = ~cv2.dilate(dirt.mask.astype(np.uint8), np.ones((31, 31))).astype(bool)
    noise = (both.frame(1).luma8().astype(int) - source.frame(1).luma8())[far]
    assert noise.std() == pytest.approx(4.0, rel=0.1)
    assert len(both) == 3
    assert both.format == source.format
    assert both.identity != damaged(source, GrainDamage(seed=2, sigma=4.1), HEAVY).identity
    np.testing.assert_array_equal(
        both.frame(2).planes[0], damaged(source, GrainDamage(seed=2, sigma=4.0), HEAVY).frame(2).planes[0]
    )


def test_other_seeds_and_frames_get_other_dirt() -> None:
    source = moving_frames(2)
    first, second = HEAVY.add(source.frame(0))[1], HEAVY.add(source.frame(1))[1]
    assert not np.array_equal(first.mask, second.mask)
    other = replace(HEAVY, seed=4).add(source.frame(0))[1]
    assert not np.array_equal(first.mask, other.mask)


def test_noise_of_a_tape_is_as_strong_as_was_said_and_soft_along_the_lines() -> None:
    """Colour is carried by a sixth of the band of luma: its noise lies in longer streaks; no line knows the next."""
    grey = Frame(3, SD, tuple(np.full(shape, 120, np.uint8) for shape in SD.plane_shapes()))
    noisy, truth = TapeNoiseDamage(5, 3.0, 4.0).add(grey)
    assert truth.mask.all()
    luma, blue, _ = (plane.astype(np.float64) - 120 for plane in noisy.planes)
    assert luma.std() == pytest.approx(3.0, rel=0.05)
    assert blue.std() == pytest.approx(4.0, rel=0.05)
    along = [np.corrcoef(plane[:, :-2].ravel(), plane[:, 2:].ravel())[0, 1] for plane in (luma, blue)]
    down = [np.corrcoef(plane[:-1].ravel(), plane[1:].ravel())[0, 1] for plane in (luma, blue)]
    assert along[0] < 0.2 < 0.6 < along[1]
    assert max(map(abs, down)) < 0.05
    again, other = (TapeNoiseDamage(seed, 3.0, 4.0).add(grey)[0] for seed in (5, 6))
    assert np.array_equal(again.planes[1], noisy.planes[1])
    assert not np.array_equal(other.planes[1], noisy.planes[1])


@pytest.mark.parametrize("fmt", FORMATS, ids=name_of)
def test_noise_of_a_tape_keeps_the_format_and_what_is_seen_through(fmt: PictureFormat) -> None:
    frame = random_frame(fmt)
    noisy, _ = TapeNoiseDamage(5).add(frame)
    assert [plane.dtype for plane in noisy.planes] == [plane.dtype for plane in frame.planes]
    assert not np.array_equal(noisy.planes[0], frame.planes[0])
    if fmt.alpha:
        assert noisy.planes[3] is frame.planes[3]
