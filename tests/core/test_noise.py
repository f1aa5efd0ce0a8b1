"""Noise: measured within a few per cent whatever its grain, taken, and nothing taken where there is none."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import cv2
import numpy as np
import pytest

from bench.happenings import dissolve
from grevin.core.measure.noise.model import NoiseModel, unpacked
from grevin.core.picture.depth import in_depth
from grevin.core.picture.frame import Frame
from grevin.core.quality.memory_source import MemorySource
from grevin.core.steps.noise.shrinking import shrunk
from grevin.core.treatment.chain import Chain
from grevin.core.treatment.recipe import Treatment, TreatmentStep
from grevin.core.treatment.regions import Region
from tests.conftest import moving_frames
from tests.core.lit import under

LENGTH = 9


@pytest.fixture(scope="module")
def clean() -> list[Frame]:
    return without_grain(LENGTH)


def without_grain(length: int) -> list[Frame]:
    """A soft picture of all levels and some colour that moves steadily, rounded and nothing more."""
    rng = np.random.default_rng(3)
    wide = cv2.GaussianBlur(rng.normal(0, 1, (240, 720)).astype(np.float32), (0, 0), 5.0)
    wide *= np.clip(np.sin(np.arange(720) / 40.0), 0, 1)  # half of it plain, as a sky or a wall
    texture = 120 + 50 * wide / np.abs(wide).max() + np.linspace(-70, 70, 240, dtype=np.float32)[:, None]
    fmt = moving_frames(1, 320, 240).frame(0).format
    frames = []
    for number in range(length):
        move = np.array([[1.0, 0.0, -1.3 * number], [0.0, 1.0, -0.4 * number]])
        luma = cv2.warpAffine(texture, move, (320, 240), flags=cv2.INTER_CUBIC, borderMode=cv2.BORDER_REFLECT)
        colour = cv2.resize(luma, (160, 120), interpolation=cv2.INTER_AREA) * 0.3 + 90
        planes = (luma, colour, 256 - colour)
        frames.append(Frame(number, fmt, tuple(np.clip(np.rint(p), 0, 255).astype(np.uint8) for p in planes)))
    return frames


def noisy(frames: list[Frame], sigma: float, grain_px: float = 0.0, seed: int = 3) -> list[Frame]:
    """Frames under noise of 8-bit levels in all planes, new on each."""
    rng = np.random.default_rng(seed)

    def one(plane: np.ndarray, unit: float, most: float) -> np.ndarray:
        noise = rng.standard_normal(plane.shape).astype(np.float32)
        if grain_px:
            noise = cv2.GaussianBlur(noise, (0, 0), grain_px)
            noise /= noise.std()
        return np.clip(plane.astype(np.float32) + sigma * unit * noise, 0, most)

    return [
        frame.with_planes(
            tuple(one(p, 1 << (frame.format.bit_depth - 8), frame.format.max_code) for p in frame.planes)
        ).rounded()
        for frame in frames
    ]


def model(chain: Chain) -> NoiseModel:
    found = unpacked(chain.steps[0].study_of(0))
    assert found is not None
    return found


def off(frame: Frame, truth: Frame, plane: int = 0) -> float:
    return float(np.sqrt(np.mean(np.square(frame.planes[plane].astype(np.float32) - truth.planes[plane]))))


@pytest.mark.parametrize(("sigma", "grain"), [(3.0, 0.0), (10.0, 0.0), (20.0, 0.0), (10.0, 0.7), (10.0, 1.2)])
def test_noise_is_measured_whatever_its_grain(clean: list[Frame], sigma: float, grain: float) -> None:
    chain, _ = under(noisy(clean, sigma, grain), "noise", reach_frames=0)
    found = model(chain)
    assert found.typical == pytest.approx(sigma, rel=0.09)
    assert float(np.sqrt(np.mean(found.sigma[1] ** 2))) == pytest.approx(sigma, rel=0.12)
    fine, coarse = found.spectrum[0, 6:, 6:].mean(), found.spectrum[0, :2, :2].ravel()[1:].mean()
    assert (fine / coarse < 0.1) == (grain > 0), "the spectrum tells grain from white noise"
    least = {0.0: 0.8, 0.7: 2.5, 1.2: 5.0}[grain]
    assert least < found.grain_area(0) < 3.5 * least


def test_noise_that_grows_with_the_level_has_a_curve(clean: list[Frame]) -> None:
    rng = np.random.default_rng(4)
    worn = []
    for frame in clean:
        luma = frame.planes[0].astype(np.float32)
        grown = luma + rng.standard_normal(luma.shape) * np.sqrt(4 + 0.5 * luma)
        worn.append(frame.with_planes((np.clip(grown, 0, 255), *frame.planes[1:])).rounded())
    chain, _ = under(worn, "noise", reach_frames=0)
    found = model(chain)
    true = np.sqrt(4 + 0.5 * found.levels)
    assert np.abs(found.sigma[0] / true - 1).max() < 0.15
    assert "at level" in chain.told(range(LENGTH))[0]


@pytest.mark.parametrize(("sigma", "grain", "times"), [(5.0, 0.0, 2.4), (10.0, 0.0, 3.0), (10.0, 1.2, 1.7)])
def test_noise_is_taken(clean: list[Frame], sigma: float, grain: float, times: float) -> None:
    worn = noisy(clean, sigma, grain)
    chain, _ = under(worn, "noise", reach_frames=4)
    made = chain.result.frame(4)
    for plane in (0, 1):
        assert off(made, clean[4], plane) < off(worn[4], clean[4], plane) / times
    reference = cv2.fastNlMeansDenoisingMulti([frame.planes[0] for frame in worn], 4, 5, h=sigma)
    assert off(made, clean[4]) < 0.8 * float(np.sqrt(np.mean((reference.astype(np.float32) - clean[4].planes[0]) ** 2)))


def test_material_without_noise_comes_out_bit_for_bit_or_as_good(clean: list[Frame]) -> None:
    chain, made = under(clean, "noise")
    words = chain.told(range(LENGTH))
    assert all(one is other for one, other in zip(made, clean, strict=True))
    assert "No noise in this shot above its rounding" in words[0]


def test_what_moves_alone_is_not_smeared() -> None:
    """A thin bright wire that crosses a still picture in another way each frame."""
    still = moving_frames(1, 320, 240).frame(0)
    frames = []
    for number in range(LENGTH):
        luma = still.planes[0].copy()
        cv2.line(luma, (20 + 31 * number, 0), (300 - 25 * number, 239), 235, 2, cv2.LINE_AA)
        frames.append(Frame(number, still.format, (luma, *still.planes[1:])))
    worn = noisy(frames, 8.0)
    _, made = under(worn, "noise", reach_frames=4)
    wire = np.abs(frames[4].planes[0].astype(int) - still.planes[0]) > 60
    kept = float(made[4].planes[0][wire].mean()) - float(still.planes[0][wire].mean())
    true = float(frames[4].planes[0][wire].mean()) - float(still.planes[0][wire].mean())
    assert kept > 0.9 * true
    left = np.abs(made[4].planes[0] - still.planes[0].astype(np.float32))[~wire]
    assert float(np.median(left)) < 2.5, "nor does it leave ghosts of other frames"


def test_settings_say_how_much(clean: list[Frame]) -> None:
    worn = noisy(clean, 8.0)

    def made(**settings: Any) -> Frame:
        return under(worn, "noise", **settings)[0].result.frame(4)

    said: dict[str, dict[str, Any]] = {"all": {}, "half": {"strength": 0.5}}
    taken = {
        name: float(np.std(made(**settings).planes[0] - worn[4].planes[0].astype(np.float32)))
        for name, settings in said.items()
    }
    assert taken["half"] < taken["all"]
    assert made(strength=0.0, colour_strength=0.0) is worn[4]
    assert made(colour_strength=0.0).planes[1] is worn[4].planes[1], "luma alone"
    assert off(made(), clean[4]) < off(made(reach_frames=0), clean[4])


def test_colour_alone_may_be_asked_for(clean: list[Frame]) -> None:
    worn = noisy(clean, 8.0)
    made = under(worn, "noise", strength=0.0)[0].result.frame(4)
    assert made.planes[0] is worn[4].planes[0]
    assert off(made, clean[4], 1) < 0.4 * off(worn[4], clean[4], 1)


def as_rgb(frame: Frame, alpha: bool) -> Frame:
    fmt = replace(frame.format, model="rgb", chroma="4:4:4", full_range=True, alpha=alpha)
    planes = (frame.planes[0], frame.planes[0] // 2 + 40, 250 - frame.planes[0])
    return Frame(frame.number, fmt, (*planes, np.full_like(planes[0], 77)) if alpha else planes)


def test_red_green_and_blue_are_all_brightness_and_alpha_is_carried(clean: list[Frame]) -> None:
    true = [as_rgb(frame, alpha=True) for frame in clean]
    worn = [Frame(one.number, one.format, (*noisy([one], 8.0, seed=one.number)[0].planes[:3], one.planes[3]))
            for one in true]  # fmt: skip
    made = under(worn, "noise", colour_strength=0.0)[0].result.frame(4)
    for plane in range(3):
        assert off(made, true[4], plane) < 0.5 * off(worn[4], true[4], plane)
    assert np.array_equal(made.planes[3], true[4].planes[3])
    grey = replace(true[4].format, model="grey")
    alone = Frame(0, grey, (true[4].planes[0], true[4].planes[3]))
    grained = under([alone], "grain", kind="plain")[0].result.frame(0)
    assert not np.array_equal(grained.planes[0], alone.planes[0])
    assert np.array_equal(grained.planes[1], alone.planes[1])


def test_noise_is_measured_inside_a_region(clean: list[Frame]) -> None:
    quiet, loud = noisy(clean, 4.0), noisy(clean, 12.0, seed=5)
    worn = []
    for one, other in zip(quiet, loud, strict=True):
        luma = one.planes[0].copy()
        luma[:, 160:] = other.planes[0][:, 160:]
        worn.append(one.with_planes((luma, *one.planes[1:])))
    right = Region(use="measure", x=170, y=0, width=150, height=240)
    step = TreatmentStep.make("noise", regions=(right,))
    chain = Chain(MemorySource(worn, "two"), Treatment(steps=(step,)))
    assert model(chain).typical == pytest.approx(12.0, rel=0.1)
    everywhere = Chain(MemorySource(worn, "two"), Treatment(steps=(TreatmentStep.make("noise"),)))
    assert model(everywhere).typical == pytest.approx(4.0, rel=0.15), "the plainest places are those with less noise"


def test_regions_hold(clean: list[Frame]) -> None:
    worn = noisy(clean, 8.0)
    step = TreatmentStep.make("noise", regions=(Region(use="only", x=0, y=0, width=160, height=240),))
    made = Chain(MemorySource(worn, "half"), Treatment(steps=(step,))).result.frame(4)
    assert np.array_equal(made.planes[0][:, 164:], worn[4].planes[0][:, 164:])
    assert off(made, clean[4]) < 0.8 * off(worn[4], clean[4])


def test_ten_bits_keep_their_depth(clean: list[Frame]) -> None:
    deep = [in_depth(frame, 10) for frame in clean]
    worn = noisy(deep, 6.0)
    chain, made = under(worn, "noise")
    assert model(chain).typical == pytest.approx(6.0, rel=0.08)
    assert made[4].format.bit_depth == 10
    assert off(made[4], deep[4]) < 0.45 * off(worn[4], deep[4])


@pytest.mark.parametrize("length", [1, 2])
def test_short_shots_and_blank_ones_are_told(length: int) -> None:
    frames = noisy([moving_frames(2, 320, 240).frame(n) for n in range(length)], 8.0)
    chain, made = under(frames, "noise")
    if length == 1:
        assert "No plain place was found" in chain.told(range(1))[0]
        assert made[0] is frames[0]
    else:
        assert off(made[1], moving_frames(2, 320, 240).frame(1)) < 5.0
    blank = [Frame(n, frames[0].format, tuple(np.full_like(p, 255 if k == 0 else 128)
             for k, p in enumerate(frames[0].planes))) for n in range(3)]  # fmt: skip
    chain, made = under(blank, "noise")
    assert "No plain place was found" in chain.told(range(3))[0]
    assert made[1] is blank[1]


def test_a_frozen_picture_has_no_noise_of_its_own(clean: list[Frame]) -> None:
    worn = noisy(clean[:1], 8.0)[0]
    frames = [Frame(n, worn.format, worn.planes) for n in range(4)]
    chain, made = under(frames, "noise")
    assert "No plain place was found" in chain.told(range(4))[0]
    assert made[2] is frames[2]


def test_shrinkage_keeps_what_is_larger_than_noise() -> None:
    rows, columns = np.mgrid[0:61, 0:83]
    picture = (120 + 60 * np.sin(columns / 5.0) + 0.3 * rows).astype(np.float32)
    rng = np.random.default_rng(5)
    worn = picture + rng.normal(0, 6, picture.shape).astype(np.float32)
    made = shrunk(worn, np.full_like(worn, 36.0), np.ones((8, 8), np.float32))
    assert made.shape == picture.shape
    assert float(np.std(made - picture)) < 0.45 * 6
    assert np.allclose(shrunk(picture, np.zeros_like(picture), np.ones((8, 8), np.float32)), picture, atol=1e-2)


def held(frames: list[Frame], sigma: float, holds: list[int]) -> list[Frame]:
    """Frames under noise of brightness that stands still for some frames each time, whatever moves."""
    rng = np.random.default_rng(8)
    patterns = [rng.standard_normal(frames[0].planes[0].shape) for _ in holds]
    numbers = [number for number, length in enumerate(holds) for _ in range(length)]
    made = []
    for frame, number in zip(frames, numbers, strict=False):
        luma = np.clip(frame.planes[0].astype(np.float32) + sigma * patterns[number], 0, 255)
        made.append(frame.with_planes((luma, *frame.planes[1:])).rounded())
    return made


@pytest.mark.parametrize(("holds", "words"), [([3] * 6, "renews every 3 frames"), ([2, 4, 3, 2, 4, 3], "every 2 to 4")])
def test_noise_that_stands_still_is_told_and_taken(holds: list[int], words: str) -> None:
    still = without_grain(18)
    worn = held(still, 8.0, holds)
    chain, _ = under(worn, "noise", reach_frames=0)
    study = chain.steps[0].study_of(0)
    borders = np.cumsum([0, *holds])[:-1]
    assert set(np.flatnonzero(study["renewed"])) == set(borders)
    assert words in " ".join(chain.told(range(18)))
    assert model(chain).typical == pytest.approx(8.0, rel=0.09), "never measured inside a hold"
    _, made = under(worn, "noise", reach_frames=4)
    assert off(made[9], still[9]) < off(worn[9], still[9]) / 2.2
    _, by_word = under(worn, "noise", reach_frames=4, renews_every_frames=1)
    assert off(made[9], still[9]) < off(by_word[9], still[9]), "taken for fresh, less of it goes"


def test_a_picture_that_stops_and_goes_holds_no_noise() -> None:
    goes = without_grain(18)
    stops = [goes[number] for number in [*range(6), *[6] * 6, *range(7, 13)]]
    chain, _ = under(noisy(stops, 5.0), "noise", reach_frames=0)
    assert chain.steps[0].study_of(0)["renewed"].all()
    assert "renews" not in " ".join(chain.told(range(18)))


def test_what_dissolves_is_no_noise() -> None:
    still = without_grain(14)
    changing = dissolve(still, 5)
    chain, _ = under(changing, "noise")
    assert max(off(chain.result.frame(number), changing[number]) for number in (2, 6, 11)) < 0.1
    worn, truth = noisy(changing, 8.0), changing
    told, made = under(worn, "noise")
    assert model(told).typical == pytest.approx(8.0, rel=0.15)
    assert off(made[7], truth[7]) < off(worn[7], truth[7]) / 1.6


def test_a_curve_drawn_by_hand_is_taken(clean: list[Frame]) -> None:
    worn = noisy(clean, 8.0)
    measured, _ = under(worn, "noise")
    by_hand, less = under(worn, "noise", curve=({"level": 20, "noise": 1.0}, {"level": 230, "noise": 1.0}))
    assert "drawn by hand, with 2 points" in " ".join(by_hand.told(range(LENGTH)))
    assert off(less[4], worn[4]) < off(measured.result.frame(4), worn[4]) / 3
    chart = by_hand.steps[0].chart(0)
    assert chart.by_hand.points == ((20.0, 1.0), (230.0, 1.0))
    assert chart.sure is None
    assert measured.steps[0].chart(0).sure > 0.7
    colour, _ = under(worn, "noise", curve=({"level": 128, "noise": 0.0, "colour": 9.0},))
    made = colour.result.frame(4)
    assert made.planes[0] is worn[4].planes[0]
    assert off(made, clean[4], 1) < off(worn[4], clean[4], 1) / 2


def test_places_to_measure_in_are_judged(clean: list[Frame]) -> None:
    rng = np.random.default_rng(6)
    ramp = np.linspace(40, 200, 320, dtype=np.float32)[None, :].repeat(240, axis=0)
    stripes = 120 + 40 * np.sign(np.sin(np.arange(320) / 3.0))[None, :].repeat(240, axis=0)
    picture = np.where(np.arange(240)[:, None] < 120, ramp, stripes)
    picture[:, 260:] = 255
    picture[:100, 20:100] = 90
    frames = [
        frame.with_planes((np.clip(picture + rng.normal(0, 4, picture.shape), 0, 255), *frame.planes[1:])).rounded()
        for frame in clean
    ]
    boxes = {
        "serves: levels 8": (20, 0, 100, 90), "runs by": (110, 0, 250, 100), "lines at 90 degrees": (10, 130, 150, 230),
        "is clipped": (265, 10, 318, 230), "holds 1 of the 12 places": (200, 150, 218, 168),
    }  # fmt: skip
    for words, (left, top, right, bottom) in boxes.items():
        region = Region(use="measure", x=left, y=top, width=right - left, height=bottom - top)
        step = TreatmentStep.make("noise", regions=(region,))
        chain = Chain(MemorySource(frames, "boxes"), Treatment(steps=(step,)))
        assert words in " ".join(chain.told(range(LENGTH))), words


def test_where_more_than_noise_went_is_marked(clean: list[Frame]) -> None:
    worn = noisy(clean, 6.0)
    chain, _ = under(worn, "noise", strength=1.0)
    quiet = chain.evidence_at(1, 4)
    assert not quiet.mask.any()
    assert "nothing but noise was taken" in quiet.words
    fabric = np.zeros((240, 320), np.float32)
    fabric[48:192, 48:144] = 9 * np.random.default_rng(5).standard_normal((144, 96))
    woven = [f.with_planes((np.clip(f.planes[0] + fabric, 0, 255), *f.planes[1:])).rounded() for f in clean]
    worn = noisy(woven, 6.0)
    strong, _ = under(worn, "noise", curve=({"level": 128, "noise": 6.0},), strength=2.0, reach_frames=0)
    much = strong.evidence_at(1, 4)
    assert "more than noise went" in much.words
    assert much.words.endswith("take less.")
    assert (much.mask & (fabric != 0)).sum() > 0.95 * much.mask.sum()
    assert much.mask[48:192, 48:144].mean() > 0.9
