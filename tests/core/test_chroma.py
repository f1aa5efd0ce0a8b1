"""Colour beside its edges: found to a tenth of a pixel of what was displaced, brought back, brightness untouched."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import cv2
import numpy as np
import pytest
from skimage import data as photographs

from grevin.core.measure.colour_lines import lines_of
from grevin.core.measure.colour_shift import SHARPENED, Shift, likeness, sharpened, shift_of
from grevin.core.measure.line_jitter import moved_lines
from grevin.core.media.opening import open_reel
from grevin.core.picture.format import CHROMA_RATIOS, PictureFormat
from grevin.core.picture.frame import Frame
from grevin.core.progress import Progress
from grevin.core.quality.figures import psnr, squared_error
from grevin.core.quality.memory_source import MemorySource
from grevin.core.render.ready import ReadyFrames
from grevin.core.render.request import RunRequest
from grevin.core.render.run import run
from grevin.core.treatment.chain import Chain
from grevin.core.treatment.plan import Plan
from grevin.core.treatment.recipe import Treatment, TreatmentStep
from tests.conftest import FORMATS, name_of, random_frame, write_video


def photograph(name: str, chroma: str = "4:2:0", order: str = "progressive") -> Frame:
    colour = np.asarray(getattr(photographs, name)())[:296, :400, :3]
    luma, red, blue = cv2.split(cv2.cvtColor(colour, cv2.COLOR_RGB2YCrCb))
    across, down = CHROMA_RATIOS[chroma]
    size = 400 // across, 296 // down
    small = [np.asarray(cv2.resize(one, size, interpolation=cv2.INTER_AREA), np.uint8) for one in (blue, red)]
    fmt = PictureFormat(400, 296, "yuv", 8, chroma, full_range=True, field_order=order)  # type: ignore[arg-type]
    return Frame(0, fmt, (luma, *small))


def displaced(frame: Frame, right: float, down: float) -> Frame:
    """Colour moved by samples of it, field by field where there are fields."""
    way = np.array([[1.0, 0.0, right], [0.0, 1.0, down]])

    def moved(plane: np.ndarray) -> np.ndarray:
        return np.asarray(
            cv2.warpAffine(plane, way, plane.shape[::-1], flags=cv2.INTER_CUBIC, borderMode=cv2.BORDER_REPLICATE)
        )

    planes = [frame.planes[0]]
    for plane in frame.planes[1:]:
        made = plane.copy()
        parts = (0, 1) if frame.format.has_fields else (None,)
        for field in parts:
            part = slice(None) if field is None else slice(field, None, 2)
            made[part] = moved(np.ascontiguousarray(plane[part]))
        planes.append(made)
    return replace(frame, planes=tuple(planes))


def swaying(frame: Frame, lines: np.ndarray) -> Frame:
    """Each line of colour moved to the right by samples of it, of a field where there are fields."""
    step = 2 if frame.format.has_fields else 1
    planes = [frame.planes[0]]
    for plane in frame.planes[1:]:
        made = plane.copy()
        for field in range(step):
            part = np.ascontiguousarray(plane[field::step]).astype(np.float32)
            made[field::step] = np.clip(np.rint(moved_lines(part, -lines[: len(part)])), 0, 255)
        planes.append(made)
    return replace(frame, planes=tuple(planes))


def wave(height: int, samples: float = 2.0) -> np.ndarray:
    return np.asarray(samples * np.sin(np.arange(height) / height * 5.0), np.float32)


def bent_at_the_top(height: int, samples: float = 4.0) -> np.ndarray:
    return np.asarray(samples * np.exp(-np.arange(height) / (0.2 * height)), np.float32)


def chain_of(frame: Frame, **settings: object) -> Chain:
    step = TreatmentStep.make("chroma", dict(settings))
    return Chain(MemorySource([frame], "chroma"), Treatment(steps=(step,)))


def db(right: Frame, other: Frame) -> float:
    inner = slice(12, -12)
    errors = [squared_error(a[inner, inner], b[inner, inner])
              for a, b in zip(right.planes[1:], other.rounded().planes[1:], strict=True)]  # fmt: skip
    return psnr(sum(one for one, _ in errors), sum(count for _, count in errors))


@pytest.mark.parametrize("name", ["astronaut", "coffee", "chelsea", "retina"])
@pytest.mark.parametrize("right", [1.0, 2.4, -3.7])
def test_what_was_displaced_is_found(name: str, right: float) -> None:
    """Photographs that scikit-image ships, their colour displaced; a tenth of a pixel is the goal."""
    clean = photograph(name)

    def found(frame: Frame, times: int) -> float:
        luma, *colours = (plane.astype(np.float32) for plane in frame.planes)
        shift = shift_of([likeness(luma, colours)])
        for _ in range(times):
            shift = sharpened(shift, [(luma, colours)])
        return shift.right

    assert abs(found(clean, SHARPENED)) < 0.5
    worn = displaced(clean, right, 0.0)
    assert found(worn, 0) - found(clean, 0) == pytest.approx(right, abs=0.1)
    near = 0.1 if name == "retina" else 0.05  # its colour has few edges of its own
    assert found(worn, SHARPENED) - found(clean, SHARPENED) == pytest.approx(right, abs=near)


@pytest.mark.parametrize(
    ("name", "bent"),
    [
        ("astronaut", wave),
        ("coffee", wave),
        ("chelsea", wave),
        ("astronaut", bent_at_the_top),
        ("chelsea", bent_at_the_top),
    ],
)
@pytest.mark.parametrize("order", ["progressive", "top_first"])
def test_each_line_of_colour_comes_back_by_its_own(name: str, bent: Callable[[int], np.ndarray], order: str) -> None:
    """Photographs that scikit-image ships; what was put on is known."""
    clean = photograph(name, "4:2:2" if order == "top_first" else "4:2:0", order)
    lines = bent(148)
    worn = swaying(clean, lines)
    chain = chain_of(worn)
    made = chain.result.frame(0)
    assert db(clean, made) > db(clean, worn) + 3
    np.testing.assert_array_equal(made.planes[0], worn.planes[0])
    assert "changes from line to line" in " ".join(chain.steps[0].told(0))
    if order == "progressive":
        assert db(clean, chain_of(worn, lines="leave").result.frame(0)) < db(clean, made) - 2


@pytest.mark.parametrize("right", [-9.4, 9.4])
def test_a_shift_beyond_the_reach_is_no_error(right: float) -> None:
    """A shift at the end of what is looked at is told more finely, and may come to lie beyond."""
    luma, *colours = (plane.astype(np.float32) for plane in swaying(photograph("astronaut"), wave(148)).planes)
    lines_of(lambda: [(luma, colours)], Shift(right, 0.0, alike=0.5))


def test_lines_that_rest_stay_as_they_are() -> None:
    """Colour that leans away at the top is brought back there, and untouched below."""
    worn = swaying(photograph("astronaut"), bent_at_the_top(148))
    made = chain_of(worn).result.frame(0).rounded()
    top, below = slice(0, 20), slice(125, None)
    assert np.abs(made.planes[1][top].astype(int) - worn.planes[1][top]).mean() > 1
    assert np.abs(made.planes[1][below].astype(int) - worn.planes[1][below]).mean() < 0.2


@pytest.mark.parametrize("chroma", ["4:2:0", "4:2:2", "4:1:1", "4:4:4"])
@pytest.mark.parametrize("order", ["progressive", "top_first"])
def test_colour_comes_back(chroma: str, order: str) -> None:
    clean = photograph("coffee", chroma, order)
    worn = displaced(clean, 2.5, 1.5)
    chain = chain_of(worn)
    made = chain.result.frame(0)
    assert db(clean, made) > db(clean, worn) + 3
    np.testing.assert_array_equal(made.planes[0], worn.planes[0])
    assert "Colour lies +" in " ".join(chain.steps[0].told(0))


def test_colour_that_is_right_stays_bit_for_bit() -> None:
    for name in ("astronaut", "coffee", "chelsea", "retina", "rocket"):
        frame = photograph(name)
        chain = chain_of(frame)
        assert chain.result.frame(0) is frame, name
        told = chain.steps[0].told(0)[0]
        assert "as pictures are" in told or "cannot be told" in told, name


@pytest.mark.parametrize(("down", "is_told"), [(3.0, True), (6.0, False)])
def test_where_things_run_one_way_colour_may_lie_anywhere_along_it(down: float, is_told: bool) -> None:
    """Grass: texture whose correlation is lost slowly from line to line, with noise over it."""
    rng = np.random.default_rng(3)
    field = cv2.GaussianBlur(rng.normal(0, 1, (400, 400)).astype(np.float32), (0, 0), sigmaX=1.2, sigmaY=down)
    field /= field.std()
    luma, colour = 128 + 40 * field[50:338, 20:380], 128 + 20 * field[56:344, 20:380]
    noisy = colour + rng.normal(0, 2, colour.shape).astype(np.float32)
    assert shift_of([likeness(luma, [noisy, noisy])]).is_known is is_told


def test_what_hardly_correlates_has_to_stand_out_by_more_than_a_share() -> None:
    """A lattice before a picture without colour, as measured; and the street clip, whose colour lies right."""
    assert not Shift(3.3, 0.1, alike=0.131, apart=0.09, elsewhere=0.86, curved=0.29).is_known
    assert Shift(0.4, 0.1, alike=0.127, apart=0.13, elsewhere=0.65, curved=0.13).is_known


def test_colour_alone_is_written_as_it_is_stored_and_reads_back(tmp_path: Path) -> None:
    """Luma stays in code values while colour is worked on: such a frame is rounded before it is written or kept."""
    worn = displaced(photograph("coffee"), 2.5, 0.0)
    made = chain_of(worn).result.frame(0)
    assert not made.is_native
    rounded = made.rounded()
    assert {plane.dtype for plane in rounded.planes} == {np.dtype(np.uint8)}
    assert rounded.planes[0] is worn.planes[0]
    source, output = tmp_path / "displaced.mkv", tmp_path / "out.mkv"
    write_video(source, [worn, worn.with_number(1)])
    treatment = Treatment(steps=(TreatmentStep.make("chroma"),))
    store = ReadyFrames(tmp_path / "ready")
    for _ in ("made", "kept"):
        request = RunRequest(output, range(2), overwrite=True)
        run(open_reel(source), Plan.whole(treatment), request, Progress(), ready=store)
        for written, right in zip(open_reel(output).frame(1).planes, rounded.planes, strict=True):
            np.testing.assert_array_equal(written, right)


def test_numbers_that_a_person_gives_are_taken() -> None:
    clean = photograph("coffee")
    worn = displaced(clean, 2.0, -1.0)
    made = chain_of(worn, acts="given", right_px=4.0, down_lines=-2.0).result.frame(0)
    assert db(clean, made) > 40
    assert chain_of(worn, acts="given").result.frame(0) is worn


@pytest.mark.parametrize("fmt", FORMATS, ids=name_of)
def test_pictures_without_colour_to_be_found_are_left(fmt: PictureFormat) -> None:
    frame = random_frame(fmt)
    assert chain_of(frame).result.frame(0) is frame
    flat = replace(frame, planes=tuple(np.full_like(plane, 40) for plane in frame.planes))
    chain = chain_of(flat)
    assert chain.result.frame(0) is flat
    assert chain.steps[0].told(0)
