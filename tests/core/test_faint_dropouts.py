"""Dropouts that hardly stand out: lines shown once more, and wrong colour at right brightness, both under noise."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from grevin.core.picture.frame import Frame
from grevin.core.quality.damage.grain import GrainDamage
from grevin.core.quality.damage.tape_noise import TapeNoiseDamage
from grevin.core.steps.dropout.repeated import repeated_of
from grevin.core.steps.dropout.settings import DropoutSettings
from grevin.core.steps.dropout.spikes import Spikes, _counted, _noises, colour_of
from tests.core.test_dropout import HEIGHT, MIDDLE, WIDTH, chain_of, woven

GRAIN = 2.5  # 8-bit levels, as of tape


def noisy(order: str = "top_first") -> list[Frame]:
    return [GrainDamage(17, GRAIN).add(frame)[0] for frame in woven(order, "4:2:2")]


def with_planes(frame: Frame, **changed: np.ndarray) -> Frame:
    names = ("luma", "blue", "red")
    return replace(frame, planes=tuple(changed.get(name, frame.planes[n]) for n, name in enumerate(names)))


def shown_again(frame: Frame, line: int, columns: slice) -> Frame:
    """The frame with part of a line, of all planes, as the one above it on its field."""
    planes = [plane.copy() for plane in frame.planes]
    for plane in planes:
        part = slice(*(at * plane.shape[1] // WIDTH for at in (columns.start, columns.stop)))
        plane[line, part] = plane[line - 2, part]
    return replace(frame, planes=tuple(planes))


@pytest.mark.parametrize("line", [96, 97])
def test_a_line_shown_once_more_is_told_where_the_fields_around_hardly_differ(line: int) -> None:
    clean = noisy()
    columns = slice(60, 300)
    worn = [shown_again(f, line, columns) if n == MIDDLE else f for n, f in enumerate(clean)]
    chain = chain_of(worn)
    found = chain.evidence_at(1, MIDDLE).mask
    assert found[line, 70:290].mean() > 0.9
    assert not found[line - 2 :: -2][:40].any()
    off = (np.abs(one.frame(MIDDLE).planes[0][line, columns].astype(int) - clean[MIDDLE].planes[0][line, columns])
           for one in (chain.source, chain.result))  # fmt: skip
    before, after = (float(one.mean()) for one in off)
    assert after < before


def test_where_lines_are_alike_of_themselves_one_more_says_nothing() -> None:
    """Blocks as a codec leaves them beside noise: lines within rounding, which noise calls rare."""
    rng = np.random.default_rng(5)

    def blocky(seed: int) -> np.ndarray:
        own = np.random.default_rng(seed)
        rows = [np.repeat(own.integers(60, 180, (1, WIDTH // 8)), 8, 1) for _ in range(HEIGHT // 8)]
        return np.concatenate([np.repeat(row, 4, 0) for row in rows]).astype(np.uint8)

    luma = np.where(np.arange(WIDTH) % 160 < 60, blocky(1), rng.integers(60, 180, (HEIGHT // 2, WIDTH))).astype(
        np.uint8
    )
    other = np.clip(luma + rng.integers(-9, 10, luma.shape), 0, 255).astype(np.uint8)  # not quite the same anywhere
    rgb, theirs = (np.repeat(one[..., None], 3, axis=2) for one in (luma, other))
    still = np.zeros((*luma.shape, 2), np.float32)
    nothing, unseen = np.zeros_like(luma), np.zeros(luma.shape, np.bool_)
    spikes = Spikes(
        (-1, 1), (theirs, theirs), (still, still), rgb, nothing, nothing, nothing, 2.0, (unseen, unseen), "picture"
    )
    settings = DropoutSettings(most_lines=6)
    found = repeated_of(luma, spikes, (theirs, theirs), (other, other), settings)
    assert len(found) > 20
    assert all(score < 0 for _, score in found)


def test_a_wrong_colour_is_mended_and_brightness_stays_to_the_bit() -> None:
    clean = noisy()
    line = 120
    blue = clean[MIDDLE].planes[1].copy()
    blue[line, 40:130] = np.clip(blue[line, 40:130].astype(int) + 14, 0, 255)
    worn = [with_planes(f, blue=blue) if n == MIDDLE else f for n, f in enumerate(clean)]
    chain = chain_of(worn)
    assert chain.evidence_at(1, MIDDLE).mask[line, 90:250].all()
    made = chain.result.frame(MIDDLE)
    assert np.abs(made.planes[0].astype(int) - clean[MIDDLE].planes[0]).max() <= 1, "rounding alone"
    off = made.planes[1][line, 45:125].astype(float) - clean[MIDDLE].planes[1][line, 45:125]
    assert np.sqrt(np.square(off).mean()) < 2 * GRAIN
    assert np.abs(made.planes[1].astype(int) - worn[MIDDLE].planes[1])[:line].max() == 0


def test_clean_noise_is_left_as_it_is() -> None:
    clean = noisy()
    chain = chain_of(clean)
    for number in range(len(clean)):
        assert all(np.array_equal(*pair) for pair in zip(chain.result.frame(number).planes, clean[number].planes,
                                                         strict=True))  # fmt: skip


def test_noise_of_colour_hides_no_streak_and_is_none() -> None:
    """Blue is the noisiest channel under a tape's noise: by its levels alone most of these would not stand out."""
    clean = [TapeNoiseDamage(17).add(frame)[0] for frame in woven("top_first", "4:2:2")]
    assert not chain_of(clean).evidence_at(1, MIDDLE).mask.any()
    luma, places = clean[MIDDLE].planes[0].copy(), []
    for number, line in enumerate(range(20, 268, 14)):
        part = line, slice(20 + 53 * number % 260, 60 + 53 * number % 260)
        luma[part] = np.clip(luma[part].astype(int) + 45 * (-1) ** number, 16, 235)
        places.append(part)
    worn = [with_planes(frame, luma=luma) if n == MIDDLE else frame for n, frame in enumerate(clean)]
    mask = chain_of(worn).evidence_at(1, MIDDLE).mask
    assert sum(mask[part].mean() > 0.5 for part in places) > 0.6 * len(places)


def test_a_channel_that_is_noisier_counts_less() -> None:
    here, there = (np.random.default_rng(seed).normal(120, (3, 3, 9), (64, 96, 3)) for seed in (1, 2))
    noises = _noises(*(np.clip(one, 0, 255).astype(np.uint8) for one in (here, there)))
    assert noises == pytest.approx([3, 3, 9], rel=0.15)
    levels = np.full((4, 5, 3), 60, np.uint8)
    assert np.array_equal(_counted(levels, np.array([1.0, 1.0, 0.5])), np.broadcast_to([60, 60, 30], levels.shape))
    assert _counted(levels, np.array([1.0, 0.95, 1.0])) is levels


def test_colour_that_comes_into_the_picture_is_no_streak() -> None:
    """A pan: what enters at the side is shown by no field before."""
    fmt = woven("top_first", "4:2:2")[0].format
    down = np.arange(HEIGHT)[:, None]
    wide = np.where((down // 4 % 3 == 0) & (np.arange(2 * WIDTH)[None] // 24 % 2 == 0), 170, 110)

    def panned(number: int) -> Frame:
        planes = [np.full(shape, 120, np.uint8) for shape in fmt.plane_shapes()]
        planes[0][...] = woven()[number].planes[0]
        at = 40 + 5 * number
        planes[1][...] = wide[:, at : at + WIDTH // 2]
        return Frame(number, fmt, tuple(planes))

    chain = chain_of([panned(number) for number in range(5)])
    assert not chain.evidence_at(1, 2).mask[:, :8].any()
    assert not chain.evidence_at(1, 2).mask[:, -16:].any()


def test_colour_is_what_is_left_without_brightness() -> None:
    grey = np.random.default_rng(1).integers(0, 256, (20, 40, 1)).astype(np.uint8).repeat(3, axis=2)
    assert np.abs(colour_of(grey).astype(int) - 128).max() <= 1
