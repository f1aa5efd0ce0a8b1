"""Line scratches: found whatever their kind, told from what stands upright in the picture, mended with what is left."""

from __future__ import annotations

from dataclasses import replace
from types import SimpleNamespace

import cv2
import numpy as np
import pytest

from grevin.core.picture.colour import to_rgb
from grevin.core.picture.frame import Frame
from grevin.core.quality.damage.scratch import Line, ScratchDamage
from grevin.core.quality.figures import psnr, squared_error
from grevin.core.quality.memory_source import MemorySource
from grevin.core.steps.scratch.frames_around import FramesAround, worth_asking
from grevin.core.steps.scratch.lines import Line as Found
from grevin.core.steps.scratch.lines import is_cut
from grevin.core.steps.scratch.over_shot import passes
from grevin.core.steps.scratch.paths import over_time, paths_of
from grevin.core.treatment.chain import Chain
from grevin.core.treatment.recipe import Treatment, TreatmentStep
from grevin.core.treatment.regions import Region
from grevin.core.treatment.strokes import Stroke
from grevin.core.treatment.verdicts import Verdict, Verdicts
from tests.conftest import moving_frames

WIDTH, HEIGHT, LENGTH, MIDDLE = 400, 288, 30, 14
KINDS = {
    "bright": Line(0.4, 3.0, 30.0), "thin": Line(0.4, 1.0, 36.0), "wide": Line(0.4, 8.0, 22.0),
    "dark": Line(0.4, 3.0, -30.0), "blue": Line(0.4, 3.0, 60.0, "blue"), "opaque": Line(0.4, 3.0, 235.0, "opaque"),
    "part": Line(0.4, 3.0, 30.0, first=0.2, last=0.7), "leaning": Line(0.4, 3.0, 30.0, tilt=9.0),
}  # fmt: skip


@pytest.fixture(scope="module")
def clean() -> list[Frame]:
    return panned(2.3)


def panned(pace: float, mast: bool = False, length: int = LENGTH) -> list[Frame]:
    """Clouds and water of some texture that go by, under a little grain; a mast stands in them if wanted."""
    rng = np.random.default_rng(12)
    wide = cv2.GaussianBlur(rng.normal(0, 1, (HEIGHT, 900)).astype(np.float32), (0, 0), 3.0)
    wide += 3 * cv2.GaussianBlur(rng.normal(0, 1, (HEIGHT, 900)).astype(np.float32), (0, 0), 12.0)
    texture = 110 + 35 * wide / wide.std() / 2
    if mast:
        texture[40:, 300:304] = 185
    fmt = moving_frames(1, WIDTH, HEIGHT).frame(0).format
    frames = []
    for number in range(length):
        move = np.array([[1.0, 0.0, -60.0 - pace * number], [0.0, 1.0, 0.0]])
        luma = cv2.warpAffine(texture, move, (WIDTH, HEIGHT), flags=cv2.INTER_CUBIC, borderMode=cv2.BORDER_REFLECT)
        grain = np.random.default_rng((12, number)).normal(0, 1.5, luma.shape)
        chroma = np.full(fmt.plane_shapes()[1], 128, np.uint8)
        planes = (np.clip(np.rint(luma + grain), 0, 255).astype(np.uint8), chroma, chroma)
        frames.append(Frame(number, fmt, planes))
    return frames


def over(frames: list[Frame], **settings: object) -> Chain:
    step = TreatmentStep.make("scratch", dict(settings))
    return Chain(MemorySource(frames, "scratches"), Treatment(steps=(step,)))


@pytest.mark.parametrize("kind", KINDS)
def test_every_kind_is_found_and_mended(clean: list[Frame], kind: str) -> None:
    damage = ScratchDamage(3, lines=(KINDS[kind],))
    worn = [damage.add(frame)[0] for frame in clean]
    chain = over(worn)
    found, truth = chain.evidence_at(1, MIDDLE), damage.add(clean[MIDDLE])[1]
    centres = damage.centres(0, MIDDLE, (HEIGHT, WIDTH))
    line = KINDS[kind]
    rows = np.arange(int(line.first * HEIGHT), int(line.last * HEIGHT))
    assert found.mask[rows, np.rint(centres[rows]).astype(int)].mean() > 0.85
    assert len(found.blobs) == 1
    assert (found.blobs[0].contrast < 0) == (line.levels < 0)
    made, right = to_rgb(chain.result.frame(MIDDLE)) * 255, to_rgb(clean[MIDDLE]) * 255
    before = psnr(*squared_error(to_rgb(worn[MIDDLE]) * 255, right, truth.mask))
    after = psnr(*squared_error(made, right, truth.mask))
    assert after > before + (3 if kind == "wide" else 6)
    outside = ~found.mask
    assert np.array_equal(chain.result.frame(MIDDLE).planes[0][outside], worn[MIDDLE].planes[0][outside])
    assert "Up to 1 scratch on a frame" in chain.told(range(LENGTH))[0]


def test_material_without_scratches_comes_out_bit_for_bit(clean: list[Frame]) -> None:
    chain = over(clean)
    assert all(chain.result.frame(number) is chain.source.frame(number) for number in range(0, LENGTH, 6))
    assert "No scratch in this shot" in chain.told(range(LENGTH))[0]


def test_a_mast_that_moves_with_the_picture_is_left_alone() -> None:
    chain = over(panned(2.3, mast=True))
    for number in range(4, LENGTH, 5):
        assert not chain.evidence_at(1, number).mask.any()


def with_poles(frames: list[Frame], pace: float) -> list[Frame]:
    """Near things before a ground that goes by otherwise: what moves evenly, and neither stays nor goes with it."""
    made = []
    for number, frame in enumerate(frames):
        luma = frame.planes[0].astype(np.float32)
        for place in (60.0, 150.0, 255.0):
            at = np.abs(np.arange(WIDTH) - (place - pace * number))
            share = np.clip(2.0 - at, 0.0, 1.0)
            luma += share * (40 + 0.5 * (luma.mean() - luma))
        made.append(replace(frame, planes=(np.clip(luma, 0, 255).astype(np.uint8), *frame.planes[1:])))
    return made


def test_near_poles_that_a_camera_passes_are_no_scratches(clean: list[Frame]) -> None:
    some = clean[:16]
    chain = over(with_poles(some, 0.8))
    assert not any(chain.evidence_at(1, number).mask.any() for number in range(2, len(some), 4))
    standing = over(with_poles(some, 0.0))
    assert standing.evidence_at(1, len(some) // 2).mask.any(), "such lines are scratches where they stay"


@pytest.mark.parametrize("wander", [0.0, 0.3, 0.6, 1.2])
def test_what_wanders_does_not_go_evenly(wander: float) -> None:
    """Random walks, measured to .15 px: of 300 hardly any passes for a thing that goes by."""
    rng = np.random.default_rng(2)
    walks = np.cumsum(rng.normal(0, wander, (300, 25)), axis=1) + rng.normal(0, 0.15, (300, 25))
    assert sum(passes(dict(enumerate(walk))) for walk in walks) <= (12 if wander > 0.6 else 2)
    away = walks[0] - walks[0] + 0.4 * np.arange(25) + rng.normal(0, 0.15, 25)
    assert passes(dict(enumerate(away)))
    assert not passes(dict(enumerate(away[:3]))), "too short a while to tell"


def test_what_leans_far_and_stays_where_it_is_is_no_scratch(clean: list[Frame]) -> None:
    """A scratch goes on from frame to frame: one that leans by an eleventh of the height would be elsewhere on each."""
    damage = ScratchDamage(3, lines=(Line(0.4, 3.0, 30.0, tilt=HEIGHT / 11),))
    chain = over([damage.add(frame)[0] for frame in clean])
    assert chain.steps[0].study_of(0)["score"].max() > 3, "it looks like one"
    assert not any(chain.evidence_at(1, number).mask.any() for number in range(4, LENGTH, 5))
    assert "No scratch in this shot" in chain.told(range(LENGTH))[0]


def test_settings_say_which(clean: list[Frame]) -> None:
    lines = (Line(0.3, 3.0, 30.0), Line(0.7, 3.0, -30.0, first=0.3, last=0.6))
    damage = ScratchDamage(3, lines=lines)
    worn = [damage.add(frame)[0] for frame in clean[: MIDDLE + 5]]

    def taken(**settings: object) -> list[bool]:
        """Whether each line is taken."""
        mask = over(worn, **settings).evidence_at(1, MIDDLE).mask
        middle = HEIGHT // 2
        places = [round(float(damage.centres(n, MIDDLE, (HEIGHT, WIDTH))[middle])) for n in (0, 1)]
        return [bool(mask[middle, place - 1 : place + 2].any()) for place in places]

    assert taken(polarity="darker") == [False, True]
    assert taken(polarity="brighter") == [True, False]
    assert taken(min_length_pct=60.0) == [True, False]
    assert taken(least_width_px=12.0) == [False, False]
    plain, wider = (over(worn, **more).evidence_at(1, MIDDLE) for more in ({}, {"grow_left_px": 4}))
    assert len(plain.blobs) == 2
    assert wider.mask.sum() > plain.mask.sum() + 3 * HEIGHT


def test_a_line_is_found_alike_wherever_stretches_begin(clean: list[Frame]) -> None:
    damage = ScratchDamage(3, lines=(Line(0.4, 3.0, 28.0, wander_px=0.4),))
    worn = [damage.add(frame)[0] for frame in clean]
    chain = over(worn)
    masks = [chain.evidence_at(1, number).mask for number in range(LENGTH)]
    shares = [mask[:, 120:200].any(axis=1).mean() for mask in masks]
    assert min(shares) > 0.6, "on every frame, also those where a stretch ends"


def test_what_a_person_points_at_is_taken_and_explained(clean: list[Frame]) -> None:
    damage = ScratchDamage(3, lines=(Line(0.5, 3.0, 30.0, first=0.2, last=0.8),))
    worn = [damage.add(frame)[0] for frame in clean]
    place = round(float(damage.centres(0, MIDDLE, (HEIGHT, WIDTH))[HEIGHT // 2]))
    step = TreatmentStep.make("scratch", {"polarity": "darker"})
    area = (place - 2, HEIGHT // 2, 5, 5)
    said = Verdicts((Verdict("scratch", MIDDLE, area, "mend"),))
    chain = Chain(MemorySource(worn, "pointed"), Treatment(steps=(step,)), verdicts=said)
    found = chain.evidence_at(1, MIDDLE)
    assert found.mask[HEIGHT // 2, place]
    assert found.mask.sum() > 3 * 0.5 * HEIGHT, "all of the line"
    assert "what is left under it is kept" in chain.explain(1, MIDDLE, area)
    right = clean[MIDDLE].planes[0].astype(float)
    made, before = (np.abs(f.planes[0].astype(float) - right)[found.mask].mean()
                    for f in (chain.result.frame(MIDDLE), worn[MIDDLE]))  # fmt: skip
    assert made < 0.7 * before


def test_what_is_drawn_by_hand_is_mended_where_nothing_was_found() -> None:
    frames = panned(4.5, length=9)
    damage = ScratchDamage(3, lines=(Line(0.5, 3.0, 30.0, tilt=6.0),))
    worn = [damage.add(frame)[0] for frame in frames]
    centres = damage.centres(0, 4, (HEIGHT, WIDTH))
    way = tuple((float(centres[row]), float(row)) for row in (0, HEIGHT - 1))
    drawn = Stroke(where=Region(use="only", shape="brush", points=way, width_px=9.0, first=4, last=4))
    step = TreatmentStep.make("scratch", {"polarity": "darker"}, strokes=(drawn,))
    chain = Chain(MemorySource(worn, "drawn"), Treatment(steps=(step,)))
    found, truth = chain.evidence_at(1, 4), damage.add(frames[4])[1].mask
    assert [blob.by_hand for blob in found.blobs] == [True]
    assert (found.mask & truth).sum() > 0.95 * truth.sum()
    right = to_rgb(frames[4]) * 255
    before, after = (psnr(*squared_error(to_rgb(one) * 255, right, truth)) for one in (worn[4], chain.result.frame(4)))
    assert after > before + 6
    assert np.array_equal(chain.result.frame(4).planes[0][~found.mask], worn[4].planes[0][~found.mask])
    assert all(chain.result.frame(number) is chain.source.frame(number) for number in (3, 5))


@pytest.mark.parametrize("length", [1, 2])
def test_few_frames_and_black_ones_are_no_fault(clean: list[Frame], length: int) -> None:
    chain = over(clean[:length])
    assert chain.result.frame(0) is chain.source.frame(0)
    black = [frame.with_planes((np.zeros_like(frame.planes[0]), *frame.planes[1:])) for frame in clean[:4]]
    dark = over(black)
    assert dark.result.frame(1) is dark.source.frame(1)
    tiny = moving_frames(4, 32, 16)
    small = Chain(tiny, Treatment(steps=(TreatmentStep.make("scratch"),)))
    assert small.result.frame(2) is small.source.frame(2)


def test_a_way_down_the_bands_is_the_one_with_the_greatest_sum() -> None:
    """Against the definition: every way of a small map tried one by one."""
    rng = np.random.default_rng(2)
    own = rng.uniform(0, 1.2, (7, 9)).astype(np.float32)
    own[:, 4] += 1.5
    (sums,) = over_time([own])
    assert np.allclose(sums, np.minimum(own, 3.5))
    best = paths_of(sums, own)[0]
    assert best.first == 0
    assert len(best.across) == 7
    assert np.abs(best.across - 4).max() < 1.0


def profile_of(kind: str) -> np.ndarray:
    """(60,) what stands upright in a picture, or was cut into it; its middle at 30."""
    away = np.abs(np.arange(60) - 30.0)
    if kind == "cut":
        return 1 / (1 + np.exp((away - 2.5) / 0.35))
    if kind == "wide cut":
        return 1 / (1 + np.exp((away - 4.0) / 0.35))
    if kind == "round":
        return np.exp(-np.square(away / 5.5))
    return np.where(np.arange(60) < 30, 1 / (1 + np.exp((away - 2.5) / 0.35)), np.clip(1 - away / 9, 0, 1))


@pytest.mark.parametrize(("kind", "cut"), [("cut", True), ("wide cut", True), ("round", False), ("lit", False)])
@pytest.mark.parametrize("levels", [40.0, -40.0, 3.0])
def test_the_sides_of_a_cut_fall_within_a_px(kind: str, cut: bool, levels: float) -> None:
    """What is round, or lit from a side, is no scratch where it stands; what is faint is not told by its sides."""
    rng = np.random.default_rng(3)
    picture = np.full((200, 60, 3), 0.45) + (levels / 255 * profile_of(kind))[None, :, None]
    picture += rng.normal(0, 3.0 / 255, (200, 60, 1))
    line = Found(0, np.full(200, 30.0), 5, levels < 0, 1.0, 0)
    assert is_cut(picture.astype(np.float32), line) == (cut or abs(levels) < 5)


def test_frames_are_asked_that_show_most_for_the_least_way() -> None:
    """A near one on which some rows are clear, and a far one on which most are; else one clear of half of it."""
    rows = np.array([1.0, 2.0, 3.0])
    assert worth_asking({away: away * rows for away in range(1, 9)}, 3) == [2, 5]
    assert worth_asking({-away: away * rows for away in range(1, 5)}, 3) == [-2]
    assert worth_asking({away: 0.25 * away * np.ones(3) for away in range(1, 9)}, 3) == [8]
    assert worth_asking({away: 0.1 * np.ones(3) for away in range(1, 9)}, 3) == []
    assert worth_asking({}, 3) == []


@pytest.mark.parametrize("found_here", [True, False])
def test_no_other_frame_is_asked_where_nothing_moved(found_here: bool) -> None:
    """Nor of a scratch that was not found on the frame itself, only before and behind it."""
    on = np.array([2, 3, 4, 5, 6] if found_here else [2, 3, 5, 6])
    study = {
        "frame": on, "track": np.zeros(len(on), np.int64), "begins": np.arange(len(on)),
        "bands": np.ones(len(on), np.int64), "across": np.full(len(on), 200.0),
    }  # fmt: skip

    def asked(_there: object) -> np.ndarray:
        raise AssertionError("a frame was asked")

    window = SimpleNamespace(
        number=4, study=lambda: study, has=lambda offset: 0 <= 4 + offset < 9,
        motion=lambda _offset, _quality: np.zeros((60, 400, 2), np.float32), at=lambda offset: offset,
    )  # fmt: skip
    around = FramesAround(window, np.zeros((60, 400), np.bool_), asked)  # type: ignore[arg-type]
    assert around.showing(Found(0, np.full(60, 200.0), 3, False, 1.0, 0), 5) == []
