"""Dropouts: found on their own field whatever their kind, filled from what fits, everything else as it was."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from grevin.core.picture.colour import to_rgb
from grevin.core.picture.frame import Frame
from grevin.core.quality.damage.dropout import KINDS, DropoutDamage
from grevin.core.quality.damage.light import FlickerDamage
from grevin.core.quality.figures import psnr, squared_error
from grevin.core.quality.memory_source import MemorySource
from grevin.core.render.ledger import ledger_rows
from grevin.core.steps.dropout.filling import Source, filled
from grevin.core.steps.dropout.settings import DropoutSettings
from grevin.core.steps.dropout.streaks import _thin
from grevin.core.treatment.chain import Chain
from grevin.core.treatment.recipe import Treatment, TreatmentStep
from grevin.core.treatment.verdicts import Verdict, Verdicts
from tests.conftest import moving_frames

WIDTH, HEIGHT, FRAMES, MIDDLE = 360, 288, 7, 3


def woven(order: str = "top_first", chroma: str = "4:2:0") -> list[Frame]:
    """Two moments a frame of a picture that moves by 2 px a field."""
    whole = moving_frames(2 * FRAMES, WIDTH, HEIGHT, speed=2.0)
    fmt = replace(whole.format, field_order=order, chroma=chroma)
    made = []
    for number in range(FRAMES):
        early, late = (whole.frame(2 * number + n).planes[0] for n in (0, 1))
        luma, second = early.copy(), 1 if order == "top_first" else 0
        luma[second::2] = late[second::2]
        rest = tuple(np.full(shape, 120, np.uint8) for shape in fmt.plane_shapes()[1:])
        made.append(Frame(number, fmt, (luma, *rest)))
    return made


def chain_of(frames: list[Frame], said: tuple[Verdict, ...] = (), **settings: object) -> Chain:
    step = TreatmentStep.make("dropout", dict(settings))
    return Chain(MemorySource(frames, "tape"), Treatment(steps=(step,)), verdicts=Verdicts(said))


def streak(frame: Frame, lines: range, columns: slice, level: int) -> Frame:
    """The frame with some of its lines, counted in the frame, at one level."""
    luma = frame.planes[0].copy()
    for line in lines:
        luma[line, columns] = level
    return replace(frame, planes=(luma, *frame.planes[1:]))


@pytest.mark.parametrize("order", ["top_first", "bottom_first"])
@pytest.mark.parametrize("parity", [0, 1])
def test_a_streak_is_taken_from_its_field_and_the_other_field_stays(order: str, parity: int) -> None:
    clean = woven(order)
    lines = range(100 + parity, 105 + parity, 2)  # three lines of one field
    worn = [streak(f, lines, slice(80, 260), 245) if n == MIDDLE else f for n, f in enumerate(clean)]
    chain = chain_of(worn)
    made, evidence = chain.result.frame(MIDDLE), chain.evidence_at(1, MIDDLE)
    assert evidence.mask[list(lines), 90:250].all()
    assert not evidence.mask[1 - parity :: 2].any()
    assert len(evidence.blobs) == 1
    mask = np.zeros_like(evidence.mask)
    mask[list(lines), 80:260] = True
    lines_alone = chain_of(worn, source="lines").result.frame(MIDDLE)
    filled_db, plain_db = (
        psnr(*squared_error(one.luma8(), clean[MIDDLE].luma8(), mask)) for one in (made, lines_alone)
    )
    assert filled_db > 27
    assert filled_db > plain_db + 3
    for place, plane in enumerate(made.planes):
        assert np.array_equal(plane[1 - parity :: 2], worn[MIDDLE].planes[place][1 - parity :: 2])
    assert np.array_equal(made.planes[0][~evidence.mask], worn[MIDDLE].planes[0][~evidence.mask])


@pytest.mark.parametrize("kind", KINDS)
def test_every_kind_is_found_and_mended(kind: str) -> None:
    clean = woven(chroma="4:2:2")
    damage = DropoutDamage(5, 8.0, (kind,))
    worn, there, hit, errors = [damage.add(frame) for frame in clean], 0, 0, np.zeros(4)
    chain = chain_of([frame for frame, _ in worn])
    least = 0.5 if kind == "line" else 0.8  # a line shown once more is seen only where two lines differ
    for number in range(1, FRAMES - 1):
        truth, evidence = worn[number][1].mask, chain.evidence_at(1, number)
        there, hit = there + truth.sum(), hit + (truth & evidence.mask).sum()
        right, before, after = (
            to_rgb(f) * 255 for f in (clean[number], worn[number][0], chain.result.frame(number))
        )  # fmt: skip
        errors += [*squared_error(before, right, truth), *squared_error(after, right, truth)]
    assert hit / there > least
    assert psnr(errors[2], int(errors[3])) > psnr(errors[0], int(errors[1])) + 6


@pytest.mark.parametrize("field_order", ["top_first", "progressive"])
def test_clean_material_comes_out_bit_for_bit(field_order: str) -> None:
    clean = woven(field_order if field_order != "progressive" else "top_first")
    if field_order == "progressive":
        moving = moving_frames(FRAMES, WIDTH, HEIGHT, speed=2.0)
        clean = [replace(moving.frame(n), number=n) for n in range(FRAMES)]
    chain = chain_of(clean)
    for number in range(FRAMES):
        assert chain.result.frame(number) is chain.source.frame(number)


def test_a_flash_makes_no_dropouts_and_hides_none() -> None:
    frames = woven()
    lit = frames[MIDDLE].planes[0].astype(float) * 1.35 + 25
    frames[MIDDLE] = replace(frames[MIDDLE], planes=(np.clip(lit, 0, 255).astype(np.uint8), *frames[MIDDLE].planes[1:]))
    assert chain_of(frames).result.frame(MIDDLE) is frames[MIDDLE]
    truth = frames[MIDDLE]
    frames[MIDDLE] = streak(truth, range(100, 105, 2), slice(80, 260), 5)
    chain, mask = chain_of(frames), np.zeros((HEIGHT, WIDTH), np.bool_)
    mask[100:105:2, 80:260] = True
    assert chain.evidence_at(1, MIDDLE).mask[100:105:2, 90:250].all()
    made = chain.result.frame(MIDDLE)
    assert psnr(*squared_error(made.luma8(), truth.luma8(), mask)) > 27, "from the fields beside, in its own light"


@pytest.mark.parametrize("seed", [9, 31])
def test_light_that_flickers_in_patches_hides_none(seed: int) -> None:
    steady, light = woven(), FlickerDamage(seed=seed, what="patches")
    found = []
    for clean in (steady, [light.add(frame)[0].rounded() for frame in steady]):
        there = hit = 0
        damage = DropoutDamage(5, 8.0)
        worn = [damage.add(frame) for frame in clean]
        chain = chain_of([frame for frame, _ in worn])
        for number in range(1, FRAMES - 1):
            truth = worn[number][1].mask
            there, hit = there + int(truth.sum()), hit + int((truth & chain.evidence_at(1, number).mask).sum())
        found.append(hit / there)
    assert found[1] > found[0] - 0.05


@pytest.mark.parametrize("ringing", [0, 9, 40])
def test_what_rings_around_a_streak_does_not_make_it_tall(ringing: int) -> None:
    """As a codec does, over all lines of its blocks, or a motion that fails beside it."""
    levels = np.zeros((60, 200), np.uint8)
    levels[20:32, 30:170] = ringing
    levels[24:27, 40:160] = 180
    levels[50, 10:60] = 12  # a faint one elsewhere
    found = list(_thin(levels, 6.0, DropoutSettings()))
    assert sorted((rows.start, rows.stop, columns.start, columns.stop) for (rows, columns), _ in found) == [
        (24, 27, 40, 160), (50, 51, 10, 60),
    ]  # fmt: skip
    assert all(mask.all() for _, mask in found)


def test_what_is_tall_all_over_is_no_streak() -> None:
    levels = np.zeros((60, 200), np.uint8)
    levels[20:32, 30:170] = 180
    assert not list(_thin(levels, 6.0, DropoutSettings()))


def test_a_thing_that_stays_is_no_dropout() -> None:
    clean = [streak(frame, range(100, 106, 2), slice(80, 260), 245) for frame in woven()]
    assert not any(chain_of(clean).evidence_at(1, number).mask.any() for number in range(FRAMES))


def test_a_torn_field_is_left_alone_and_said() -> None:
    clean = woven()
    rng = np.random.default_rng(1)
    torn = clean[MIDDLE]
    for line in range(0, HEIGHT, 8):
        start = int(rng.integers(0, 60))
        torn = streak(torn, range(line, line + 1), slice(start, start + 280), 250)
    evidence = chain_of([torn if n == MIDDLE else frame for n, frame in enumerate(clean)]).evidence_at(1, MIDDLE)
    assert not evidence.mask.any()
    assert "may be a torn picture" in evidence.doubt


def test_a_persons_word_goes_before_the_judges() -> None:
    clean = woven()
    lines = range(100, 105, 2)
    worn = [streak(f, lines, slice(80, 260), 245) if n == MIDDLE else f for n, f in enumerate(clean)]
    left = chain_of(worn, (Verdict("dropout", MIDDLE, (80, 100, 180, 5), "leave"),))
    assert np.array_equal(left.result.frame(MIDDLE).planes[0], worn[MIDDLE].planes[0])
    drawn = chain_of(clean, (Verdict("dropout", MIDDLE, (40, 60, 100, 1), "mend"),))
    evidence = drawn.evidence_at(1, MIDDLE)
    assert evidence.mask[60, 40:140].all()
    assert not evidence.mask[61].any()


def test_where_it_is_filled_from_is_chosen_and_told() -> None:
    clean = woven()
    lines = range(100, 105, 2)
    worn = [streak(f, lines, slice(80, 260), 245) if n == MIDDLE else f for n, f in enumerate(clean)]
    made = {}
    for source, words in (("before", "the field before"), ("after", "the field after"), ("lines", "above and below")):
        chain = chain_of(worn, source=source)
        made[source] = chain.result.frame(MIDDLE).planes[0][100:105:2, 100:240]
        assert words in chain.steps[0].explain(MIDDLE, chain.evidence_at(1, MIDDLE).blobs[0].area)
    assert not np.array_equal(made["before"], made["lines"])
    assert "%" in chain_of(worn).steps[0].explain(MIDDLE, chain_of(worn).evidence_at(1, MIDDLE).blobs[0].area)


def test_a_field_that_is_damaged_itself_fills_nothing() -> None:
    picture = np.tile(np.linspace(0.2, 0.8, 40, dtype=np.float32)[None, :, None], (20, 1, 3))
    mask = np.zeros((20, 40), np.bool_)
    mask[10] = True
    dirty = Source("before", np.ones_like(picture), np.ones_like(mask))
    good = Source("after", picture.copy(), np.zeros_like(mask))
    part = (slice(10, 11), slice(0, 40))
    made = filled(picture, mask, part, [dirty, good], "best")
    assert made.shares["before"] < 0.01
    assert np.abs(made.picture - picture[10]).max() < 0.02
    assert made.off["before"] > 100 > 10 > made.off["after"]
    asked = filled(picture, mask, part, [dirty, good], "before")
    assert asked.shares == {"before": pytest.approx(1.0)}, "a person's word, whatever speaks against it"


def test_one_dropout_of_two_is_filled_from_where_a_person_wants_it() -> None:
    clean = woven()
    worn = [
        streak(streak(f, range(100, 105, 2), slice(80, 260), 245), range(40, 43, 2), slice(60, 200), 20)
        if n == MIDDLE else f for n, f in enumerate(clean)
    ]  # fmt: skip
    plain, lines = chain_of(worn), chain_of(worn, source="lines")
    blob = max(plain.evidence_at(1, MIDDLE).blobs, key=lambda one: one.area[1])
    chosen = chain_of(worn, (Verdict("dropout", MIDDLE, blob.area, "mend", "lines"),))
    own, other, lined = (one.result.frame(MIDDLE).planes[0] for one in (chosen, plain, lines))
    assert np.array_equal(own[:70], other[:70]), "the other one as the step thinks best"
    assert np.array_equal(own[70:], lined[70:])
    assert not np.array_equal(own, other)
    told = chosen.explain(1, MIDDLE, blob.area)
    assert told.startswith("filled from the lines above and below (100%)")
    assert "the field before " in told, "what was not taken is told with how far off it is"
    rows = ledger_rows(MIDDLE, chosen.account(MIDDLE))
    assert sorted(row.source for row in rows) == ["", "lines"]


def test_at_the_ends_of_a_shot_and_in_a_single_frame() -> None:
    clean = woven()
    worn = [streak(clean[0], range(100, 103, 2), slice(80, 260), 245), *clean[1:]]
    assert chain_of(worn).evidence_at(1, 0).mask[100, 100:240].all(), "two fields of one side will do"
    assert not chain_of(worn[:1]).evidence_at(1, 0).mask.any()


def test_simulated_dropouts_are_the_same_twice_and_stay_on_their_field() -> None:
    clean = woven()[MIDDLE]
    once, twice = (DropoutDamage(9, 12.0).add(clean) for _ in range(2))
    assert all(np.array_equal(a, b) for a, b in zip(once[0].planes, twice[0].planes, strict=True))
    assert once[1].mask.any()
    changed = once[0].planes[0] != clean.planes[0]
    inside = np.zeros_like(changed)
    for mark in once[1].marks:
        x, y, width, height = mark.area
        inside[y : y + height : 2, x : x + width] = True
    assert not (changed & ~inside).any()
    assert not (once[1].mask & ~inside).any()
