"""Borders: found within a pixel whatever lies beside them, filled from what shows them, the inside as it was."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from skimage import data as photographs

from grevin.core.errors import SettingsError
from grevin.core.measure.active_area import Borders, borders_of
from grevin.core.picture.colour import to_rgb
from grevin.core.picture.format import PictureFormat
from grevin.core.picture.frame import Frame
from grevin.core.quality.damage.border import BorderDamage
from grevin.core.quality.figures import psnr, squared_error
from grevin.core.quality.memory_source import MemorySource
from grevin.core.treatment.chain import Chain
from grevin.core.treatment.recipe import Treatment, TreatmentStep
from tests.conftest import FORMATS, moving_frames, name_of

FRAMES, MIDDLE = 15, 7


def bordered(damage: BorderDamage, speed: float = 3.0, size: tuple[int, int] = (320, 240)) -> list[Frame]:
    clean = moving_frames(FRAMES, *size, speed=speed)
    return [damage.add(clean.frame(n))[0] for n in range(FRAMES)]


def chain_of(frames: list[Frame], **settings: object) -> Chain:
    return Chain(MemorySource(frames, "edges"), Treatment(steps=(TreatmentStep.make("edges", dict(settings)),)))


def found_in(frames: list[Frame]) -> Borders:
    return borders_of(np.stack([frame.luma8() for frame in frames]))


@pytest.mark.parametrize("picture", ["astronaut", "coffee", "camera", "brick", "rocket"])
@pytest.mark.parametrize(
    "damage",
    [
        BorderDamage(1, 8, 10, 3, 2), BorderDamage(2, 5, 12, 0, 4, ragged=0.8, dots=0.25),
        BorderDamage(3, 9, 6, 1, 3, torn=8, ragged=0.5),
    ],
    ids=["black", "ragged and dotted", "torn"],
)  # fmt: skip
def test_borders_of_open_photographs_are_found_within_a_pixel(picture: str, damage: BorderDamage) -> None:
    """Pictures that scikit-image ships; the goal of a pixel and a line is common practice, no source."""
    read = getattr(photographs, picture)()
    grey = (read if read.ndim == 2 else read.mean(axis=2)).astype(np.uint8)[:480, :500]
    fmt = PictureFormat(grey.shape[1] // 2 * 2, grey.shape[0] // 4 * 4, "grey", 8, full_range=False)
    luma = grey[: fmt.height, : fmt.width]
    frames = [damage.add(Frame(n, fmt, (np.ascontiguousarray(np.maximum(luma, 16)),)))[0] for n in range(6)]
    found = found_in(frames)
    assert abs(found.left - damage.left) <= 1
    assert abs(found.right - damage.right) <= 1
    assert abs(found.top - damage.top) <= 1
    assert abs(found.bottom - damage.bottom - damage.torn) <= 1


def test_dark_pictures_show_their_borders_too() -> None:
    """Within three lines or pixels, hardly lit as they are."""
    damage = BorderDamage(1, 8, 10, 4, 4)
    clean = moving_frames(FRAMES, 320, 240, speed=3.0)
    dark = []
    for number in range(FRAMES):
        frame = clean.frame(number)
        luma = np.rint(16 + 6 + (frame.planes[0].astype(float) - 110) * 0.03).astype(np.uint8)
        dark.append(damage.add(replace(frame, planes=(luma, *frame.planes[1:])))[0])
    found = found_in(dark)
    for side in ("left", "right", "top", "bottom"):
        assert abs(getattr(found, side) - getattr(damage, side)) <= 3, side


def hardly_lit(picture: str, damage: BorderDamage | None) -> np.ndarray:
    """(N, H, W) a slow pan over a photograph of scikit-image, a sixteenth of its light, noise of 1.5 levels."""
    rng = np.random.default_rng(12)
    read = getattr(photographs, picture)()
    grey = (read if read.ndim == 2 else read.mean(axis=2)).astype(np.float32)
    frames = []
    for number in range(16):
        luma = np.rint(16 + grey[4 * number : 4 * number + 240, 2 * number : 2 * number + 320] / 16)
        fmt = PictureFormat(320, 240, "grey", 8, full_range=False)
        frame = Frame(number, fmt, (luma.astype(np.uint8),))
        made = damage.add(frame)[0] if damage else frame
        frames.append(made.planes[0] + rng.normal(0, 1.5, luma.shape))
    return np.asarray(np.clip(np.rint(np.stack(frames)), 0, 255), np.uint8)


@pytest.mark.parametrize("picture", ["astronaut", "coffee", "brick", "grass"])
def test_lines_over_time_show_the_borders_of_hardly_lit_pictures(picture: str) -> None:
    damage = BorderDamage(4, 7, 11, 4, 3)
    found = borders_of(hardly_lit(picture, damage))
    assert max(abs(found.left - 7), abs(found.right - 11)) <= 1
    assert max(abs(found.top - 4), abs(found.bottom - 3)) <= 1
    assert not borders_of(hardly_lit(picture, None))


def test_a_dark_thing_that_begins_anywhere_is_no_border() -> None:
    """A slope out of black: its lines begin one after the other."""
    down, across = np.mgrid[0:240, 0:320]
    rng = np.random.default_rng(3)
    frames = np.where(across > 6 + down // 5, 22.0, 16.0) + rng.normal(0, 1.0, (12, 240, 320))
    assert borders_of(np.rint(frames).astype(np.uint8)).left == 0


def test_what_passes_the_rim_of_a_dark_picture_says_that_it_is_one() -> None:
    """A lattice near the camera before a night: its wires are lit at the rim itself, and begin anywhere."""
    down, across = np.mgrid[0:240, 0:320]
    rng = np.random.default_rng(9)
    frames = []
    for number in range(12):
        ways = (np.abs((across + side * down - 2.3 * number) % 30 - 15) for side in (-1, 1))
        night = np.where(across < 12, 19.0, 24.0) + rng.normal(0, 1.5, down.shape)
        frames.append(np.where(np.minimum(*ways) < 1.5, 66.0, night))
    assert not borders_of(np.rint(np.stack(frames)).astype(np.uint8))


def test_a_picture_without_borders_comes_out_bit_for_bit() -> None:
    clean = moving_frames(FRAMES, 320, 240, speed=3.0)
    frames = [clean.frame(n) for n in range(FRAMES)]
    chain = chain_of(frames)
    assert chain.result.frame(MIDDLE) is chain.source.frame(MIDDLE)
    assert chain.steps[0].told(MIDDLE) == ("There is no border to be written anew.",)


@pytest.mark.parametrize("way", [1.0, -1.0])
def test_slanting_stripes_that_fold_at_the_bottom_are_no_torn_lines(way: float) -> None:
    rng = np.random.default_rng(4)
    slant = np.where(np.arange(240) < 228, 1.0, 2.0)  # px a line
    shift = way * np.cumsum(slant)[:, None] + np.arange(320)
    stripes = 120 + 60 * np.sin(2 * np.pi * shift / 9.0)
    frames = np.clip(stripes + rng.normal(0, 1, (5, 240, 320)), 0, 255).astype(np.uint8)
    assert borders_of(frames) == Borders()


def test_a_black_shot_has_no_borders() -> None:
    fmt = PictureFormat(320, 240, "grey", 8, full_range=False)
    assert not found_in([Frame(n, fmt, (np.full((240, 320), 16, np.uint8),)) for n in range(4)])


def test_a_moving_camera_shows_what_a_border_hides() -> None:
    damage = BorderDamage(1, 9, 11, 0, 0, ragged=0.5)
    frames, clean = bordered(damage), moving_frames(FRAMES, 320, 240, speed=3.0).frame(MIDDLE)
    by_frames, by_mirror = (chain_of(frames, source=source) for source in ("best", "mirror"))
    mask = damage.add(clean)[1].mask
    ours, plain, before = (
        psnr(*squared_error(one.luma8(), clean.luma8(), mask))
        for one in (by_frames.result.frame(MIDDLE), by_mirror.result.frame(MIDDLE), frames[MIDDLE])
    )
    assert ours > plain + 5 > before + 5
    evidence = by_frames.evidence_at(1, MIDDLE)
    assert "from frames around" in by_frames.steps[0].explain(MIDDLE, evidence.blobs[0].area)
    assert by_frames.steps[0].told(MIDDLE)[-1] == "The way of the camera is known on 100 % of the frames."


def test_what_lies_inside_stays_bit_for_bit_on_every_frame() -> None:
    frames = bordered(BorderDamage(1, 8, 10, 2, 4))
    chain = chain_of(frames)
    first = chain.evidence_at(1, 0).mask
    for number in range(FRAMES):
        made, evidence = chain.result.frame(number), chain.evidence_at(1, number)
        assert (evidence.mask == first).all(), "a border never breathes"
        assert (made.planes[0] == frames[number].planes[0])[~first].all()
    assert not first[4:-4, 10:-12].any()


def test_a_standing_camera_mirrors_and_says_so() -> None:
    frames = bordered(BorderDamage(1, 8, 8), speed=0.0)
    chain = chain_of(frames)
    evidence = chain.evidence_at(1, MIDDLE)
    assert chain.steps[0].explain(MIDDLE, evidence.blobs[0].area) == "mirrored from the picture beside it"
    luma = chain.result.frame(MIDDLE).planes[0].astype(int)
    left = int(chain.steps[0].study_of(MIDDLE)["used"][0])
    assert np.abs(luma[:, :left] - luma[:, left : 2 * left][:, ::-1]).max() <= 1


def test_a_box_round_the_picture_is_left_and_said() -> None:
    chain = chain_of(bordered(BorderDamage(1, 0, 0, 40, 40)))
    assert not chain.evidence_at(1, MIDDLE).mask.any()
    assert "is a box round the picture and is left" in chain.steps[0].told(MIDDLE)[1]
    asked = chain_of(bordered(BorderDamage(1, 0, 0, 40, 40)), most_pct=25.0)
    assert asked.evidence_at(1, MIDDLE).mask[:38].all()


def test_borders_inside_a_box_are_found_as_well() -> None:
    found = found_in(bordered(BorderDamage(1, 9, 7, 40, 40)))
    assert (abs(found.left - 9) <= 1, abs(found.right - 7) <= 1, found.top, found.bottom) == (True, True, 40, 40)


def test_a_person_says_how_wide_the_borders_are() -> None:
    clean = moving_frames(FRAMES, 320, 240, speed=3.0)
    chain = chain_of([clean.frame(n) for n in range(FRAMES)], left_px=6, bottom_lines=4)
    mask = chain.evidence_at(1, MIDDLE).mask
    assert mask[:, :6].all()
    assert mask[-4:].all()
    assert not mask[:-4, 6:].any()


@pytest.mark.parametrize("order", ["top_first", "bottom_first"])
def test_fields_are_filled_each_from_its_own_lines(order: str) -> None:
    frames = bordered(BorderDamage(1, 8, 8, 4, 4))
    woven = [replace(f, format=replace(f.format, field_order=order)) for f in frames]
    for number, frame in enumerate(woven):  # the second field is black: what is mirrored must not mix them
        luma = frame.planes[0].copy()
        luma[1::2] = 60
        woven[number] = replace(frame, planes=(luma, *frame.planes[1:]))
    made = chain_of(woven, left_px=8, right_px=8, top_lines=4, bottom_lines=4).result.frame(MIDDLE)
    assert (made.planes[0][1::2] == 60).all()
    assert (made.planes[0][0::2] != 60).mean() > 0.9


@pytest.mark.parametrize("fmt", FORMATS, ids=name_of)
def test_crop_keeps_the_samples_of_every_format(fmt: PictureFormat) -> None:
    rng = np.random.default_rng(1)
    frames = [
        Frame(n, fmt, tuple(rng.integers(0, fmt.max_code + 1, s).astype(fmt.dtype) for s in fmt.plane_shapes()))
        for n in range(3)
    ]
    chain = chain_of(frames, way="crop", left_px=4, right_px=3, top_lines=2, bottom_lines=0)
    made = chain.result.frame(1)
    assert made.format.width <= fmt.width - 7
    assert made.format.height <= fmt.height - 2
    assert made.planes[0].shape == (made.format.height, made.format.width)
    left = 4
    assert (made.planes[0] == frames[1].planes[0][2 : 2 + made.format.height, left : left + made.format.width]).all()
    assert made.planes[-1].shape == made.format.plane_shapes()[-1]


def test_enlarging_hides_the_borders_at_the_same_size() -> None:
    frames = bordered(BorderDamage(1, 8, 8))
    chain = chain_of(frames, way="enlarge", left_px=9, right_px=9, top_lines=0, bottom_lines=0)
    made = chain.result.frame(MIDDLE)
    assert made.format == frames[MIDDLE].format
    rgb = to_rgb(made.rounded())
    assert rgb[:, 0].mean() > 0.2, "no black at the side"
    assert rgb[:, -1].mean() > 0.2
    plain = chain_of(frames, way="enlarge").result.format
    assert (plain.width, plain.height) == (320, 240), "1.5 % of each side where nothing is said"


def test_borders_that_leave_nothing_are_refused_in_words() -> None:
    frames = bordered(BorderDamage(1, 8, 8))
    for way in ("crop", "enlarge"):
        chain = chain_of(frames, way=way, left_px=200, right_px=200)
        assert chain.result.format == frames[0].format
        with pytest.raises(SettingsError, match="The borders leave 0 x"):
            chain.result.frame(MIDDLE)
    chain = chain_of(frames, left_px=200, right_px=200)
    assert chain.result.frame(MIDDLE) is chain.source.frame(MIDDLE)
