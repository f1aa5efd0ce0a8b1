"""The profile of each scratch of a shot, told from many frames and the whole of its way.

On a single frame what stands upright in the picture beside a scratch adds to its profile, and what it has for soft
shoulders drowns in texture. Over the frames of a shot the scratch keeps its profile and the picture changes. What all
parts of its way say alike belongs to it.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import numpy.typing as npt

from grevin.core.measure.sampling import spread_over
from grevin.core.parallel import in_parallel
from grevin.core.picture.colour import Rgb
from grevin.core.progress import Progress
from grevin.core.steps.scratch.centring import centred
from grevin.core.steps.scratch.lines import LOWEST, Line, deviations, line_at, sampled
from grevin.core.steps.seen import Arrays

SHAPE_PX, FLANK_PX = 22, 6  # from the middle of a scratch, where its profile ends; and of that, taken for the picture
FRAMES = 12  # of a shot, that are looked at
SHOULDER_PX, BEYOND_PX = 6, 4  # how much farther it may reach than a frame says, and what lies beyond that
LEAST_SHOULDER, SURE = 1.5 / 255, 3.0  # of R'G'B', and times the standard error over the parts of its way
GOES_BY = (
    0.5  # of the structure that a single frame has beside it, that may be left; by chance it is .36 of twelve frames
)
BESIDE_PX = range(8, 15)  # from the middle of a scratch, where the picture's own structure is told
FEWEST_FRAMES = 4  # on which a scratch has to be found for its profile to be told
PARTS = 24  # of its way, each told by itself

Values = npt.NDArray[np.float32]


def shapes_of(study: Arrays, frames: range, rgb: Callable[[int], Rgb], progress: Progress) -> Arrays:
    """Profiles of the scratches of a shot.

    Args:
        study: its lines, as `over_shot.packed`.
        frames: of the shot.
        rgb: (H, W, 3) R'G'B' of a frame.
        progress: one unit a frame that is looked at.

    Returns:
        "shape_track" (T,), which scratches; "shapes" (T, PARTS, 2 SHAPE_PX + 1, 3) float32, how far each place
        beside the middle is off what lies between both flanks, in R'G'B', part for part of its way.
    """
    wanted = np.flatnonzero((study["score"] > LOWEST) & np.isin(study["frame"], spread_over(frames, FRAMES)))
    numbers = sorted({int(study["frame"][at]) for at in wanted})
    progress.begin(len(numbers), "Telling the profiles of scratches")
    found: dict[int, list[Values]] = {}

    def look(number: int) -> list[tuple[int, Values]]:
        picture = rgb(number)
        here = wanted[study["frame"][wanted] == number]
        lines = [line_at(study, int(at), picture.shape[0]) for at in here]
        return [(line.track, parts_of(picture, centred(picture, line))) for line in lines]

    for some in in_parallel(look, numbers):
        for track, parts in some:
            found.setdefault(track, []).append(parts)
        progress.advance()
    shapes = {track: np.median(some, axis=0) for track, some in found.items() if len(some) >= FEWEST_FRAMES}
    told = sorted(track for track, shape in shapes.items() if _goes_by(found[track], shape))
    return {
        "shape_track": np.array(told, np.int64),
        "shapes": np.array([shapes[track] for track in told], np.float32).reshape(-1, PARTS, 2 * SHAPE_PX + 1, 3),
    }


def _goes_by(frames: list[Values], shape: Values) -> bool:
    """Whether the picture goes by beside a scratch: then little of it is left in the middle of many frames."""
    single = np.mean([_rough(one) for one in frames])
    return bool(_rough(shape) < GOES_BY * single)


def _rough(parts: Values) -> float:
    """What the picture has for structure beside a scratch, rms."""
    off = [_off(parts, way, away) for way in (-1, 1) for away in BESIDE_PX]
    return float(np.sqrt(np.square(off).mean()))


def parts_of(rgb: Rgb, line: Line) -> Values:
    """(PARTS, 2 SHAPE_PX + 1, 3) the profile of a scratch on a frame, in each part of its way."""
    deviation = deviations(sampled(rgb, line, SHAPE_PX), SHAPE_PX - FLANK_PX + 1, FLANK_PX)
    parts = np.array_split(deviation, PARTS)
    return np.stack([np.median(part if len(part) else deviation, axis=0) for part in parts]).astype(np.float32)


def with_shoulders(study: Arrays, line: Line, reach: tuple[int, int]) -> tuple[int, int]:
    """How far a scratch reaches to the left and to the right of its middle, its soft shoulders with it.

    On, while its profile is off what lies beyond, and in all parts of its way to the same side.
    """
    at = np.flatnonzero(study["shape_track"] == line.track)
    if not len(at):
        return reach
    parts = study["shapes"][int(at[0])]
    channel = int(np.argmax(np.abs(parts.mean(axis=0)[SHAPE_PX - 1 : SHAPE_PX + 2]).max(axis=0)))
    left, right = (_on(parts[..., channel], way, px) for way, px in zip((-1, 1), reach, strict=True))
    return left, right


def _on(parts: Values, way: int, reach: int) -> int:
    """How far a scratch goes on to a side, px from its middle, by the profiles of its parts."""
    off = np.stack([_off(parts, way, away) for away in range(1, SHAPE_PX - BEYOND_PX)], axis=1)
    if reach + SHOULDER_PX >= off.shape[1]:
        return reach  # nothing is left to tell by
    clear = off[:, reach + SHOULDER_PX :]  # where the scratch has ended, by all that is known
    weight = 1.0 / (np.square(clear).mean(axis=1) + LEAST_SHOULDER**2)
    error = float(1.0 / np.sqrt(weight.sum()))
    mean = (weight[:, None] * off).sum(axis=0) / weight.sum()
    away = reach
    while away < reach + SHOULDER_PX and abs(mean[away]) > max(LEAST_SHOULDER, SURE * error):
        away += 1
    return away


def _off(parts: Values, way: int, away: int) -> Values:
    """(PARTS,) how far a place is off what lies beyond it."""
    places = SHAPE_PX + way * np.arange(away, away + 1 + BEYOND_PX)
    beside = parts[:, places]
    return np.asarray(beside[:, 0] - beside[:, 1:].mean(axis=1), np.float32)
