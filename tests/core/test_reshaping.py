"""Square pixels and fewer lines of what is looked at, beside Pillow's own resampling and as another reader sees it."""

from __future__ import annotations

from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import cv2
import numpy as np
import pytest
from PIL import Image
from pydantic import ValidationError

from grevin.core.errors import OutputError, UsageError
from grevin.core.intake.declared import Declared
from grevin.core.job.document import Reel
from grevin.core.job.orders import Order, carry_out
from grevin.core.media.opening import open_reel
from grevin.core.media.reshaping import Shape, reshaped
from grevin.core.picture.format import PictureFormat
from grevin.core.picture.frame import Frame
from grevin.core.progress import Progress
from grevin.core.quality.figures import psnr
from grevin.core.render.ready import ReadyFrames
from grevin.core.treatment.recipe import Treatment, TreatmentStep
from tests.conftest import moving_frames, write_video

PAL, NTSC = Fraction(16, 15), Fraction(8, 9)  # pixel shapes of 4:3 from 720 x 576 and 720 x 480 (common practice)


def of(width: int, height: int, aspect: Fraction = Fraction(1), **more: object) -> PictureFormat:
    return PictureFormat(width, height, "yuv", 8, chroma="4:2:0", pixel_aspect=aspect, **more)


@pytest.mark.parametrize(
    ("fmt", "shape", "size", "aspect"),
    [
        (of(720, 576, PAL), Shape(True), (768, 576), 1),
        (of(720, 576, Fraction(64, 45)), Shape(True), (1024, 576), 1),
        (of(720, 480, NTSC), Shape(True), (640, 480), 1),
        (of(1920, 1080), Shape(most_lines=720), (1280, 720), 1),
        (of(1920, 1080), Shape(True, 480), (854, 480), 1),
        (of(720, 576, PAL), Shape(most_lines=288), (360, 288), PAL),
        (of(720, 576, PAL), Shape(True, 288), (384, 288), 1),
        (of(320, 240), Shape(True, 1080), (320, 240), 1),
    ],
)
def test_what_becomes_of_sizes(
    fmt: PictureFormat, shape: Shape, size: tuple[int, int], aspect: Fraction
) -> None:  # fmt: skip
    made = shape.format_of(fmt)
    assert ((made.width, made.height), made.pixel_aspect) == (size, aspect)
    seen = [one.pixel_aspect * one.width / one.height for one in (fmt, made)]
    assert float(seen[0]) == pytest.approx(float(seen[1]), abs=1 / made.height)
    if (made.width, made.height) == (fmt.width, fmt.height):
        assert made is fmt


def test_fields_are_made_wider_each_for_itself_and_never_smaller() -> None:
    fields = of(48, 32, PAL, field_order="top_first")
    with pytest.raises(OutputError, match="Interlaced pictures cannot be made smaller"):
        Shape(most_lines=16).format_of(fields)
    assert Shape(True).format_of(fields).field_order == "top_first"
    planes = tuple(np.zeros(shape, np.uint8) for shape in fields.plane_shapes())
    planes[0][0::2] = 200  # one field is bright, the other dark
    wide = reshaped(Frame(0, fields, planes), Shape(True).format_of(fields))
    assert wide.planes[0].shape == (32, 52)
    assert (wide.planes[0][0::2] == 200).all()
    assert (wide.planes[0][1::2] == 0).all()


@pytest.mark.reference
@pytest.mark.parametrize(("width", "height"), [(240, 160), (150, 110), (400, 240)])
def test_pictures_are_resampled_as_pillow_does(width: int, height: int) -> None:
    """Pillow's `resize` with Lanczos: middles of pixels at the same places, what is too fine taken out."""
    frame = moving_frames(1, 320, 240).frame(0)
    made = reshaped(frame, replace(frame.format, width=width, height=height))
    other = np.asarray(Image.fromarray(frame.planes[0]).resize((width, height), Image.Resampling.LANCZOS))
    apart = np.square(made.planes[0].astype(np.float64) - other)[4:-4, 4:-4]
    assert psnr(float(apart.sum()), apart.size) > 38
    assert made.planes[1].shape == (height // 2, width // 2)


@pytest.mark.reference
def test_an_access_copy_as_another_reader_sees_it(tmp_path: Path) -> None:
    """OpenCV's reader; treated frames are shared with the master, whatever shape a copy has."""
    moving = moving_frames(10, 360, 288)
    source = write_video(tmp_path / "reel.mkv", [moving.frame(n) for n in range(10)])
    treatment, declared = Treatment(steps=(TreatmentStep.make("dirt"),)), Declared(pixel_aspect="16:15")
    reel = Reel(path=str(source), treatment=treatment, declared=declared)
    ready = ReadyFrames(tmp_path / "store")
    carry_out(Order(reel=reel, output=str(tmp_path / "master.mkv")), Progress(), ready)
    copy = Order(reel=reel, output=str(tmp_path / "copy.mp4"), square_pixels=True, most_lines=144)
    proof = carry_out(copy, Progress(), ready)
    assert (proof.frames, proof.ready) == (10, 10)
    assert proof.coded_db[1] > 35
    assert open_reel(tmp_path / "master.mkv").format.pixel_aspect == PAL
    capture = cv2.VideoCapture(str(tmp_path / "copy.mp4"))
    size = [int(capture.get(one)) for one in (cv2.CAP_PROP_FRAME_WIDTH, cv2.CAP_PROP_FRAME_HEIGHT)]
    assert size == [192, 144]
    shown = []
    while (found := capture.read())[0]:
        shown.append(found[1])
    capture.release()
    assert len(shown) == 10


def test_a_version_may_be_larger_than_the_others_of_one_treatment(tmp_path: Path) -> None:
    moving = moving_frames(4, 96, 72)
    source = write_video(tmp_path / "reel.mkv", [moving.frame(n) for n in range(4)])
    treatment = Treatment(steps=(TreatmentStep.make("grain"), TreatmentStep.make("light", {"exposure_stops": 0.2})))
    reel = Reel(path=str(source), treatment=treatment)
    master, large = (
        Order(reel=reel, output=str(tmp_path / f"{lines}.mkv"), enlarged_lines=lines) for lines in (None, 144)
    )
    assert [step.step for step in large.plan().treatment_at(0).steps] == ["enlarge", "grain", "light"], "by its stage"
    for order in (master, large):
        carry_out(order, Progress())
    written = [open_reel(Path(order.output)).format for order in (master, large)]
    assert [(fmt.width, fmt.height) for fmt in written] == [(96, 72), (192, 144)]
    own = Order(
        reel=Reel(path=str(source), treatment=Treatment(steps=(TreatmentStep.make("enlarge", {"way": "cubic"}),))),
        output=str(tmp_path / "own.mkv"), enlarged_lines=108,
    )  # fmt: skip
    (step,) = own.plan().treatment_at(0).steps
    assert (step.settings["height"], step.settings["way"]) == (108, "cubic"), "the settings of the treatment stay"
    with pytest.raises(ValidationError):
        Order(reel=reel, output="x", enlarged_lines=5)


def test_what_is_written_without_loss_keeps_its_shape(tmp_path: Path) -> None:
    source = write_video(tmp_path / "reel.mkv", [moving_frames(1).frame(0)])
    for name in ("a.mkv", "a.%03d.png"):
        with pytest.raises(UsageError, match="keeps shape, colours and fields of the pictures"):
            carry_out(Order(reel=Reel(path=str(source)), output=str(tmp_path / name), most_lines=64), Progress())
    with pytest.raises(OutputError, match="too few"):
        carry_out(Order(reel=Reel(path=str(source)), output=str(tmp_path / "a.mp4"), most_lines=4), Progress())
    assert [path.name for path in tmp_path.iterdir()] == ["reel.mkv"]
