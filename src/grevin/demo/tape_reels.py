"""Reels of Port Ellery's local television: streaks, ragged sides, an old codec, stairs, jitter, wobble.

And a small copy that was enlarged, and one tape with most of it, as it comes.
"""

from __future__ import annotations

from dataclasses import asdict, replace
from fractions import Fraction

import cv2
import numpy as np

from grevin.core.measure.line_jitter import moved_lines
from grevin.core.picture.frame import Frame
from grevin.core.picture.resampling import KERNELS
from grevin.core.picture.scaling import scaled
from grevin.core.quality.damage.border import BorderDamage
from grevin.core.quality.damage.dropout import DropoutDamage
from grevin.core.quality.damage.wobble import WobbleDamage
from grevin.demo.time_reels import HARBOUR, PAL, REGATTA, TAPE_NOISE, TimeReel, drawn, noisy, painted

TAPE = replace(PAL, width=720, pixel_aspect=Fraction(16, 15), field_order="top_first")
WHOLE = replace(TAPE, field_order="progressive")
SHARP = replace(PAL, width=960, height=720)  # as it was said to be
SMALL = replace(SHARP, width=320, height=240)  # as it was
LENGTH = 48  # frames
PACE = 0.5  # of the shot's own frames, from field to field
DROPOUTS = DropoutDamage(seed=1984, a_frame=4.0, kinds=("white", "black", "noise", "colour"))
RAGGED = BorderDamage(seed=1985, left=9, right=11, top=2, torn=8, ragged=0.6, dots=0.12)
WIRES = ((60, 70), (95, 82), (170, -60))  # line at the left, and lines by which the wire rises or falls
WIRE_SAG, WIRE_LEVEL = 14.0, 38  # lines; 8-bit level
WIRE_BITS, WIRE_REACH = 4, 40  # of a fraction of a pixel; px beyond the sides
TREMBLING_SEED, TREMBLING_PX = 1987, 0.9  # standard deviation of each line
SWAYING = WobbleDamage(seed=1990, waves_px=1.2, top_px=3.0)
COLOUR_RIGHT, COLOUR_DOWN = 5.0, 2.0  # px and lines by which colour lies beside its edges
CAMERA_LEVELS = 1.0  # 8-bit levels of noise
NEWS_DROPOUTS = replace(DROPOUTS, seed=1989, a_frame=3.0)
NEWS_BORDERS = BorderDamage(seed=1986, left=7, right=8, torn=6, ragged=0.5)
NEWS_RUNS_OUT = 2.6  # samples of colour: standard deviation of the low-pass along the lines
NEWS_TREMBLING_PX = 0.5
QUALITY, COLOUR_QUALITY = 14, 10  # of a still codec, frame by frame


def undamaged(number: int, shot: int = REGATTA) -> Frame:
    """A frame of two moments, as the tape was when it was new."""
    early, late = (
        noisy(place, drawn(shot, PACE * place, TAPE), TAPE, TAPE_NOISE) for place in (2 * number, 2 * number + 1)
    )
    planes = [plane.copy() for plane in early.planes]
    for plane, other in zip(planes, late.planes, strict=True):
        plane[1::2] = other[1::2]
    return Frame(number, TAPE, tuple(planes))


def without_borders(number: int) -> Frame:
    """A frame of the harbour, before its sides were torn."""
    return noisy(number, drawn(HARBOUR, number, WHOLE), WHOLE, TAPE_NOISE)


def before_coding(number: int) -> Frame:
    """A frame of the regatta, before the codec."""
    return noisy(number, drawn(REGATTA, PACE * number, WHOLE), WHOLE, TAPE_NOISE)


def coded(frame: Frame) -> Frame:
    """A frame through a codec of blocks, each plane by itself."""
    made = []
    for plane, quality in zip(frame.planes, (QUALITY, COLOUR_QUALITY, COLOUR_QUALITY), strict=True):
        packed = cv2.imencode(".jpg", plane, [cv2.IMWRITE_JPEG_QUALITY, quality])[1]
        made.append(np.asarray(cv2.imdecode(packed, cv2.IMREAD_GRAYSCALE), np.uint8))
    return replace(frame, planes=tuple(made))


def with_wires(number: int) -> Frame:
    """A frame of the harbour behind telegraph wires, as it was filmed."""
    frame = without_borders(number)
    luma = frame.planes[0].copy()
    across = np.arange(-WIRE_REACH, WHOLE.width + WIRE_REACH, 4)
    for height, rise in WIRES:
        sag = WIRE_SAG * (1 - np.square(2 * across / WHOLE.width - 1))
        points = np.stack([across - PACE * number, height + rise * across / WHOLE.width + sag], axis=1)
        fixed = np.rint(points * (1 << WIRE_BITS)).astype(np.int32)
        cv2.polylines(luma, [fixed], False, WIRE_LEVEL, 2, cv2.LINE_AA, WIRE_BITS)
    return replace(frame, planes=(luma, *frame.planes[1:]))


def line_doubled(frame: Frame) -> Frame:
    """One field of a frame, each line twice."""
    return replace(frame, planes=tuple(np.repeat(plane[::2], 2, axis=0) for plane in frame.planes))


def _with_dropouts(number: int) -> Frame:
    return DROPOUTS.add(undamaged(number))[0]


def _with_borders(number: int) -> Frame:
    return RAGGED.add(without_borders(number))[0]


def _with_blocks(number: int) -> Frame:
    return coded(before_coding(number))


def trembling(frame: Frame, size_px: float = TREMBLING_PX, down: float = COLOUR_DOWN) -> Frame:
    """A frame whose lines lie displaced, each by itself, and whose colour lies beside its edges."""
    rng = np.random.default_rng((TREMBLING_SEED, frame.number))
    far = rng.normal(0, size_px, frame.format.height).astype(np.float32)
    luma, *colours = (plane.astype(np.float32) for plane in frame.planes)
    beside = np.array([[1.0, 0.0, COLOUR_RIGHT / 2], [0.0, 1.0, down / 2]])
    made = [moved_lines(luma, far)]
    for plane in colours:
        moved = cv2.warpAffine(plane, beside, plane.shape[::-1], flags=cv2.INTER_CUBIC, borderMode=cv2.BORDER_REPLICATE)
        made.append(moved_lines(np.asarray(moved, np.float32), far.reshape(-1, 2).mean(axis=1) / 2))
    return replace(frame, planes=tuple(np.clip(np.rint(plane), 0, 255).astype(np.uint8) for plane in made))


def _trembling(number: int) -> Frame:
    return trembling(without_borders(number))


def swaying(number: int) -> Frame:
    """A frame of the harbour on a tape whose time base wobbles, each field in its own way."""
    return SWAYING.add(new_news(number))[0]


def run_out(frame: Frame) -> Frame:
    """A frame whose colour ran out along the lines."""
    kernel = cv2.getGaussianKernel(2 * round(4 * NEWS_RUNS_OUT) + 1, NEWS_RUNS_OUT)
    colours = (
        cv2.sepFilter2D(plane, cv2.CV_8U, kernel, np.ones(1), borderType=cv2.BORDER_REPLICATE)
        for plane in frame.planes[1:]
    )
    return replace(frame, planes=(frame.planes[0], *(np.asarray(plane, np.uint8) for plane in colours)))


def new_news(number: int) -> Frame:
    """A frame of the harbour on a tape that is new."""
    return undamaged(number, HARBOUR)


def worn_news(number: int) -> Frame:
    """A frame of a tape as it came: colour run out and displaced, lines that tremble, streaks, torn sides."""
    whole = replace(new_news(number), format=WHOLE)
    played = replace(trembling(run_out(whole), NEWS_TREMBLING_PX, down=0.0), format=TAPE)
    return NEWS_BORDERS.add(NEWS_DROPOUTS.add(played)[0])[0]


def at_its_size(number: int) -> Frame:
    """A frame of the harbour as the camera took it."""
    return noisy(number, painted(HARBOUR, number, SHARP), SHARP, CAMERA_LEVELS)


def enlarged_before(frame: Frame) -> Frame:
    """A frame from a small copy that somebody enlarged again."""
    cubic = KERNELS["cubic"]
    return scaled(scaled(frame, SMALL, cubic).rounded(), SHARP, cubic).rounded()


def _said_to_be_hd(number: int) -> Frame:
    return enlarged_before(at_its_size(number))


def _in_steps(number: int) -> Frame:
    return line_doubled(with_wires(number))


def tape_reels() -> tuple[TimeReel, ...]:
    """All of them."""
    truth = {str(number): [asdict(one) for one in DROPOUTS.drawn(number)] for number in range(LENGTH)}
    codec = {"luma": QUALITY, "colour": COLOUR_QUALITY}
    news = {
        "dropouts": {str(number): [asdict(one) for one in NEWS_DROPOUTS.drawn(number)] for number in range(LENGTH)},
        "borders": asdict(NEWS_BORDERS), "colour_runs_out_samples": NEWS_RUNS_OUT, "colour_right_px": COLOUR_RIGHT,
        "lines_px": NEWS_TREMBLING_PX, "noise": TAPE_NOISE,
    }  # fmt: skip
    return (
        TimeReel("regatta-on-an-old-tape", TAPE, LENGTH, _with_dropouts, {"dropouts": truth}),
        TimeReel("harbour-with-ragged-sides", WHOLE, LENGTH, _with_borders, {"borders": asdict(RAGGED)}),
        TimeReel("regatta-in-an-old-codec", WHOLE, LENGTH, _with_blocks, {"quality": codec}),
        TimeReel("harbour-that-trembles", WHOLE, LENGTH, _trembling, {"lines_px": TREMBLING_PX}),
        TimeReel("harbour-that-sways", TAPE, LENGTH, swaying, {"wobble": asdict(SWAYING)}),
        TimeReel("harbour-said-to-be-hd", SHARP, LENGTH, _said_to_be_hd, {"lines": SMALL.height}),
        TimeReel("wires-in-steps", WHOLE, LENGTH, _in_steps, {"lines_a_sample": 2}),
        TimeReel("a-tape-as-it-came", TAPE, LENGTH, worn_news, news),
    )
