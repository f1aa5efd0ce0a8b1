"""Standing spots: learned from what moves beneath them, divided out, and nothing done where none can be told."""

from __future__ import annotations

from dataclasses import replace

import cv2
import numpy as np
import pytest

from grevin.core.picture.colour import to_rgb
from grevin.core.picture.frame import Frame
from grevin.core.quality.damage.spot import Spot, SpotDamage
from grevin.core.quality.figures import psnr, squared_error
from grevin.core.quality.memory_source import MemorySource
from grevin.core.steps.spot.settings import SpotSettings
from grevin.core.steps.spot.shadow import _shadow, box_round, stretched
from grevin.core.treatment.chain import Chain
from grevin.core.treatment.recipe import Treatment, TreatmentStep
from grevin.core.treatment.regions import Region
from tests.core.test_scratch import HEIGHT, LENGTH, MIDDLE, WIDTH, panned

SPOTS = (Spot(0.3, 0.4, 9.0, 0.2), Spot(0.7, 0.6, 6.0, 0.12))


@pytest.fixture(scope="module")
def clean() -> list[Frame]:
    return panned(4.5)


def circles(spots: tuple[Spot, ...]) -> tuple[Region, ...]:
    found = []
    for spot in spots:
        side = int(3.2 * spot.radius_px) + 6
        x, y = int(spot.across * WIDTH - side / 2), int(spot.down * HEIGHT - side / 2)
        found.append(Region(use="only", shape="ellipse", x=x, y=y, width=side, height=side))
    return tuple(found)


def over(frames: list[Frame], spots: tuple[Spot, ...] = SPOTS, **settings: object) -> Chain:
    step = TreatmentStep.make("spot", dict(settings), regions=circles(spots))
    return Chain(MemorySource(frames, "spots"), Treatment(steps=(step,)))


def inside(frame: Frame, right: Frame, mask: np.ndarray) -> float:
    return psnr(*squared_error(to_rgb(frame) * 255, to_rgb(right) * 255, mask))


def test_spots_are_divided_out_and_nothing_else_changes(clean: list[Frame]) -> None:
    damage = SpotDamage(2, spots=SPOTS)
    worn = [damage.add(frame)[0] for frame in clean]
    chain = over(worn)
    mask = damage.add(clean[MIDDLE])[1].mask & chain.evidence_at(1, MIDDLE).mask
    made = chain.result.frame(MIDDLE)
    assert inside(made, clean[MIDDLE], mask) > inside(worn[MIDDLE], clean[MIDDLE], mask) + 8
    outside = ~chain.evidence_at(1, MIDDLE).mask
    assert np.array_equal(made.planes[0][outside], worn[MIDDLE].planes[0][outside])
    words = chain.told(range(LENGTH))
    assert "a spot that changes the light by" in words[0]
    assert "a spot that changes the light by" in chain.explain(1, MIDDLE, (int(0.3 * WIDTH), int(0.4 * HEIGHT), 2, 2))
    less = over(worn, strength=0.5)
    assert inside(worn[MIDDLE], clean[MIDDLE], mask) < inside(less.result.frame(MIDDLE), clean[MIDDLE], mask)
    assert inside(less.result.frame(MIDDLE), clean[MIDDLE], mask) < inside(made, clean[MIDDLE], mask)


def test_it_follows_the_light(clean: list[Frame]) -> None:
    """The shadow takes the same share of whatever light there is."""
    damage = SpotDamage(2, spots=SPOTS)
    dimmed = [
        frame.with_planes((np.asarray(frame.planes[0] * (1 - 0.3 * n / LENGTH)), *frame.planes[1:])).rounded()
        for n, frame in enumerate(clean)
    ]
    worn = [damage.add(frame)[0] for frame in dimmed]
    chain = over(worn)
    for number in (2, LENGTH - 3):
        mask = damage.add(dimmed[number])[1].mask & chain.evidence_at(1, number).mask
        made = inside(chain.result.frame(number), dimmed[number], mask)
        assert made > inside(worn[number], dimmed[number], mask) + 6


def test_a_circle_without_a_spot_and_a_picture_that_stands_are_left_alone(clean: list[Frame]) -> None:
    still = [Frame(n, clean[0].format, clean[0].planes) for n in range(LENGTH)]
    damage = SpotDamage(2, spots=SPOTS)
    for frames, words in ((clean, "no spot in this circle"), ([damage.add(f)[0] for f in still], "cannot be told")):
        chain = over(frames)
        assert chain.result.frame(MIDDLE) is chain.source.frame(MIDDLE)
        assert words in " ".join(chain.told(range(LENGTH)))
    none = Chain(MemorySource(clean, "none"), Treatment(steps=(TreatmentStep.make("spot"),)))
    assert none.result.frame(0) is none.source.frame(0)
    assert "Draw a region round each spot" in none.told(range(LENGTH))[0]


def test_a_person_may_have_it_filled(clean: list[Frame]) -> None:
    still = [Frame(n, clean[0].format, clean[0].planes) for n in range(8)]
    worn = [SpotDamage(2, spots=(Spot(0.3, 0.4, 9.0, 0.95),)).add(frame)[0] for frame in still]
    chain = over(worn, SPOTS[:1], way="fill")
    mask = chain.evidence_at(1, 3).mask
    assert "filled from around" in chain.told(range(8))[0]
    assert inside(chain.result.frame(3), still[3], mask) > inside(worn[3], still[3], mask) + 6
    assert chain.result.frame(3).planes[0][mask].min() > 40, "nothing dark is left"


def test_a_surface_over_a_rim_has_no_curvature() -> None:
    """A plane is its own surface: Laplace's equation has one solution for a rim."""
    down, across = np.mgrid[0:30, 0:40]
    plane = np.repeat((0.3 + 0.01 * down + 0.004 * across)[..., None], 3, axis=2).astype(np.float32)
    hole = np.hypot(down - 15, across - 20) < 8
    broken = plane.copy()
    broken[hole] = 0.9
    assert np.abs(stretched(broken, hole) - plane).max() < 1e-4


@pytest.mark.parametrize("region", [(-30, -30, 40, 40), (0, 0, WIDTH, HEIGHT), (10, 10, 1, 1)])
def test_circles_off_the_picture_too_large_or_of_a_pixel(clean: list[Frame], region: tuple[int, int, int, int]) -> None:
    x, y, width, height = region
    regions = (Region(use="only", shape="ellipse", x=x, y=y, width=width, height=height),)
    chain = Chain(MemorySource(clean[:6], "odd"), Treatment(steps=(TreatmentStep.make("spot", regions=regions),)))
    assert chain.result.frame(2) is chain.source.frame(2)
    assert chain.told(range(6))


def test_nothing_left_is_filled_by_itself() -> None:
    from grevin.core.steps.spot.shadow import Shadow
    from grevin.core.steps.spot.step import mended

    inner = np.zeros((40, 40), np.bool_)
    inner[12:28, 12:28] = True
    light = np.ones((40, 40, 3), np.float32)
    light[inner] = 0.02
    shadow = Shadow(0, 0, light, inner, 1.0, 0.98, 99.0, there=True)
    part = np.full((40, 40, 3), 0.5, np.float32)
    part[inner] = 0.01
    assert np.abs(mended(part, shadow, SpotSettings()) - 0.5).max() < 0.02


def flared(frames: list[Frame], drift: float) -> tuple[list[Frame], list[float]]:
    """A soft bright mark that comes, wanders and goes, on frames 3 to 14."""
    strengths = [float(np.sin(np.pi * (n - 2) / 13) ** 2) if 3 <= n <= 14 else 0.0 for n in range(len(frames))]
    made = []
    for number, frame in enumerate(frames):
        down, across = np.mgrid[0:HEIGHT, 0:WIDTH]
        away = np.hypot(across - 0.4 * WIDTH - drift * number, down - 0.5 * HEIGHT)
        added = 60 * strengths[number] * np.exp(-np.square(away / 10))
        luma = np.clip(np.rint(frame.planes[0] + added), 0, 255).astype(np.uint8)
        made.append(Frame(number, frame.format, (luma, *frame.planes[1:])))
    return made, strengths


@pytest.mark.parametrize(("drift", "stands"), [(0.0, True), (1.5, False)])
def test_a_flare_that_comes_and_goes_is_taken_off(clean: list[Frame], drift: float, stands: bool) -> None:
    frames = [Frame(n, f.format, clean[0].planes) for n, f in enumerate(clean)] if stands else clean
    worn, strengths = flared(frames, drift)
    keys = [
        {"frame": n, "x": 0.4 * WIDTH + drift * n - 28, "y": 0.5 * HEIGHT - 28, "width": 56, "height": 56}
        for n in (3, 14)
    ]
    circle = Region.model_validate({"use": "only", "shape": "ellipse", "keys": keys, "first": 3, "last": 14})
    step = TreatmentStep.make("spot", regions=(circle,))
    chain = Chain(MemorySource(worn, "flared"), Treatment(steps=(step,)), cuts=())
    words = " ".join(chain.told(range(len(worn))))
    assert "On frames 3 to 14: a mark that" in words
    core = np.zeros((HEIGHT, WIDTH), np.bool_)
    for number in (6, 8, 10):
        core[:] = False
        x = round(0.4 * WIDTH + drift * number)
        core[HEIGHT // 2 - 12 : HEIGHT // 2 + 12, x - 12 : x + 12] = True
        before, after = (inside(one, frames[number], core) for one in (worn[number], chain.result.frame(number)))
        assert strengths[number] > 0.5
        assert after > before + 8
    assert chain.result.frame(1) is chain.source.frame(1)
    mask = chain.evidence_at(1, 8).mask
    assert np.array_equal(chain.result.frame(8).planes[0][~mask], worn[8].planes[0][~mask])


CIRCLE = (slice(25, 65), slice(25, 65))  # of a picture of 90 x 90 px
DOWN, ACROSS = np.mgrid[0:40, 0:40] - 20.0
SOFT = -0.2 * np.exp(-(DOWN**2 + ACROSS**2) / 60)


def told(light: np.ndarray, noise: float) -> tuple[np.ndarray, list[np.ndarray], tuple[slice, slice]]:
    """A circle, twenty noisy ratios that tell the light in it, and where it lies in their box."""
    rng = np.random.default_rng(5)
    circle = np.zeros((90, 90), np.bool_)
    circle[CIRCLE] = True
    rows, columns = box_round(circle)
    own = tuple(
        slice(one.start - room.start, one.stop - room.start) for one, room in zip(CIRCLE, (rows, columns), strict=True)
    )
    ratios = []
    for _ in range(20):
        ratio = np.full((rows.stop - rows.start, columns.stop - columns.start, 3), np.nan, np.float32)
        ratio[own] = light[..., None] + rng.normal(0, noise, (*light.shape, 3))
        ratios.append(ratio)
    return circle, ratios, own


def test_what_the_halves_of_a_shot_do_not_agree_on_is_no_shadow() -> None:
    """The same shadow in all ratios; then another in each half, as where motion was mistaken."""
    circle, ratios, _ = told(SOFT, 0.03)
    same = _shadow(circle, ratios)
    assert same.there
    assert same.agree > 10
    turned = [ratio if place < 10 else -0.6 * ratio for place, ratio in enumerate(ratios)]
    other = _shadow(circle, turned)
    assert not other.there
    assert other.agree < 1


def off(light: np.ndarray) -> tuple[float, float]:
    """How far what is told of a light is off it, and how far the middle of the ratios is; logarithms, rms."""
    circle, ratios, own = told(light, 0.05)
    found = np.log(_shadow(circle, ratios).light[own])
    plain = np.median([ratio[own] for ratio in ratios], axis=0)
    return tuple(float(np.sqrt(np.square(one - light[..., None]).mean())) for one in (found, plain))


def test_noise_is_not_taken_for_a_shadow_and_a_sharp_edge_is_kept() -> None:
    found, plain = off(SOFT)
    assert found < 0.4 * plain
    sharp = np.where(DOWN**2 + ACROSS**2 < 100, -0.25, 0.0)
    found, plain = off(sharp)
    assert found < 0.8 * plain


def test_light_that_no_glass_gives_is_a_mistaken_motion() -> None:
    """Half of a circle is told four times as bright in all ratios, as where a stripe was taken for its neighbour."""
    bright = np.where(ACROSS > 8, 1.4, SOFT)
    circle, ratios, own = told(bright, 0.03)
    shadow = _shadow(circle, ratios)
    assert shadow.light[own].max() < 1.1
    assert 0.6 < shadow.moved < 0.8


def test_a_circle_that_comes_and_goes_may_be_filled(clean: list[Frame]) -> None:
    worn, _ = flared(clean, 0.0)
    box = {"x": int(0.4 * WIDTH) - 20, "y": HEIGHT // 2 - 20, "width": 40, "height": 40}
    circle = Region(use="only", shape="ellipse", first=3, last=14, **box)
    step = TreatmentStep.make("spot", {"way": "fill"}, regions=(circle,))
    chain = Chain(MemorySource(worn, "filled"), Treatment(steps=(step,)), cuts=())
    assert "1 places are filled" in chain.told(range(LENGTH))[0]
    mask = chain.evidence_at(1, 8).mask
    assert mask.any()
    assert chain.result.frame(8).planes[0][mask].std() < 0.7 * worn[8].planes[0][mask].std(), "nothing of it is left"
    assert not chain.evidence_at(1, 1).mask.any()


def test_a_circle_that_comes_and_goes_over_nothing_changes_nothing(clean: list[Frame]) -> None:
    circle = Region(use="only", shape="ellipse", x=60, y=60, width=50, height=50, first=4, last=12)
    chain = Chain(MemorySource(clean, "nothing"), Treatment(steps=(TreatmentStep.make("spot", regions=(circle,)),)))
    assert "nothing that comes and goes" in " ".join(chain.told(range(LENGTH)))
    assert chain.result.frame(8) is chain.source.frame(8)


def _lowered(frame: Frame, by: float) -> Frame:
    """The frame so many px farther down: a camera that tilts moves things from one field to the other."""
    move = np.array([[1.0, 0.0, 0.0], [0.0, 1.0, by]])
    luma = cv2.warpAffine(
        frame.planes[0], move, (WIDTH, HEIGHT), flags=cv2.INTER_CUBIC, borderMode=cv2.BORDER_REFLECT
    )  # fmt: skip
    return frame.with_planes((np.asarray(luma, np.uint8), *frame.planes[1:]))


def test_on_fields_one_of_each_frame_tells_it_and_both_are_mended() -> None:
    """Woven, what moves is torn, and no motion fits it."""
    moments = [_lowered(frame, 0.9 * frame.number) for frame in panned(4.5, length=2 * LENGTH)]
    fmt = replace(moments[0].format, field_order="top_first")
    clean = []
    for number in range(LENGTH):
        planes = tuple(plane.copy() for plane in moments[2 * number].planes)
        for plane, later in zip(planes, moments[2 * number + 1].planes, strict=True):
            plane[1::2] = later[1::2]
        clean.append(Frame(number, fmt, planes))
    damage = SpotDamage(2, spots=SPOTS)
    worn = [damage.add(frame)[0] for frame in clean]
    chain = over(worn)
    made = chain.result.frame(MIDDLE)
    for parity in (0, 1):
        mask = damage.add(clean[MIDDLE])[1].mask & chain.evidence_at(1, MIDDLE).mask
        mask[1 - parity :: 2] = False
        assert inside(made, clean[MIDDLE], mask) > inside(worn[MIDDLE], clean[MIDDLE], mask) + 20
    nothing = over(clean)
    assert nothing.result.frame(MIDDLE) is nothing.source.frame(MIDDLE)
