"""Pictures that sway: told from steady ones and from what moves by itself, put straight, in each field by itself."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import cv2
import numpy as np
import numpy.typing as npt
import pytest
from skimage import data as photographs

from grevin.core.measure import wobble
from grevin.core.measure.wobble import PARTS, common, lines_of, swayed
from grevin.core.picture.format import PictureFormat
from grevin.core.picture.frame import Frame
from grevin.core.quality.damage.wobble import WobbleDamage
from grevin.core.quality.figures import psnr, squared_error
from grevin.core.quality.memory_source import MemorySource
from grevin.core.treatment.chain import Chain
from grevin.core.treatment.recipe import Treatment, TreatmentStep
from tests.conftest import FORMATS, name_of, random_frame

PICTURES = ("astronaut", "coffee", "chelsea", "rocket")
LENGTH, SIZE = 12, (256, 320)
BENDS = {
    "waves": WobbleDamage(seed=4, waves_px=1.2), "restless": WobbleDamage(seed=4, waves_px=0, restless_px=1.2),
    "top": WobbleDamage(seed=6, waves_px=0.3, top_px=3.0, top_height=0.1),
}  # fmt: skip


def photograph(name: str) -> npt.NDArray[np.float32]:
    read = cv2.cvtColor(np.asarray(getattr(photographs, name)()), cv2.COLOR_RGB2GRAY)
    return np.asarray(cv2.resize(read, (420, 340), interpolation=cv2.INTER_AREA), np.float32)


def shot(name: str, pace: float = 2.3, turn: float = 0.0, **fmt: Any) -> list[Frame]:
    """A camera that goes over a photograph, and turns by so many degrees a frame."""
    luma, height, width = photograph(name), *SIZE
    made = PictureFormat(width, height, "grey", 8, full_range=True)
    frames = []
    for number in range(LENGTH):
        way = cv2.getRotationMatrix2D((210, 170), turn * (number - LENGTH / 2), 1.0)
        way[:, 2] -= (30 + pace * number, 40)
        seen = cv2.warpAffine(luma, way, (width, height), flags=cv2.INTER_CUBIC, borderMode=cv2.BORDER_REFLECT)
        grain = np.random.default_rng((5, number)).normal(0, 1.0, SIZE)
        frames.append(Frame(number, replace(made, **fmt), (np.clip(np.rint(seen + grain), 0, 255).astype(np.uint8),)))
    return frames


def chain_of(frames: list[Frame], **settings: Any) -> Chain:
    return Chain(MemorySource(frames, "sways"), Treatment(steps=(TreatmentStep.make("wobble", settings),)))


def db(right: Frame, frame: Frame) -> float:
    inner = slice(None), slice(16, -16)
    return psnr(*squared_error(right.planes[0][inner], frame.rounded().planes[0][inner]))


def gains(clean: list[Frame], worn: list[Frame], chain: Chain) -> list[float]:
    return [db(clean[n], chain.result.frame(n)) - db(clean[n], worn[n]) for n in range(len(clean))]


@pytest.mark.parametrize("name", PICTURES)
@pytest.mark.parametrize("kind", BENDS)
def test_pictures_are_put_straight(name: str, kind: str) -> None:
    """Photographs that scikit-image ships, under a camera that pans."""
    clean = shot(name)
    worn = [BENDS[kind].add(frame)[0] for frame in clean]
    chain = chain_of(worn)
    gained = gains(clean, worn, chain)
    assert np.mean(gained) > 1.5
    assert min(gained) > (-2.0 if name == "rocket" else 0.5)  # nothing is in its sky, and little else in its frames
    assert "sway together by" in chain.steps[0].told(0)[0]
    chart = chain.steps[0].chart(0)
    assert chart is not None
    assert len(chart.lines[0].values) == LENGTH


@pytest.mark.parametrize("name", PICTURES)
@pytest.mark.parametrize(("pace", "turn"), [(0.0, 0.0), (2.3, 0.0), (9.0, 0.0), (1.0, 1.2)])
def test_under_a_steady_time_base_shots_come_out_bit_for_bit(name: str, pace: float, turn: float) -> None:
    """A camera that turns displaces lines sideways too, but lifts columns as it does."""
    frames = shot(name, pace, turn)
    chain = chain_of(frames)
    assert all(chain.result.frame(frame.number) is frame for frame in frames)


def test_what_passes_before_the_camera_is_no_wobble() -> None:
    """A square as high as half of the picture goes to and fro before it."""
    frames = shot("coffee", 0.0)
    texture = photograph("rocket")[100:240, 100:240]
    for place, frame in enumerate(frames):
        left, luma = 90 + round(6 * np.sin(1.7 * place)), frame.planes[0].copy()
        luma[60:200, left : left + 140] = texture
        frames[place] = replace(frame, planes=(luma,))
    chain = chain_of(frames)
    assert all(chain.result.frame(frame.number) is frame for frame in frames)


def test_it_is_said_where_nothing_tells() -> None:
    fog = [replace(frame, planes=(np.full(SIZE, 90 + frame.number, np.uint8),)) for frame in shot("coffee")]
    chain = chain_of(fog)
    assert chain.result.frame(4) is fog[4]
    assert "too little is in it" in chain.steps[0].told(0)[0]
    assert chain.steps[0].chart(0) is None
    short = chain_of(shot("coffee")[:3])
    assert short.result.frame(1).number == 1


def test_a_turn_of_the_whole_is_what_a_camera_does() -> None:
    """Parts agree where they do the same; one half alone, or the middle, tells nothing."""
    sure = np.ones((4, PARTS), np.bool_)
    right = np.zeros((4, PARTS))
    right[0] = 1.5
    right[1, : PARTS // 2] = 1.5
    right[2, 2:-2] = 1.5
    right[3, 0] = 1.5
    moved, known = common(right, sure)
    np.testing.assert_allclose(moved[0], 1.5)
    assert known.tolist() == [True, False, False, True]
    assert moved[3] == 0
    assert common(right, sure, most=True)[1].tolist() == [True, False, False, True]
    assert not common(right, np.zeros_like(sure))[1].any()


def test_fields_are_bent_each_by_itself() -> None:
    """Each is as near to the clean one as it would be alone; what the one holds says nothing of the other."""
    pictures = [frame.planes[0] for frame in shot("astronaut", 1.2)]
    fmt = PictureFormat(SIZE[1], SIZE[0], "grey", 8, full_range=True, field_order="top_first")
    clean = []
    for number, (early, late) in enumerate(zip(pictures[::2], pictures[1::2], strict=True)):
        woven = early.copy()
        woven[1::2] = late[1::2]
        clean.append(Frame(number, fmt, (woven,)))
    worn = [BENDS["waves"].add(frame)[0] for frame in clean]
    chain = chain_of(worn)
    for number, (right, before) in enumerate(zip(clean, worn, strict=True)):
        after = chain.result.frame(number).rounded()
        for parity in (0, 1):
            one = slice(parity, None, 2), slice(16, -16)
            was, now = (psnr(*squared_error(right.planes[0][one], each.planes[0][one])) for each in (before, after))
            assert now > was + 1
    assert all(chain_of(clean).result.frame(frame.number) is frame for frame in clean)


def test_colour_goes_with_its_lines() -> None:
    clean = []
    fmt = PictureFormat(SIZE[1], SIZE[0], "yuv", 8, "4:2:0")
    for frame in shot("chelsea"):
        colour = cv2.resize(frame.planes[0], (SIZE[1] // 2, SIZE[0] // 2), interpolation=cv2.INTER_AREA)
        clean.append(Frame(frame.number, fmt, (frame.planes[0], colour, colour)))
    worn = [BENDS["waves"].add(frame)[0] for frame in clean]
    made = chain_of(worn).result.frame(6).rounded()
    for place in range(3):
        right, before, after = (one.planes[place][:, 16:-16] for one in (clean[6], worn[6], made))
        assert psnr(*squared_error(right, after)) > psnr(*squared_error(right, before)) + 1


def test_a_long_shot_is_told_apart_in_stretches_that_show_no_seam(monkeypatch: pytest.MonkeyPatch) -> None:
    rng = np.random.default_rng(7)
    right, sure = rng.normal(0, 1, (150, 20, PARTS)), rng.random((150, 20, PARTS)) > 0.1
    right += rng.normal(0, 1, (150, 20, 1)) - 0.9 * right  # parts that are nearly alike
    whole = swayed(right, sure)
    monkeypatch.setattr(wobble, "STRETCH", 40)
    parts = swayed(right, sure)
    assert whole.known.mean() > 0.2
    np.testing.assert_allclose(parts.moved, whole.moved)
    np.testing.assert_array_equal(parts.known, whole.known)
    np.testing.assert_allclose(parts.whole, whole.whole)


def test_strength_takes_a_part_and_none() -> None:
    clean = shot("coffee")
    worn = [BENDS["waves"].add(frame)[0] for frame in clean]
    assert chain_of(worn, strength=0.0).result.frame(5) is worn[5]
    half, whole = (np.mean(gains(clean, worn, chain_of(worn, strength=share))) for share in (0.5, 1.0))
    assert whole > half > 0


def test_lines_lie_between_their_strips() -> None:
    far = lines_of(np.array([0.0, 4.0]), 8)
    np.testing.assert_allclose(far, [0, 0, 0.5, 1.5, 2.5, 3.5, 4, 4])
    damage = WobbleDamage(seed=9, waves_px=1.0)
    assert 0.6 < np.mean([damage.aside(400, n).std() for n in range(40)]) < 1.2


@pytest.mark.parametrize("fmt", FORMATS, ids=name_of)
def test_pictures_of_every_format_are_moved(fmt: PictureFormat) -> None:
    wide = replace(fmt, width=96, height=80)
    frames = [random_frame(wide, number) for number in range(6)]
    assert chain_of(frames, acts="all").result.frame(3).format == wide
    for size in ((1, 1), (2, 40), (70, 2), (65, 66)):
        grey = PictureFormat(size[1], size[0], "grey", 8, full_range=True)
        plain = [Frame(number, grey, (np.full(size, 9 * number, np.uint8),)) for number in range(6)]
        assert chain_of(plain, acts="all").result.frame(3).format == grey
