"""Another part, size or shape of the picture: reframe and side fill."""

from __future__ import annotations

import json
from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import cv2
import numpy as np
import pytest
from skimage.transform import AffineTransform, warp
from typer.testing import CliRunner

from grevin.cli.main import app
from grevin.core.errors import SettingsError
from grevin.core.media.opening import open_reel
from grevin.core.picture.format import PictureFormat
from grevin.core.picture.frame import Frame
from grevin.core.quality.memory_source import MemorySource
from grevin.core.steps.reframe.step import ReframeKey, ReframeSettings, key_at, map_of
from grevin.core.treatment.chain import Chain
from grevin.core.treatment.recipe import Treatment, TreatmentStep, treatment_from_recipe
from tests.conftest import FORMATS, moving_frames, name_of, random_frame, write_video


def smooth(width: int, height: int, seed: int = 1) -> np.ndarray:
    noise = np.random.default_rng(seed).normal(0, 1, (height, width)).astype(np.float32)
    field = cv2.GaussianBlur(noise, (0, 0), 4)
    return 120 + 40 * field / np.abs(field).max()


def frame_of(luma: np.ndarray, **fmt: object) -> Frame:
    form = PictureFormat(luma.shape[1], luma.shape[0], "yuv", 8, **{"chroma": "4:2:0", **fmt})  # type: ignore[arg-type]
    chroma = tuple(np.full(shape, 128, np.uint8) for shape in form.plane_shapes()[1:])
    return Frame(0, form, (np.clip(np.rint(luma), 0, 255).astype(np.uint8), *chroma))


def through(frames: list[Frame], step: str, settings: dict | None = None) -> Chain:
    return Chain(MemorySource(frames, step), Treatment(steps=(TreatmentStep.make(step, settings or {}),)))


@pytest.mark.parametrize("fmt", FORMATS, ids=name_of)
def test_the_defaults_show_the_very_same_frame(fmt: PictureFormat) -> None:
    frame = random_frame(fmt)
    chain = through([frame], "reframe", {"keys": [{"frame": 0, "x": 0.5, "y": 0.5, "zoom": 1.0}]})
    assert chain.result.frame(0) is chain.source.frame(0)
    assert through([frame], "reframe").result.frame(0).planes[0] is frame.planes[0]


@pytest.mark.parametrize(
    ("zoom", "x", "y", "turn"), [(2.0, 0.5, 0.5, 0.0), (1.37, 0.4, 0.6, 0.0), (1.8, 0.5, 0.5, 12.0)]
)
def test_a_part_is_where_scikit_image_shows_it(zoom: float, x: float, y: float, turn: float) -> None:
    """Against scikit-image's warp (bicubic) over the same affine map, on a smooth picture."""
    luma = smooth(320, 240)
    settings = {"keys": [{"frame": 0, "x": x, "y": y, "zoom": zoom, "turn": turn}]}
    ours = through([frame_of(luma)], "reframe", settings).result.frame(0)
    fmt = frame_of(luma).format
    matrix = np.vstack([map_of(fmt, fmt, ReframeKey(**settings["keys"][0])), [0, 0, 1]])
    theirs = warp(frame_of(luma).planes[0].astype(float), AffineTransform(matrix), order=3, mode="edge")
    assert np.abs(ours.planes[0] - theirs)[8:-8, 8:-8].max() < 1.0
    middle = matrix @ [(320 - 1) / 2, (240 - 1) / 2, 1]
    assert middle[:2] == pytest.approx([320 * x - 0.5, 240 * y - 0.5])


def test_zoom_two_of_a_doubled_picture_gives_it_back() -> None:
    luma = smooth(160, 120)
    wide = frame_of(cv2.resize(luma, (320, 240), interpolation=cv2.INTER_CUBIC))
    shown = through([wide], "reframe", {"width": 160, "height": 120}).result.frame(0).rounded()
    assert shown.planes[0].shape == (120, 160)
    assert np.abs(shown.planes[0].astype(float) - luma)[4:-4, 4:-4].mean() < 1.0


def test_fine_stripes_do_not_turn_into_coarse_ones() -> None:
    stripes = 120 + 90 * np.cos(np.arange(640) * np.pi * 0.9)[None].repeat(480, 0)
    shown = through([frame_of(stripes)], "reframe", {"width": 256, "height": 192}).result.frame(0)
    assert shown.planes[0][10:-10, 10:-10].std() < 6, "90 levels before; a plain look-up keeps most of them"


def test_a_move_runs_evenly_or_with_ease() -> None:
    keys = ({"frame": 10, "x": 0.5, "y": 0.5, "zoom": 1.0}, {"frame": 50, "x": 0.6, "y": 0.4, "zoom": 2.0})
    zooms = {}
    for ease in ("none", "in", "out", "both"):
        settings = ReframeSettings.read({"keys": keys, "ease": ease}, "reframe")
        zooms[ease] = [key_at(settings, number).zoom for number in (0, 10, 20, 30, 40, 50, 90)]
    assert zooms["none"] == pytest.approx([1, 1, 1.25, 1.5, 1.75, 2, 2])
    assert zooms["in"][2] < 1.25 < zooms["out"][2]
    assert zooms["both"][2] < 1.25
    assert zooms["both"][4] > 1.75
    assert key_at(ReframeSettings.read({"keys": keys}, "reframe"), 30).x == pytest.approx(0.55)


def test_what_is_shown_stays_inside_the_picture() -> None:
    luma = smooth(320, 240) + 60
    shown = through(
        [frame_of(luma)], "reframe", {"keys": [{"frame": 0, "x": 0.0, "y": 1.0, "zoom": 2.0}]}
    ).result.frame(0)
    assert shown.planes[0].min() > 60
    beyond = through([frame_of(luma)], "reframe", {"keys": [{"frame": 0, "zoom": 0.5}]}).result.frame(0)
    assert beyond.planes[0][0, 0] == 16
    assert beyond.planes[1][0, 0] == 128


@pytest.mark.parametrize("order", ["top_first", "bottom_first"])
def test_fields_are_sampled_apart(order: str) -> None:
    luma = np.empty((240, 320), np.float32)
    luma[0::2], luma[1::2] = 60, 200
    shown = through([frame_of(luma, field_order=order)], "reframe", {"keys": [{"frame": 0, "zoom": 1.7}]}).result.frame(
        0
    )
    assert np.abs(shown.planes[0][0::2] - 60).max() < 0.1
    assert np.abs(shown.planes[0][1::2] - 200).max() < 0.1
    assert shown.format.field_order == order


def test_fields_lie_where_whole_frames_would() -> None:
    ramp = np.linspace(20, 220, 240, dtype=np.float32)[:, None].repeat(320, 1)
    keys = {"keys": [{"frame": 0, "x": 0.5, "y": 0.4, "zoom": 1.5}]}
    whole, fields = (through([frame_of(ramp, field_order=order)], "reframe", keys).result.frame(0).planes[0]
                     for order in ("progressive", "top_first"))  # fmt: skip
    assert np.abs(whole - fields)[6:-6].max() < 0.8


def test_side_fill_of_square_pixels_keeps_the_middle() -> None:
    frames = [moving_frames(3, 320, 240).frame(n) for n in range(3)]
    chain = through(frames, "sidefill")
    assert (chain.result.format.width, chain.result.format.height) == (426, 240)
    for number in range(3):
        shown, before = chain.result.frame(number).rounded(), frames[number]
        first = next(n for n in range(0, 60, 2) if np.array_equal(shown.planes[0][:, n : n + 320], before.planes[0]))
        assert first == (426 - 320) // 2 // 2 * 2
        for plane, own in zip(shown.planes[1:], before.planes[1:], strict=True):
            np.testing.assert_array_equal(plane[:, first // 2 : first // 2 + 160], own)


def test_sides_are_darker_blurred_and_steady() -> None:
    frames = [frame_of(smooth(768, 576) + noise) for noise in (0, np.random.default_rng(2).normal(0, 4, (576, 768)))]
    shown = [through([frame], "sidefill").result.frame(0).planes[0] for frame in frames]
    sides = [np.hstack([one[:, :120], one[:, -120:]]) for one in shown]
    assert sides[0].mean() == pytest.approx(16 + 0.85 * (frames[0].planes[0].mean() - 16), abs=3)
    assert np.abs(np.diff(sides[0][:, :120], axis=1)).max() < 1.0
    assert np.abs(sides[0] - sides[1]).mean() < 0.3, "noise of 4 levels is not seen at the sides"
    plain = through([frames[0]], "sidefill", {"darken_pct": 0.0}).result.frame(0).planes[0]
    assert plain[:, :120].mean() == pytest.approx(frames[0].planes[0].mean(), abs=3)


def test_side_fill_brings_tape_to_square_pixels_and_leaves_wide_pictures() -> None:
    tape = frame_of(smooth(720, 576), chroma="4:2:2", pixel_aspect=Fraction(16, 15), field_order="top_first")
    shown = through([tape], "sidefill").result.frame(0)
    assert (shown.format.width, shown.format.height, shown.format.pixel_aspect) == (1024, 576, 1)
    wide = frame_of(smooth(640, 360))
    chain = through([wide], "sidefill")
    assert chain.result.frame(0) is chain.source.frame(0)
    anamorphic = frame_of(smooth(720, 576), pixel_aspect=Fraction(64, 45))
    assert through([anamorphic], "sidefill").result.format == anamorphic.format


def test_sides_of_interlaced_pictures_do_not_mix_fields() -> None:
    luma = np.empty((240, 320), np.float32)
    luma[0::2], luma[1::2] = 60, 200
    shown = through([frame_of(luma, field_order="top_first")], "sidefill", {"darken_pct": 0.0}).result.frame(0)
    assert np.abs(shown.planes[0][0::2] - 60).max() < 0.1
    assert np.abs(shown.planes[0][1::2] - 200).max() < 0.1


def test_recipes_with_null_sizes_and_moves_are_applied(tmp_path: Path) -> None:
    frames = [moving_frames(6, 320, 240).frame(n) for n in range(6)]
    clip = write_video(tmp_path / "clip.mkv", frames)
    recipe = {"format": "grevin-recipe", "version": 1, "steps": [
        {"step": "reframe", "settings": {
            "keys": [{"frame": 0, "x": 0.5, "y": 0.5, "zoom": 1.0}, {"frame": 5, "x": 0.5, "y": 0.5, "zoom": 1.5}],
            "ease": "both", "width": None, "height": None}},
        {"step": "sidefill", "settings": {}},
    ]}  # fmt: skip
    (tmp_path / "move.json").write_text(json.dumps(recipe))
    again = treatment_from_recipe(treatment_from_recipe(recipe, "a").recipe(), "b")
    assert again == treatment_from_recipe(recipe, "a")
    out = tmp_path / "out.mkv"
    result = CliRunner().invoke(app, ["apply", str(tmp_path / "move.json"), str(clip), str(out), "--json"])
    assert result.exit_code == 0, result.output
    told = json.loads(result.stdout)
    assert told["reshaped_frames"] == 6
    assert told["reshaped_by"] == ["Reframe", "Side fill"]
    assert "changed as a whole by Reframe and Side fill" in told["summary"]
    reel = open_reel(out)
    assert (reel.format.width, reel.format.height, len(reel)) == (426, 240, 6)
    np.testing.assert_array_equal(reel.frame(0).planes[0][:, 52:372], frames[0].planes[0])
    reel.close()


def test_key_frames_are_typed_and_refused() -> None:
    assert ReframeKey.typed("0 0.5 0.5 1; 100 0.6") == (
        {"frame": 0, "x": 0.5, "y": 0.5, "zoom": 1}, {"frame": 100, "x": 0.6},
    )  # fmt: skip
    settings = ReframeSettings.read({"keys": ReframeKey.typed("100 0.6; 0")}, "reframe")
    assert "; ".join(key.words for key in settings.keys) == "0; 100 0.6"
    with pytest.raises(SettingsError, match="is not understood"):
        ReframeKey.typed("0 left")
    with pytest.raises(SettingsError, match="keys"):
        ReframeSettings.read({"keys": [{"frame": 3}, {"frame": 3}]}, "reframe")
    with pytest.raises(SettingsError, match="keys"):
        ReframeSettings.read({"keys": [{"frame": 3, "zoom": 0}]}, "reframe")


def test_moves_count_the_frames_of_the_reel(tmp_path: Path) -> None:
    frames = [replace(moving_frames(8, 320, 240).frame(n // 2), number=n) for n in range(16)]
    keys = {"keys": [{"frame": 0, "zoom": 1.0}, {"frame": 14, "zoom": 2.0}]}
    treatment = Treatment(steps=(TreatmentStep.make("repeats"), TreatmentStep.make("reframe", keys)))
    chain = Chain(MemorySource(frames, "halves"), treatment)
    assert len(chain.result) == 8
    last = int(chain.timeline.sources[7])
    alone = through(frames, "reframe", keys).result.frame(last)
    np.testing.assert_allclose(chain.result.frame(7).planes[0], alone.planes[0])


def test_a_height_that_gives_no_two_fields_is_refused() -> None:
    tape = frame_of(smooth(320, 240), field_order="top_first")
    with pytest.raises(SettingsError, match="of 270 lines cannot be taken apart"):
        through([tape], "reframe", {"height": 270}).result.frame(0)
    assert through([tape], "reframe", {"height": 480}).result.frame(0).format.has_fields
