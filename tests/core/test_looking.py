"""What looking stands on: channels, differences, harm, neighbours in words, values to try, cuts."""

from __future__ import annotations

from typing import Literal

import cv2
import numpy as np
import pytest

from grevin.core.cache import ByteCache
from grevin.core.errors import CancelledError
from grevin.core.measure.repeats import Change, change_between, judge
from grevin.core.picture.display import difference_screen, mask_screen, taken_away_screen, to_screen
from grevin.core.picture.format import PictureFormat
from grevin.core.picture.frame import Frame
from grevin.core.picture.halving import halved
from grevin.core.picture.transfer import decode_linear, encode_linear
from grevin.core.progress import Progress
from grevin.core.quality.harm import harm_of, structure_share
from grevin.core.quality.memory_source import MemorySource
from grevin.core.steps.settings import Settings, setting
from grevin.core.survey.cut_search import CutSearch
from grevin.core.survey.lanes import Lanes
from grevin.core.treatment.shots import ShotFinder
from grevin.core.treatment.test_strip import CELLS, is_number, proposed_range, values_to_try
from grevin.core.treatment.window import CachedSource
from tests.conftest import FORMATS, moving_frames, name_of

GREY = PictureFormat(80, 60, "grey", 8, full_range=True)
RGB = PictureFormat(80, 60, "rgb", 8, full_range=True)


def coloured(red: int, green: int, blue: int) -> Frame:
    return Frame(0, RGB, tuple(np.full((60, 80), value, np.uint8) for value in (red, green, blue)))


# Channels and differences


def test_one_channel_at_a_time() -> None:
    frame = coloured(200, 120, 40)
    for channel, level in (("red", 200), ("green", 120), ("blue", 40)):
        assert (to_screen(frame, channel)[..., :3] == level).all()
    luma = round(0.2126 * 200 + 0.7152 * 120 + 0.0722 * 40)  # BT.709-6, item 3.2
    assert abs(int(to_screen(frame, "luma")[0, 0, 0]) - luma) <= 1
    chroma = to_screen(frame, "chroma")[0, 0, :3].astype(int)
    assert chroma[2] > chroma[1] > chroma[0], "the hue stays"
    assert abs(chroma @ [0.0722, 0.7152, 0.2126] - 128) <= 2, "at the luma of middle grey"
    assert (to_screen(coloured(90, 90, 90), "chroma")[..., :3] == 128).all()


def test_luma_of_limited_range_fills_the_screen() -> None:
    fmt = PictureFormat(80, 60, "yuv", 8, chroma="4:2:0")
    luma = np.full((60, 80), 16, np.uint8)
    luma[:, 40:] = 235
    frame = Frame(0, fmt, (luma, *(np.full(shape, 128, np.uint8) for shape in fmt.plane_shapes()[1:])))
    screen = to_screen(frame, "luma")
    assert (screen[0, 0, 0], screen[0, 79, 0]) == (0, 255)


def test_differences_are_amplified_and_equal_pictures_show_nothing() -> None:
    first, second = coloured(100, 100, 100), coloured(104, 100, 98)
    assert difference_screen(first, second, 8.0)[0, 0].tolist() == [16, 0, 32, 255]
    assert taken_away_screen(first, second, 8.0)[0, 0].tolist() == [144, 128, 96, 255]
    assert not difference_screen(first, first, 64.0)[..., :3].any()
    assert (taken_away_screen(first, first, 64.0)[..., :3] == 128).all()


def test_a_mask_alone_is_a_drawing() -> None:
    mask = np.zeros((4, 4), np.bool_)
    mask[1, 2] = True
    screen = mask_screen(mask, (190, 120, 235))
    assert screen[1, 2].tolist() == [235, 120, 190, 255]
    assert screen[0, 0].tolist() == [60, 60, 60, 255]


@pytest.mark.reference
def test_linear_light_takes_the_curve_of_bt_709() -> None:
    """BT.709-6, item 1.2: V = 4.5 L below 0.018, 1.099 L^0.45 - 0.099 from there; continued on both sides."""
    light = np.array([0.0, 0.01, 0.018, 0.18, 0.5, 1.0], np.float32)
    expected = [0.0, 0.045, 0.081, 1.099 * 0.18**0.45 - 0.099, 1.099 * 0.5**0.45 - 0.099, 1.0]
    np.testing.assert_allclose(encode_linear(light), expected, atol=3e-4)
    wide = np.linspace(-2, 8, 400, dtype=np.float32)
    np.testing.assert_allclose(decode_linear(encode_linear(wide)), wide, atol=1e-4)


@pytest.mark.parametrize("fmt", [*FORMATS, PictureFormat(47, 31, "yuv", 8, chroma="4:1:0")], ids=name_of)
def test_half_the_size_shows_the_same_colours(fmt: PictureFormat) -> None:
    flat = tuple(np.full(shape, (60 + 30 * place) << (fmt.bit_depth - 8), fmt.dtype)
                 for place, shape in enumerate(fmt.plane_shapes()))  # fmt: skip
    frame = Frame(3, fmt, flat)
    small = halved(frame)
    assert (small.format.width, small.format.height) == (-(-fmt.width // 2), -(-fmt.height // 2))
    np.testing.assert_array_equal(to_screen(small)[0, 0], to_screen(frame)[0, 0])


# Harm


def test_noise_taken_away_is_no_harm_and_detail_is() -> None:
    rng = np.random.default_rng(2)
    picture = cv2.GaussianBlur(rng.normal(0, 1, (120, 160)).astype(np.float32), (0, 0), 1.2) * 120 + 110
    noise = rng.normal(0, 3, picture.shape).astype(np.float32)
    only_noise = structure_share(picture + noise, picture)
    softened = cv2.GaussianBlur(picture, (0, 0), 1.0)
    lost_detail = structure_share(picture, softened)
    assert only_noise is not None
    assert lost_detail is not None
    assert only_noise < 0.05 < 0.5 < lost_detail
    assert structure_share(picture, picture) is None
    small, large = Frame(0, GREY, (np.zeros((60, 80), np.uint8),)), coloured(9, 9, 9)
    assert harm_of(small, large) == 0.0, "a flat picture has no detail to lose"
    other = Frame(0, PictureFormat(4, 4, "grey", 8), (np.zeros((4, 4), np.uint8),))
    assert harm_of(small, other) is None


# Neighbours in words


def test_repeats_near_repeats_and_new_frames_are_told_apart() -> None:
    source = moving_frames(16, speed=3.0)
    lumas = [source.frame(number).luma8() for number in range(16)]
    rng = np.random.default_rng(1)
    near = np.clip(lumas[7].astype(int) + rng.integers(-1, 2, lumas[7].shape), 0, 255).astype(np.uint8)
    shown = [*lumas[:5], lumas[4], *lumas[5:8], near, *lumas[8:]]
    changes = {n: change_between(shown[n - 1], shown[n]) for n in range(1, len(shown))}
    kinds = {n: judge(changes, n).kind for n in changes}
    assert kinds[5] == "repeat"
    assert kinds[9] == "near repeat"
    assert {kind for n, kind in kinds.items() if n not in {5, 9}} == {"new"}
    assert judge(changes, 5).words() == "repeat, every sample equal"
    assert judge(changes, 9).words().endswith(" levels")


def test_held_noise_is_seen_where_the_picture_moves() -> None:
    rng = np.random.default_rng(5)
    wide = cv2.GaussianBlur(rng.normal(0, 1, (240, 700)).astype(np.float32), (0, 0), 9.0) * 900 + 110
    held = rng.normal(0, 4, (240, 320))

    def frame(number: int, noise: np.ndarray) -> np.ndarray:
        return np.clip(wide[:, 6 * number : 6 * number + 320] + noise, 0, 255).astype(np.uint8)

    same = change_between(frame(0, held), frame(1, held))
    renewed = change_between(frame(0, held), frame(1, rng.normal(0, 4, (240, 320))))
    assert same.noise_correlation is not None
    assert renewed.noise_correlation is not None
    assert same.noise_correlation > 0.5 > 0.15 > abs(renewed.noise_correlation)
    assert judge({3: same}, 3).kind == "held noise"
    assert judge({3: renewed}, 3).kind == "new"
    assert judge({0: Change(False, 9.0, 0.0, None)}, 0).kind == "new"


# Values to try


class _Sample(Settings):
    """One of each kind."""

    mode: Literal["soft", "hard"] = setting("soft", label="Mode", help="Which way.")
    on: bool = setting(False, label="On", help="Whether.")
    width_px: int = setting(8, label="Width", unit="px", low=1, high=40, help="How wide.")
    share: float = setting(0.5, label="Share", low=0.0, high=1.0, decimals=2, step=0.05, help="How much.")


def test_values_lie_round_the_present_one() -> None:
    assert proposed_range(_Sample(), "width_px") == (4.0, 16.0)
    assert values_to_try(_Sample(), "width_px") == (4, 8, 10, 13, 16)
    assert 0.5 in values_to_try(_Sample(), "share")
    assert values_to_try(_Sample(), "share", (0.0, 1.0)) == (0.0, 0.25, 0.5, 0.75, 1.0)
    assert values_to_try(_Sample(), "mode") == ("soft", "hard")
    assert values_to_try(_Sample(), "on") == (False, True)
    assert [is_number(_Sample, name) for name in ("mode", "on", "width_px", "share")] == [False, False, True, True]


@pytest.mark.parametrize("present", [1, 2, 3, 20, 39, 40])
def test_values_stay_allowed_and_different(present: int) -> None:
    values = values_to_try(_Sample(width_px=present), "width_px")
    assert present in values
    assert len(set(values)) == len(values) <= CELLS
    assert all(1 <= value <= 40 for value in values)
    assert len(values) >= 3


# Cuts


def three_shots() -> MemorySource:
    shots = [moving_frames(8, speed=speed) for speed in (1.0, 2.0, 3.0)]
    frames = []
    for place, shot in enumerate(shots):
        for number in range(8):
            frame = shot.frame(number)
            luma = np.roll(frame.planes[0], 37 * place, axis=0)[:, ::-1] if place == 1 else frame.planes[0]
            luma = luma // 2 if place == 2 else luma
            frames.append(Frame(0, frame.format, (np.ascontiguousarray(luma), *frame.planes[1:])))
    return MemorySource(frames, "shots")


def test_the_shot_around_a_frame() -> None:
    source = three_shots()
    cache = ByteCache(64 << 20)
    shots = ShotFinder(CachedSource(source, cache), cache)
    search = CutSearch(shots, None, range(24))
    assert [search.next_cut(frame, 1, Progress()) for frame in (0, 7, 8, 20)] == [8, 8, 16, 23]
    assert [search.next_cut(frame, -1, Progress()) for frame in (0, 8, 9, 23)] == [0, 0, 8, 16]
    assert search.shot_around(3, Progress()) == range(8)
    assert search.shot_around(8, Progress()) == range(8, 16)
    assert search.shot_around(23, Progress()) == range(16, 24)
    assert CutSearch(shots, None, range(2, 20)).shot_around(18, Progress()) == range(16, 20)
    progress = Progress()
    progress.cancel()
    with pytest.raises(CancelledError):
        search.next_cut(0, 1, progress)


def test_measured_cuts_are_taken_over() -> None:
    source = moving_frames(12)
    cache = ByteCache(64 << 20)
    lanes = Lanes(12)
    lanes.looked[:] = True
    lanes.cut[5] = True
    search = CutSearch(ShotFinder(CachedSource(source, cache), cache), lanes, range(12))
    assert search.next_cut(0, 1, Progress()) == 5
    lanes.looked[5] = False
    assert lanes.cut_before(5) is None
    assert search.next_cut(0, 1, Progress()) == 11, "not measured: the pictures themselves show no cut"
