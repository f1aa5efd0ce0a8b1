"""Single frames that are off: exposure that jumps is brought to rest, flashes are the scene's own light."""

from __future__ import annotations

import numpy as np
import pytest

from grevin.core.measure.lighting.trend import taken_apart
from grevin.core.picture.frame import Frame
from tests.core.lit import LENGTH, at_rest
from tests.core.test_flicker import level_errors, treated


@pytest.fixture(scope="module")
def clean() -> list[Frame]:
    return at_rest()


def test_single_frames_that_are_off_are_taken_and_told(clean: list[Frame]) -> None:
    off = {6: 1.12, 14: 0.9, 15: 1.0, 23: 1.1, 31: 0.88}
    damaged = []
    for frame in clean:
        luma = (frame.planes[0].astype(np.float32) - 16) * off.get(frame.number, 1.0) + 16
        damaged.append(frame.with_planes((np.clip(luma, 0, 255), *frame.planes[1:])).rounded())
    chain, made = treated(damaged)
    before, after = level_errors(damaged, clean), level_errors(made, clean)
    assert np.abs(after).max() < 0.2 * np.abs(before).max()
    assert "4 single frames are brighter or darker" in chain.told(range(LENGTH))[0]
    calm = [n for n in range(LENGTH) if n not in off]
    assert sum(made[n] is chain.source.frame(n) for n in calm) > len(calm) / 2, "frames that are right stay bit for bit"


def lit(frames: list[Frame], gains: dict[int, float]) -> list[Frame]:
    """Some frames in other light."""
    made = []
    for place, frame in enumerate(frames):
        luma = (frame.planes[0].astype(np.float32) - 16) * gains.get(place, 1.0) + 16
        made.append(frame.with_planes((np.clip(luma, 0, 255), *frame.planes[1:])).rounded())
    return made


@pytest.mark.parametrize(("length", "at"), [(14, (4, 10)), (14, (5, 8, 10)), (40, (6, 14, 23, 31)), (40, (20,))])
def test_flashes_are_left_alone_and_told_and_taken_where_that_is_asked_for(
    clean: list[Frame], length: int, at: tuple[int, ...]
) -> None:
    flashed = lit(clean[:length], {place: 1.2 + 0.05 * turn for turn, place in enumerate(at)})
    chain, made = treated(flashed)
    assert all(one is other for one, other in zip(made, flashed, strict=True))
    told = chain.told(range(length))[0]
    are = f"{len(at)} single frames are lighter" if len(at) > 1 else "1 single frame is lighter"
    assert f"{are} than those around, as in the light of a flash" in told
    _, taken = treated(flashed, single_frames="taken")
    before, after = level_errors(flashed, clean[:length]), level_errors(taken, clean[:length])
    assert np.abs(after).max() < 0.2 * np.abs(before).max()


def test_single_frames_off_both_ways_are_left_where_that_is_asked_for(clean: list[Frame]) -> None:
    flashed = lit(clean, {6: 1.2, 14: 0.85, 23: 1.2, 31: 0.8})
    _, made = treated(flashed, single_frames="left")
    assert all(one is other for one, other in zip(made, flashed, strict=True))


@pytest.mark.parametrize("at", [(5, 6, 11, 17), (4, 7, 16, 19), (8, 15, 22)])
def test_flashes_that_lie_nearly_even_have_no_period(at: tuple[int, ...]) -> None:
    line = np.random.default_rng(5).normal(0, 0.05, 24)
    line[list(at)] += (30.0, 18.0, 25.0, 12.0)[: len(at)]
    assert taken_apart(np.repeat(line[:, None], 8, axis=1)).period == 0
    assert taken_apart(np.repeat(np.where(np.arange(24) % 7 == 2, 20.0, 0.0)[:, None], 8, axis=1)).period == 7
