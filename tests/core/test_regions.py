"""Regions: shapes, feather, key frames, following the picture, and steps that change whole pictures."""

from __future__ import annotations

import json
from dataclasses import replace
from typing import Any, ClassVar

import cv2
import numpy as np
import pytest
from skimage.draw import polygon2mask

from grevin.core.cache import ByteCache
from grevin.core.errors import SettingsError
from grevin.core.picture.colour import from_rgb
from grevin.core.picture.frame import Frame
from grevin.core.quality.memory_source import MemorySource
from grevin.core.steps.settings import Settings
from grevin.core.treatment.chain import Chain
from grevin.core.treatment.recipe import Treatment, TreatmentStep, treatment_from_recipe
from grevin.core.treatment.regions import Region, RegionKey, allowed
from tests.conftest import moving_frames
from tests.core.drawn import frame_of, texture

SHAPE = (120, 160)


class Nothing(Settings):
    """No settings."""


class Brighter:
    """A whole step: everything a tenth brighter."""

    id: ClassVar[str] = "brighter"
    label: ClassVar[str] = "Brighter"
    version: ClassVar[int] = 1
    family: ClassVar[str] = "whole"
    stage: ClassVar[str] = "light"
    settings_model: ClassVar[type[Settings]] = Nothing

    def reach(self, settings: Nothing) -> int:
        return 0

    def render(self, window: Any, settings: Nothing) -> Any:
        return from_rgb(window.frame(), window.rgb() + np.float32(0.1))


def test_a_polygon_lies_where_scikit_image_draws_it() -> None:
    points = ((20.0, 10.0), (140.0, 30.0), (100.0, 110.0), (40.0, 90.0))
    ours = Region(use="only", shape="polygon", points=points).mask(SHAPE)
    theirs = polygon2mask(SHAPE, np.array(points)[:, ::-1])
    edge = cv2.dilate(theirs.astype(np.uint8), np.ones((3, 3))) != cv2.erode(theirs.astype(np.uint8), np.ones((3, 3)))
    assert np.array_equal(ours[~edge], theirs[~edge])


def test_corners_are_rounded() -> None:
    sharp = Region(use="only", x=20, y=20, width=100, height=80)
    round_ = sharp.model_copy(update={"rounding_px": 12.0})
    assert sharp.mask(SHAPE)[20, 20]
    assert not round_.mask(SHAPE)[20, 20]
    missing = int(sharp.mask(SHAPE).sum()) - int(round_.mask(SHAPE).sum())
    assert missing == pytest.approx(4 * (1 - np.pi / 4) * 12**2, rel=0.2)


def test_feather_fades_inside_what_is_allowed_and_outside_what_is_protected() -> None:
    only = allowed((Region(use="only", x=40, y=40, width=60, height=40, feather_px=10.0),), 0, SHAPE)
    protect = allowed((Region(use="protect", x=40, y=40, width=60, height=40, feather_px=10.0),), 0, SHAPE)
    assert only is not None
    assert protect is not None
    assert only[60, 39] == 0
    assert 0 < only[60, 44] < 1
    assert only[60, 55] == 1
    assert protect[60, 45] == 0
    assert protect[60, 99] == 0
    assert 0 < protect[60, 104] < 1
    assert protect[60, 115] == 1


def test_key_frames_move_and_size_a_region_evenly() -> None:
    keys = (RegionKey(frame=10, x=0, y=0, width=20, height=20), RegionKey(frame=20, x=40, y=20, width=40, height=20))
    region = Region(use="only", keys=keys)
    for frame, box in ((0, (0, 0, 20, 20)), (10, (0, 0, 20, 20)), (15, (20, 10, 30, 20)), (30, (40, 20, 40, 20))):
        assert cv2.boundingRect(region.mask(SHAPE, frame).view(np.uint8)) == box


def panned(count: int, step: tuple[float, float], zoom: float = 1.0, turn: float = 0.0) -> MemorySource:
    """A textured picture that moves, grows or turns about its middle, with noise."""
    wide = texture(3, 4.0, 320 + int(abs(step[0]) * count) + 60, 240 + int(abs(step[1]) * count) + 60)
    rng = np.random.default_rng(4)
    frames = []
    for number in range(count):
        matrix = cv2.getRotationMatrix2D((160, 120), turn * number, zoom**number)
        matrix[:, 2] -= np.array(step) * number
        luma = cv2.warpAffine(wide.astype(np.float32), matrix, (320, 240), borderMode=cv2.BORDER_REFLECT)
        frames.append(frame_of(luma + rng.normal(0, 2, luma.shape), number))
    return MemorySource(frames, "panned")


@pytest.mark.parametrize("step", [(1.7, 0.0), (2.3, -0.6)])
def test_a_region_follows_a_pan_of_a_hundred_frames(step: tuple[float, float]) -> None:
    chain = Chain(panned(101, step), Treatment())
    region = Region(use="only", shape="ellipse", x=240, y=100, width=60, height=50, follow=True, first=0)
    right, down = chain.follower.shift(region, 100)
    assert np.hypot(right + 100 * step[0], down + 100 * step[1]) < 2.0


def test_a_region_follows_a_zoom_and_a_turn() -> None:
    chain = Chain(panned(61, (0, 0), zoom=1.004, turn=0.25), Treatment())
    region = Region(use="only", shape="ellipse", x=190, y=125, width=40, height=40, follow=True, first=0)
    middle = np.array([190 + 19.5, 125 + 19.5])
    matrix = cv2.getRotationMatrix2D((160, 120), 0.25 * 60, 1.004**60)
    wanted = matrix[:, :2] @ middle + matrix[:, 2]
    assert np.linalg.norm(middle + chain.follower.shift(region, 60) - wanted) < 4.0


def test_a_region_that_follows_goes_back_too_and_stops_at_a_cut() -> None:
    source = panned(20, (2.0, 0.0))
    cut = Chain(source, Treatment(), cuts=[10])
    region = Region(use="only", keys=(RegionKey(frame=8, x=100, y=80, width=60, height=60),), follow=True)
    assert cut.follower.shift(region, 0)[0] == pytest.approx(16, abs=1)
    assert cut.follower.shift(region, 9)[0] == pytest.approx(-2, abs=0.3)
    assert cut.follower.shift(region, 15) == cut.follower.shift(region, 9)


def test_a_whole_step_leaves_the_rest_as_it_is_and_fades_in() -> None:
    source = moving_frames(3)
    chain = Chain(source, Treatment())
    region = Region(use="only", shape="ellipse", x=40, y=30, width=80, height=60, feather_px=12.0)
    result = chain.add(Brighter(), Nothing(), (region,)).frame(1)  # type: ignore[arg-type]
    before = source.frame(1)
    allow = region.weight(SHAPE)
    luma = result.planes[0] - before.planes[0]
    assert not result.is_native, "rounded once, at the output"
    assert np.abs(luma[allow == 0]).max() == 0
    assert luma[allow == 1].mean() == pytest.approx(21.9, abs=0.2)
    np.testing.assert_allclose(luma, 21.9 * allow, atol=0.2)
    assert isinstance(result.touched, np.ndarray)
    nowhere = Region(use="only", x=0, y=0, width=4, height=4, first=2)
    held_off = Chain(source, Treatment())
    protect = Region(use="protect", x=-5, y=-5, width=400, height=400, last=1)
    assert held_off.add(Brighter(), Nothing(), (protect, nowhere)).frame(1) is before  # type: ignore[arg-type]


def test_a_moved_region_leaves_other_frames_in_the_cache() -> None:
    source = moving_frames(12)

    def keys(region: Region) -> list[str]:
        chain = Chain(source, Treatment(steps=(TreatmentStep.make("dirt", regions=(region,)),)))
        return [chain.result.key(number) for number in range(12)]

    one = Region(use="protect", x=1, y=1, width=9, height=9, first=3, last=4)
    other = one.model_copy(update={"x": 2})
    assert [n for n, (a, b) in enumerate(zip(keys(one), keys(other), strict=True)) if a != b] == [3, 4]


def test_regions_of_every_kind_survive_a_recipe() -> None:
    regions = (
        Region(use="protect", x=0, y=0, width=1, height=1),
        Region(use="only", shape="ellipse", x=3, y=4, width=5, height=6, feather_px=8.0, first=2, last=9),
        Region(use="only", shape="polygon", points=((1, 2), (30, 4), (5, 60)), rounding_px=3.0, follow=True),
        Region(use="protect", keys=(RegionKey(frame=0, width=4, height=4), RegionKey(frame=9, x=5, width=6, height=4))),
    )
    treatment = Treatment(steps=(TreatmentStep.make("dirt", regions=regions),))
    data = treatment.recipe()
    assert data["steps"][0]["regions"][0] == {
        "use": "protect", "shape": "rectangle", "x": 0, "y": 0, "width": 1, "height": 1,
    }  # fmt: skip
    again = treatment_from_recipe(data, "again")
    assert again.recipe() == data
    for frame in (0, 5, 9):
        for region, read in zip(regions, again.steps[0].regions, strict=True):
            assert np.array_equal(region.weight(SHAPE, frame), read.weight(SHAPE, frame))


@pytest.mark.parametrize(
    "region",
    [
        {"use": "only"},
        {"use": "only", "shape": "polygon", "points": [[1, 2], [3, 4]]},
        {"use": "only", "keys": [{"frame": 5, "width": 2, "height": 2}, {"frame": 2, "width": 2, "height": 2}]},
        {
            "use": "only",
            "shape": "polygon",
            "points": [[1, 2], [3, 4], [5, 9]],
            "keys": [{"frame": 0, "points": [[1, 2]]}],
        },
        {"use": "only", "x": 1, "y": 1, "width": 2, "height": 2, "feather_px": -1},
    ],
)
def test_regions_that_are_none_are_refused(region: dict) -> None:
    recipe = {"format": "grevin-recipe", "version": 1, "steps": [{"step": "dirt", "regions": [region]}]}
    with pytest.raises(SettingsError, match="is not written as one"):
        treatment_from_recipe(recipe, "wrong.json")


def test_dirt_fades_with_its_region() -> None:
    clean = moving_frames(7)
    frames = [clean.frame(n) for n in range(7)]
    luma = frames[3].planes[0].copy()
    luma[50:60, 70:82] = 245
    frames[3] = Frame(3, frames[3].format, (luma, *frames[3].planes[1:]))
    region = Region(use="only", x=60, y=40, width=16, height=40, feather_px=10.0)
    step = TreatmentStep.make("dirt", regions=(region,))
    chain = Chain(MemorySource(frames, "fade"), Treatment(steps=(step,)))
    result = chain.result.frame(3).planes[0]
    assert np.array_equal(result[:, 76:], luma[:, 76:])
    assert 150 < result[55, 73] < 245, "half mended"
    assert replace(frames[3], planes=frames[3].planes).touched is None


def test_no_radius_is_too_large_and_no_place_too_far() -> None:
    wide = Region(use="only", x=10, y=10, width=140, height=100, rounding_px=10_000)
    assert not wide.mask(SHAPE).any(), "no disc of that size fits"
    for wrong in ("NaN", "1e9", "-Infinity"):
        recipe = (
            '{"format": "grevin-recipe", "version": 1, "steps": [{"step": "dirt", "regions": [{"use": "only", '
            f'"shape": "polygon", "points": [[1, 2], [3, {wrong}], [5, 9]]}}]}}]}}'
        )
        with pytest.raises(SettingsError, match="is not written as one"):
            treatment_from_recipe(json.loads(recipe), "far.json")


def test_a_place_is_found_again_where_it_was_dropped_from_the_cache() -> None:
    source = panned(30, (1.7, 0.0))
    region = Region(use="only", x=200, y=80, width=60, height=60, follow=True, first=0)
    kept, dropping = Chain(source, Treatment()), Chain(source, Treatment(), ByteCache(200))
    assert dropping.follower.shift(region, 20) == pytest.approx(kept.follower.shift(region, 20), abs=1e-6)
    assert dropping.follower.shift(region, 25) == pytest.approx(kept.follower.shift(region, 25), abs=1e-6)
