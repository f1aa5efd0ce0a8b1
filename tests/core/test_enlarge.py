"""Enlarging: as large as asked for, the source's own at its own size, better than interpolation, refused in words."""

from __future__ import annotations

import hashlib
import json
import sys
from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import cv2
import numpy as np
import numpy.typing as npt
import pytest
from skimage import data as photographs

from grevin.core.errors import GrevinError, SettingsError
from grevin.core.measure.area import Box
from grevin.core.picture.format import PictureFormat
from grevin.core.picture.frame import Frame
from grevin.core.picture.resampling import KERNELS, places_between, resampled, resized
from grevin.core.quality.figures import psnr, squared_error
from grevin.core.quality.memory_source import MemorySource
from grevin.core.steps.base import place_for
from grevin.core.steps.enlarge import network
from grevin.core.steps.enlarge.along_edges import doubled_along_edges
from grevin.core.steps.enlarge.network import Known, Network, added
from grevin.core.steps.registry import step_by_id
from grevin.core.treatment.chain import Chain
from grevin.core.treatment.families.shape import ShapeSource
from grevin.core.treatment.recipe import Treatment, TreatmentStep
from tests.conftest import FORMATS, moving_frames, name_of, random_frame

Plane = npt.NDArray[np.float32]


def chain_of(frames: list[Frame], **settings: object) -> Chain:
    return Chain(MemorySource(frames, "enlarge"), Treatment(steps=(TreatmentStep.make("enlarge", dict(settings)),)))


def grey(luma: npt.NDArray[np.uint8]) -> Frame:
    return Frame(0, PictureFormat(luma.shape[1], luma.shape[0], "grey", 8, full_range=True), (luma,))


def photograph(name: str) -> Plane:
    read = np.asarray(getattr(photographs, name)())
    luma = read if read.ndim == 2 else cv2.cvtColor(read, cv2.COLOR_RGB2GRAY)
    return np.ascontiguousarray(luma[: luma.shape[0] // 4 * 4, : luma.shape[1] // 4 * 4], np.float32)


def halved(large: Plane) -> npt.NDArray[np.uint8]:
    small = resized(large, (large.shape[0] // 2, large.shape[1] // 2), KERNELS["cubic"])
    return np.clip(np.rint(small), 0, 255).astype(np.uint8)


def db(right: Plane, made: npt.NDArray[np.generic]) -> float:
    inner = slice(4, -4)
    return psnr(*squared_error(right[inner, inner], np.asarray(made, np.float32)[inner, inner]))


@pytest.mark.parametrize("name", ["astronaut", "coffee", "chelsea", "camera", "brick", "grass"])
def test_photographs_come_back_better_than_by_interpolation(name: str) -> None:
    """Pictures that scikit-image ships, never trained on; floors: the kernels of Keys 1981 and of Duchon 1979."""
    large = photograph(name)
    frame = grey(halved(large))
    ways: tuple[dict[str, str], ...] = (
        {}, {"speed": "quick"}, {"way": "edges"}, {"way": "lanczos"}, {"way": "cubic"},
    )  # fmt: skip
    learned, quick, edges, lanczos, cubic = (
        db(large, chain_of([frame], **settings).result.frame(0).planes[0]) for settings in ways
    )
    assert learned > quick > edges > lanczos > cubic
    assert learned > cubic + 1.0
    assert db(large, chain_of([frame], amount=0.5).result.frame(0).planes[0]) > lanczos


@pytest.mark.parametrize("settings", [{}, {"factor": 3}, {"height": 430}, {"speed": "quick"}, {"way": "edges"}])
def test_brought_down_again_it_is_the_source(settings: dict[str, object]) -> None:
    """Within half a level rms: what the network left out, grain among it, comes back."""
    rng = np.random.default_rng(3)
    small = np.clip(halved(photograph("astronaut")) + rng.normal(0, 4, (256, 256)), 0, 255).astype(np.uint8)
    made = chain_of([grey(small)], **settings).result.frame(0).planes[0]
    again = resized(np.asarray(made, np.float32), small.shape, KERNELS["cubic"])
    assert float(np.sqrt(np.mean(np.square(again - small)))) < 0.5 + 0.6  # grain of 4 levels, and clipping


def test_noise_can_be_left_out() -> None:
    large = photograph("camera")
    rng = np.random.default_rng(4)
    noisy = np.clip(np.rint(halved(large) + rng.normal(0, 6, (256, 256))), 0, 255).astype(np.uint8)
    kept, left = (
        db(large, chain_of([grey(noisy)], noise=share, noise_levels=6.0).result.frame(0).planes[0]) for share in (0, 1)
    )
    assert left > kept + 1.2


def test_the_size_is_the_one_asked_for_with_square_pixels() -> None:
    """BT.601 material of 4:3 in 720x576 has pixels of 16:15 (EBU R 92 names 702 to 720 active; common practice)."""
    fmt = PictureFormat(720, 576, "yuv", 8, "4:2:0", pixel_aspect=Fraction(16, 15))

    def size(**settings: object) -> tuple[int, int, Fraction]:
        step = step_by_id("enlarge")
        new = step.new_format(fmt, step.settings_model.read(settings, "enlarge"))  # type: ignore[union-attr]
        return new.width, new.height, new.pixel_aspect

    assert size() == (1536, 1152, Fraction(1))
    assert size(height=1080) == (1440, 1080, Fraction(1))
    assert size(height=2160) == (2880, 2160, Fraction(1))
    assert size(pixels="own", factor=2) == (1440, 1152, Fraction(16, 15))
    assert size(pixels="own", factor=1) == (720, 576, Fraction(16, 15))
    assert size(factor=1) == (768, 576, Fraction(1))


@pytest.mark.parametrize("fmt", FORMATS, ids=name_of)
@pytest.mark.parametrize("way", ["learned", "edges", "lanczos"])
def test_every_format_can_be_enlarged(fmt: PictureFormat, way: str) -> None:
    frame = random_frame(fmt)
    made = chain_of([frame], way=way).result.frame(0)
    assert (made.format.width, made.format.height) == (2 * fmt.width, 2 * fmt.height)
    assert made.format.model == fmt.model
    again = resized(np.asarray(made.planes[-1], np.float32), frame.planes[-1].shape, KERNELS["cubic"])
    assert np.corrcoef(again.ravel(), np.asarray(frame.planes[-1], np.float32).ravel())[0, 1] > 0.9


@pytest.mark.parametrize("size", [(1, 1), (2, 2), (1, 40), (3, 3), (17, 31), (300, 259)])
@pytest.mark.parametrize("way", ["learned", "edges"])
def test_any_size_can_be_enlarged(size: tuple[int, int], way: str) -> None:
    luma = np.random.default_rng(1).integers(0, 255, size).astype(np.uint8)
    made = chain_of([grey(luma)], way=way).result.frame(0)
    assert made.planes[0].shape == (2 * size[0], 2 * size[1])
    assert np.isfinite(made.planes[0]).all()


@pytest.mark.parametrize("kind", list(Network))
def test_tiles_have_exact_seams(monkeypatch: pytest.MonkeyPatch, kind: Network) -> None:
    luma = photograph("camera")[:200, :240]
    whole = added(luma, Known(), kind)
    monkeypatch.setattr(network, "TILE_PX", 64)
    np.testing.assert_allclose(added(luma, Known(), kind), whole, atol=2e-3)


@pytest.mark.parametrize("box", [Box(0, 0, 90, 70), Box(150, 110, 100, 80), Box(250, 340, 140, 60)])
@pytest.mark.parametrize(
    "settings", [{}, {"factor": 3}, {"height": 400}, {"factor": 4}, {"way": "edges"}, {"way": "lanczos"}]
)
def test_a_part_that_is_made_at_once_is_that_of_the_whole(settings: dict[str, object], box: Box) -> None:
    """To the last bit of a level but for rounding: nothing that shows lies beyond the margin."""
    source = chain_of([grey(halved(photograph("camera"))[:200, :200])], reach_frames=0, **settings).steps[0]
    assert isinstance(source, ShapeSource)
    whole, draft = source.frame(0).planes[0], source.draft(0, box).planes[0]
    where = slice(box.y, box.y + box.height), slice(box.x, box.x + box.width)
    np.testing.assert_allclose(draft[where], whole[where], atol=0.02)
    assert draft.shape == whole.shape


@pytest.mark.parametrize("slope", [1.0, 0.8, 0.5, 0.3])
def test_slanted_lines_come_back_nearer_along_edges(slope: float) -> None:
    y, x = np.mgrid[0:256, 0:256].astype(np.float32)
    line = np.asarray(60 + 120 * np.exp(-np.square((x - slope * y - 3) / 2)), np.float32)
    small = np.asarray(np.rint(cv2.resize(line, (128, 128), interpolation=cv2.INTER_AREA)), np.uint8)
    edges, lanczos = (
        db(line, chain_of([grey(small)], way=way).result.frame(0).planes[0]) for way in ("edges", "lanczos")
    )
    assert edges > lanczos + 2


def test_even_slopes_stay_along_edges() -> None:
    slope = np.tile(np.arange(60.0, dtype=np.float32), (40, 1))
    inner = slice(12, -12)
    plain = resized(slope, (80, 120), KERNELS["lanczos"])
    np.testing.assert_allclose(doubled_along_edges(slope)[inner, inner], plain[inner, inner], atol=0.05)


def test_colour_stays_on_its_sites() -> None:
    """A ramp of colour, whose samples lie on the left of their pixels (ITU-T H.264, figure E-1, type 0)."""
    fmt = PictureFormat(64, 32, "yuv", 8, "4:2:0")
    luma = np.full((32, 64), 100, np.uint8)
    # colour is twice the place of its sample, in pixels from the middle of the first
    ramp = np.repeat((2.0 * np.arange(32))[None], 16, axis=0).astype(np.uint8)
    frame = Frame(0, fmt, (luma, ramp, np.full((16, 32), 128, np.uint8)))
    made = np.asarray(chain_of([frame], way="cubic").result.frame(0).planes[1], np.float32)
    # a pixel of the new picture lies at (x + 0.5) / 2 - 0.5 of the old one, and its colour at every second pixel
    places = (2.0 * np.arange(64) + 0.5) / 2 - 0.5
    np.testing.assert_allclose(made[8, 4:-4], places[4:-4], atol=0.02)
    whole = np.asarray(chain_of([replace_range(frame)], way="cubic").result.frame(0).planes[1], np.float32)
    np.testing.assert_allclose(whole[8, 4:-4] - made[8, 4:-4], -0.25, atol=0.02)


def replace_range(frame: Frame) -> Frame:
    return replace(frame, format=replace(frame.format, full_range=True))


@pytest.mark.parametrize("model", ["grey", "rgb"])
def test_a_move_into_the_picture_keeps_what_is_sharp(model: str) -> None:
    """Reframe at twice the size: the middle of a photograph of which it was shown half the samples."""
    large = photograph("astronaut")
    small = halved(large)
    planes = (small,) if model == "grey" else (small,) * 3
    frame = Frame(0, replace(grey(small).format, model=model), planes)
    keys = ({"frame": 0, "x": 0.5, "y": 0.5, "zoom": 2.0},)
    plain, learned = (
        Chain(MemorySource([frame], "zoom"), Treatment(steps=(
            TreatmentStep.make("reframe", {"keys": keys, "sampling": sampling}),))).result.frame(0).planes[0]
        for sampling in ("plain", "learned")
    )  # fmt: skip
    right = large[128:384, 128:384]
    assert db(right, learned) > db(right, plain) + 1.0


def test_interlaced_pictures_are_refused_with_the_way_out() -> None:
    frame = moving_frames(1).frame(0)
    frame = replace(frame, format=replace(frame.format, field_order="top_first"))
    with pytest.raises(SettingsError, match="interlaced") as fault:
        chain_of([frame]).result.frame(0)
    assert "Fields" in str(fault.value.hint)


def test_too_large_a_picture_is_refused_before_any_memory_is_taken() -> None:
    with pytest.raises(SettingsError, match="30000 x 15000 px"):
        chain_of([grey(np.zeros((50, 100), np.uint8))], height=15000).result.frame(0)


def test_it_goes_behind_all_that_acts_on_the_picture_and_before_grain() -> None:
    others = [step_by_id(name) for name in ("dirt", "reframe", "sidefill", "grain")]
    assert place_for(step_by_id("enlarge"), others) == 3


def test_weights_that_cannot_be_read_are_told_in_words(monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> None:
    (tmp_path / "network.onnx").write_bytes(b"none")
    monkeypatch.setattr(network, "FOLDER", tmp_path)
    frame = grey(np.zeros((32, 32), np.uint8))
    with pytest.raises(GrevinError, match="The weights of learned enlarging cannot be read"):
        chain_of([frame]).result.frame(0)
    assert chain_of([frame], way="lanczos").result.frame(0).planes[0].shape == (64, 64)


@pytest.mark.parametrize("kind", list(Network))
def test_the_weights_are_those_of_their_papers(kind: Network) -> None:
    papers = json.loads(kind.weights.with_suffix(".json").read_text())
    assert papers["sha256"] == hashlib.sha256(kind.weights.read_bytes()).hexdigest()
    assert all(one["licence"] and one["author"] for one in papers["photographs"])


def test_resampling_keeps_what_is_flat_and_what_is_slanted() -> None:
    flat = np.full((9, 12), 77.0, np.float32)
    slanted = np.tile(np.arange(40.0, dtype=np.float32), (8, 1))
    for kernel in KERNELS.values():
        np.testing.assert_allclose(resized(flat, (20, 7), kernel), 77.0, atol=1e-3)
        places = places_between(40, 100)
        made = resampled(slanted, np.arange(8.0), places, kernel)
        np.testing.assert_allclose(made[4, 20:-20], places[20:-20], atol=0.02)


def test_what_is_reckoned_with_is_told() -> None:
    clean = moving_frames(6, 160, 120)
    chain = chain_of([clean.frame(n) for n in range(6)])
    assert "Noise of" in " ".join(chain.steps[0].told(0))


def test_without_the_library_there_is_a_plain_way(monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> None:
    monkeypatch.setitem(sys.modules, "onnxruntime", None)
    monkeypatch.setattr(network, "FOLDER", tmp_path)  # asked for anew
    with pytest.raises(GrevinError, match="needs the library onnxruntime") as fault:
        chain_of([grey(np.zeros((32, 32), np.uint8))]).result.frame(0)
    assert "plain way" in fault.value.hint


def test_sides_of_an_edge_get_no_halo() -> None:
    """At most 4 % beside an edge whose samples are means over their pixels; Lanczos gives 10 %."""
    y, x = np.mgrid[0:128, 0:128].astype(np.float32) - 64
    edge = np.asarray(80 + 100 * np.clip(0.9 * x + 0.4 * y + 0.5, 0, 1), np.float32)
    small = np.asarray(np.rint(cv2.resize(edge, (64, 64), interpolation=cv2.INTER_AREA)), np.uint8)
    inner = slice(16, -16)
    made = np.asarray(chain_of([grey(small)]).result.frame(0).planes[0], np.float32)[inner, inner]
    assert max(made.max() - 180, 80 - made.min()) <= 4.1
    wide = np.asarray(chain_of([grey(small)], way="lanczos").result.frame(0).planes[0], np.float32)[inner, inner]
    assert wide.max() - 180 > 6
