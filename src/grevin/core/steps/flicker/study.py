"""What flickers in a shot: the kind of flicker, and for each frame the curves and the field that bring it to rest."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
import numpy.typing as npt

from grevin.core.measure.lighting.beat import beat_of
from grevin.core.measure.lighting.curves import FOOT, TERMS, PairTable, solved, terms
from grevin.core.measure.lighting.patches import camera_way, flickering, solved_fields
from grevin.core.measure.lighting.table import Arrays, block_table, pair_table
from grevin.core.measure.lighting.trend import off_frames
from grevin.core.steps.flicker.channel import Solved, reach_of, solved_channel
from grevin.core.steps.flicker.settings import FlickerSettings
from grevin.core.steps.flicker.steadiness import MAD_TO_SIGMA, calm_of, new_on_every_frame, steadiness_of, told_by
from grevin.core.steps.flicker.stretches import joined_runs, part_of, stretches_of
from grevin.core.steps.flicker.words import LEAST_LEVELS, UNSURE_TIMES

Values = npt.NDArray[np.float64]

MIDDLE_LEVELS = 110.0 + FOOT  # 8-bit levels over the foot, of a usual picture
LEAST_COLOUR = 0.35  # 8-bit levels by which colours must flicker apart
SPIKES, SPIKE_LEVELS, SPIKE_TIMES = 3, 1.5, 6.0  # single frames that are off: how many, by how much, times the spread
LEAST_PATCH = 0.020  # of log light: flicker of a twentieth of the blocks, from which patches are believed
PATCH_OF_WHOLE = 0.3  # share of the whole frame's flicker that its curves may miss from place to place
PATCH_FLOOR = 0.008  # of log light: what measuring a block is uncertain by
PATCH_FRAMES = 24.0  # most frames over which a place is evened out
ENDS = 3  # frames at both ends of a shot that have no surroundings to be off from
STRETCH, STRETCH_OVER = 256, 32  # frames that blocks are solved in together, and how many the next shares
FEWEST_TOLD = 4  # steady frames without which nothing is said: the shot is a fade all through
MOST_UNSTEADY = 0.5  # of a shot, from which nothing is said of its parts: what fades draws blocks along


def blocks_of(length: int, arrays: Arrays) -> Arrays:
    """What does not hang on any setting, solved once: light block by block.

    Args:
        length: frames of the shot.
        arrays: of `lighting.table.measured`.

    Returns:
        "stretches": (S, 2) first frame of each stretch that is studied by itself, and the one behind its last; "field":
        (T, h, w) log light of blocks beside that of whole frames; "way": (T, 2) of the camera, in blocks; both zero
        outside the stretches.
    """
    stretches = stretches_of(length, arrays)
    field = np.zeros((length, *arrays["ratio"].shape[1:]), np.float32) if stretches else np.zeros((length, 0, 0))
    way = np.zeros((length, 2))
    for stretch in stretches:
        part, inside = part_of(arrays, stretch), slice(stretch.start, stretch.stop)
        light = -solved(len(stretch), pair_table(part), 0)
        field[inside], way[inside] = _fields(len(stretch), part, light)
    bounds = np.array([(stretch.start, stretch.stop) for stretch in stretches], np.int64).reshape(-1, 2)
    return {"stretches": bounds, "field": field, "way": way}


def studied(length: int, arrays: Arrays, blocks: Arrays, settings: FlickerSettings, first: int) -> Arrays:
    """What the step acts by.

    Args:
        length: frames of the shot.
        arrays: of `lighting.table.measured`.
        blocks: of `blocks_of`.
        settings: of the step.
        first: number of the shot's first frame.

    Returns:
        "first"; "curves": (T, 4, TERMS) corrections of log light for luma, red, green and blue, zero where nothing is
        to be done; "reach": (T, 4, 2) lowest and highest level that was compared; "field": (T, h, w) the same as curves
        block by block, or empty; "figures": see `FIGURES`; "each": whether the colours have curves of their own;
        "light": (T, 2) 8-bit levels by which each frame is lighter than the shot, and those that are the scene's own;
        "places": (h, w) by how much of its light each block flickers, %.
    """
    result: Arrays = {
        "first": np.array([first]), "curves": np.zeros((length, 4, TERMS)), "field": np.zeros((0, 0, 0), np.float32),
        "figures": np.zeros(len(FIGURES)), "each": np.array([False]), "clipped": arrays["clipped"],
        "reach": np.tile(np.array([0.0, 255.0], np.float32), (length, 4, 1)),
        "light": np.zeros((0, 2), np.float32), "places": np.zeros((0, 0), np.float32),
    }  # fmt: skip
    stretches = [range(start, stop) for start, stop in np.asarray(blocks["stretches"]).tolist()]
    if any(number - first in range(length) for number in settings.reference_frames):
        stretches = joined_runs(length, arrays)  # what fades is brought to these frames too
    told = []
    for stretch in stretches:
        inside = slice(stretch.start, stretch.stop)
        seen = {name: blocks[name][inside] for name in ("field", "way")}
        told.append(_of_stretch(len(stretch), part_of(arrays, stretch), seen, settings, first + stretch.start))
        _take_over(result, told[-1], inside)
    if told:
        _tell_main(result, told, length - sum(map(len, stretches)))
    return result


def _take_over(result: Arrays, own: Arrays, inside: slice) -> None:
    """Put what was found in a stretch in its place in the shot."""
    length = len(result["curves"])
    for name in ("curves", "reach"):
        result[name][inside] = own[name]
    for name in ("light", "field"):
        if own[name].size:
            if not result[name].size:
                blank = np.nan if name == "light" else 0.0
                result[name] = np.full((length, *own[name].shape[1:]), blank, np.float32)
            result[name][inside] = own[name]
    result["each"] = np.logical_or(result["each"], own["each"])


def _tell_main(result: Arrays, told: list[Arrays], outside: int) -> None:
    """The figures of the longest stretch, of those that flicker where any does; what is counted, of all of them."""
    each = [figures_of(own) for own in told]
    acting = [figures["whole"] + figures["patches"] > 0 for figures in each]
    main = max(range(len(told)), key=lambda place: (acting[place], len(told[place]["curves"])))
    figures = each[main] | {name: sum(one[name] for one in each) for name in ("spikes", "lighter", "steps")}
    figures |= {"stretches": float(len(told)), "outside": float(outside)}
    result["figures"] = np.array([figures[name] for name in FIGURES])
    result["places"] = told[main]["places"]


def _of_stretch(length: int, arrays: Arrays, blocks: Arrays, settings: FlickerSettings, first: int) -> Arrays:
    """What is found in a stretch that hangs together; see `studied`."""
    table = pair_table(arrays)
    found = solved_channel(length, table, 0, settings, first)
    frame_unsure, block_unsure = map(float, np.median(arrays["unsure"].astype(np.float64), axis=0))
    steadiness = steadiness_of(found)
    off = off_frames(found.line)
    single = _alone(np.abs(off), max(SPIKE_LEVELS, SPIKE_TIMES * min(found.trend.spread, calm_of(found))))
    alone = _inside(single) & (steadiness > 0)
    flickers = _flickers(found, steadiness, single, max(LEAST_LEVELS, UNSURE_TIMES * frame_unsure))
    lighter = int((off[alone] > 0).sum())
    acts = flickers or _are_taken(int(alone.sum()), lighter, settings)
    floor = max(PATCH_FLOOR, block_unsure / MIDDLE_LEVELS)
    lit = steadiness if acts else np.where(_beside(single), 0.0, steadiness)  # what is left is no patch either
    patched = _patches(blocks, settings, floor, lit) if settings.where != "whole frame" else None
    figures = dict.fromkeys(FIGURES, 0.0)
    figures |= {
        "levels": found.rms, "spread": found.trend.spread, "period": found.trend.period,
        "ratio": min(found.trend.ratio, 1e6), "spikes": float(alone.sum()), "lighter": float(lighter),
        "patch": patched.most if patched is not None else 0.0, "steps": len(found.trend.steps),
        "clipped": float(np.mean(arrays["clipped"].astype(np.float64))),
        "unsure": frame_unsure, "unsure_part": block_unsure / MIDDLE_LEVELS,
        "compared": len(arrays["first"]) / length, "beat": found.trend.swing or beat_of(found.off),
    }  # fmt: skip
    least = max(LEAST_PATCH, UNSURE_TIMES * floor) + (PATCH_OF_WHOLE * found.rms / MIDDLE_LEVELS if acts else 0.0)
    wanted = settings.where == "patches" or (patched is not None and patched.most > least)
    result: Arrays = {
        "curves": np.zeros((length, 4, TERMS)), "field": np.zeros((0, 0, 0), np.float32), "each": np.array([False]),
        "light": np.stack([found.line, found.line - found.off], axis=1).astype(np.float32),
        "reach": np.stack([reach_of(table, channel) for channel in range(4)]),
        "places": _places(found.rms if acts else _rms_besides(found, alone), patched),
    }  # fmt: skip
    brought = any(number - first in range(length) for number in settings.reference_frames)
    if acts or brought:
        figures["whole"] = 1.0
        curves, result["each"] = _curves(length, table, found, settings, first)
        if not flickers and not brought:
            curves[~alone] = 0.0  # all others are as they should be
        result["curves"] = curves if brought else curves * steadiness[:, None, None]
    if wanted and patched is not None and patched.most > floor:
        figures["patches"] = 1.0
        result["field"] = patched.field
    result["figures"] = np.array([figures[name] for name in FIGURES])
    return result


FIGURES = (
    "whole", "patches", "levels", "spread", "period", "ratio", "spikes", "lighter", "patch", "steps", "clipped",
    "unsure", "unsure_part", "compared", "beat", "stretches", "outside",
)  # fmt: skip


def figures_of(study: Arrays) -> dict[str, float]:
    """The figures of a study by name."""
    return dict(zip(FIGURES, map(float, study["figures"]), strict=True))


def _rms_besides(found: Solved, alone: npt.NDArray[np.bool_]) -> float:
    """8-bit levels of flicker without the frames that are off by themselves."""
    calm = found.off[~alone]
    return float(np.sqrt(np.mean(np.square(calm)))) if alone.any() and len(calm) else found.rms


def _places(rms: float, patched: Patches | None) -> npt.NDArray[np.float32]:
    """(h, w) flicker of each block, % of its light: that of the whole frame, in levels rms, and its own beside it."""
    whole = rms / MIDDLE_LEVELS
    own = np.square(patched.own) if patched is not None else np.zeros((1, 1))
    return np.asarray(100.0 * np.sqrt(whole**2 + own), np.float32)


def _beside(single: npt.NDArray[np.bool_]) -> npt.NDArray[np.bool_]:
    """(T,) the frames that are off by themselves, and those next to them."""
    padded = np.pad(single, 1)
    return np.asarray(padded[:-2] | padded[1:-1] | padded[2:])


def _are_taken(alone: int, lighter: int, settings: FlickerSettings) -> bool:
    """Whether frames that are off by themselves are brought to rest.

    Where every one is lighter, the light may be the scene's own: a flash, lightning, a spark.
    """
    if settings.single_frames != "as measured":
        return settings.single_frames == "taken" and alone > 0
    return alone >= SPIKES and lighter < alone


def _flickers(found: Solved, steadiness: Values, single: npt.NDArray[np.bool_], least: float) -> bool:
    """Whether the light of a shot flickers all along, by that many 8-bit levels at least.

    Frames that are off by themselves have no say in it.
    """
    trend, told = found.trend, told_by(steadiness)
    if told.sum() < FEWEST_TOLD:
        return False
    if (trend.period or trend.swing) and float(np.sqrt(np.mean(np.square(trend.periodic)))) > least:
        return True
    told &= ~_beside(single)[1:-1]
    return int(told.sum()) >= FEWEST_TOLD and min(trend.spread, new_on_every_frame(found, told)) > least


def _alone(off: Values, least: float) -> npt.NDArray[np.bool_]:
    """(T,) frames that are off by themselves, with calm ones on both sides."""
    calm = np.maximum(np.roll(off, 1), np.roll(off, -1)) < 0.5 * off
    return np.asarray((off > least) & calm)


def _inside(single: npt.NDArray[np.bool_]) -> npt.NDArray[np.bool_]:
    """(T,) the same without the ends of the shot, which may be those of a fade."""
    inside = single.copy()
    inside[:ENDS] = inside[-ENDS:] = False
    return inside


def _curves(length: int, table: PairTable, luma: Solved, settings: FlickerSettings, first: int) -> tuple[Values, Any]:
    """(T, 4, TERMS) corrections, and whether the colours have their own."""
    curves = np.repeat(-luma.flicker[:, None], 4, axis=1)
    if settings.channels == "linked":
        return curves, np.array([False])
    own = [solved_channel(length, table, channel, settings, first, luma).flicker for channel in (1, 2, 3)]
    middle = np.array([[60.0, 110.0, 160.0]])
    apart = [np.square(((one - luma.flicker) @ terms(middle[0]).T) * (middle + FOOT)).mean() for one in own]
    if settings.channels == "as measured" and np.sqrt(max(apart)) < LEAST_COLOUR:
        return curves, np.array([False])
    curves[:, 1:] = -np.stack(own, axis=1)
    return curves, np.array([True])


@dataclass(frozen=True, eq=False)
class Patches:
    """Flicker block by block.

    Attributes:
        field: (T, h, w) float32 corrections of log light.
        own: (h, w) float32 flicker of each block, of log light.
        most: the same of the block that a twentieth of them exceed.
    """

    field: npt.NDArray[np.float32]
    own: npt.NDArray[np.float32]
    most: float


def _patches(blocks: Arrays, settings: FlickerSettings, floor: float, steadiness: Values) -> Patches:
    """What is left block by block beside the curves of whole frames; measuring is uncertain by the floor."""
    field, way = blocks["field"].astype(np.float32), blocks["way"].astype(np.float64)
    second, told = field[2:] - 2 * field[1:-1] + field[:-2], told_by(steadiness)
    if told.sum() < max(1.0, MOST_UNSTEADY * len(told)):
        return Patches(np.zeros_like(field), np.zeros(field.shape[1:], np.float32), 0.0)
    spread = MAD_TO_SIGMA * np.median(np.abs(second[told]), axis=0) / np.sqrt(6.0)
    longest = settings.smoothing_frames / 2.5 if settings.smoothing_frames else PATCH_FRAMES
    trust = np.clip(np.square(spread / floor) - 1.0, 0.0, 1.0) * steadiness[:, None, None]
    own = np.asarray(spread, np.float32)
    return Patches(-flickering(field, way, longest) * trust.astype(np.float32), own, float(np.percentile(spread, 95)))


def _fields(length: int, arrays: Arrays, light: Values) -> tuple[npt.NDArray[np.float32], Values]:
    """(T, h, w) log light of blocks beside that of whole frames, and (T, 2) the way of the camera.

    Solved in stretches that go over into each other, so that memory does not grow with the shot.
    """
    total = np.zeros((length, *arrays["ratio"].shape[1:]), np.float32)
    weights = np.zeros(length, np.float32)
    step = np.zeros((length, 2))
    for start in range(0, max(1, length - STRETCH_OVER), STRETCH - STRETCH_OVER):
        frames = range(start, min(length, start + STRETCH))
        blocks = block_table(arrays, frames)
        change = light[blocks.second + start] - light[blocks.first + start]
        known = np.einsum("phwk,pk->phw", terms(blocks.level), change).astype(np.float32)
        place = np.arange(len(frames), dtype=np.float32)
        weight = np.minimum(1.0, np.minimum(place + 1, len(frames) - place) / STRETCH_OVER).astype(np.float32)
        total[start : frames.stop] += solved_fields(len(frames), blocks, known) * weight[:, None, None]
        weights[start : frames.stop] += weight
        step[start + 1 : frames.stop] = np.diff(camera_way(len(frames), blocks), axis=0)
    return np.asarray(total / np.maximum(weights, 1e-6)[:, None, None], np.float32), np.cumsum(step, axis=0)
