"""What flickers in a shot: the kind of flicker, and for each frame the curves and the field that bring it to rest."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
import numpy.typing as npt

from grevin.core.measure.lighting.beat import beat_of
from grevin.core.measure.lighting.curves import FOOT, TERMS, PairTable, compared_levels, solved, terms
from grevin.core.measure.lighting.patches import camera_way, flickering, solved_fields
from grevin.core.measure.lighting.table import Arrays, block_table, pair_table
from grevin.core.measure.lighting.trend import Trend, off_frames, taken_apart
from grevin.core.steps.flicker.settings import FlickerSettings
from grevin.core.steps.flicker.words import LEAST_LEVELS, UNSURE_TIMES

Values = npt.NDArray[np.float64]

MIDDLE_LEVELS = 110.0 + FOOT  # 8-bit levels over the foot, of a usual picture
LEVELS = 8  # places of the scale at which a curve of light is looked at
REACH_BEYOND = 0.25  # of the range of log light that curves are fitted over: as far they go on beyond it
ASTRAY = 0.7  # of log light by which a colour may depart from brightness: a factor of two, far above what lamps do
MOST_CHANGE = 1.4  # of log light: two stops; a frame that is off by more has nothing to give back
LEAST_COLOUR = 0.35  # 8-bit levels by which colours must flicker apart
SPIKES, SPIKE_LEVELS, SPIKE_TIMES = 3, 1.5, 6.0  # single frames that are off: how many, by how much, times the spread
CALM_SHARE, CALM_QUANTILE = 0.25, 0.3186  # a quarter of a normal distribution lies within so many of its deviations
LEAST_PATCH = 0.020  # of log light: flicker of a twentieth of the blocks, from which patches are believed
PATCH_OF_WHOLE = 0.3  # share of the whole frame's flicker that its curves may miss from place to place
PATCH_FLOOR = 0.008  # of log light: what measuring a block is uncertain by
PATCH_FRAMES = 24.0  # most frames over which a place is evened out
ENDS = 3  # frames at both ends of a shot that have no surroundings to be off from
STRETCH, STRETCH_OVER = 256, 32  # frames that blocks are solved in together, and how many the next shares
STEEP_LEVELS = 3.0  # a frame, by which the scene's own light goes in a fade: its curves are told worse than that
MET_TIMES = 3.0  # what is new on every frame, by which three frames in a row are hardly ever off to one side
FEWEST_TOLD = 4  # steady frames without which nothing is said: the shot is a fade all through
MOST_UNSTEADY = 0.5  # of a shot, from which nothing is said of its parts: what fades draws blocks along
UNSTEADY_ROOM = 2  # frames beside a fade, whose curves and blocks it draws along
MAD_TO_SIGMA = 1.4826  # median absolute deviation to standard deviation of a normal distribution
SHORTEST_SHOT = 8  # frames; fewer say nothing about flicker


@dataclass(frozen=True, eq=False)
class Solved:
    """What one channel's curves were taken apart into.

    Attributes:
        light: (T, TERMS) log light of each frame.
        line: (T,) the same in 8-bit levels, in the mean over the scale.
        off: (T,) what of it flickers.
        flicker: (T, TERMS) what is to be taken from log light.
        trend: of the curve.
        rms: of the flicker, 8-bit levels.
    """

    light: Values
    line: Values
    off: Values
    flicker: Values
    trend: Trend
    rms: float


def blocks_of(length: int, arrays: Arrays) -> Arrays:
    """What does not hang on any setting, solved once: light block by block.

    Args:
        length: frames of the shot.
        arrays: of `lighting.table.measured`.

    Returns:
        "field": (T, h, w) log light of blocks beside that of whole frames; "way": (T, 2) of the camera, in blocks.
        Empty where the shot says nothing about flicker.
    """
    if length < SHORTEST_SHOT or not _hangs_together(length, arrays):
        return {"field": np.zeros((0, 0, 0), np.float32), "way": np.zeros((0, 2))}
    field, way = _fields(length, arrays, -solved(length, pair_table(arrays), 0))
    return {"field": field, "way": way}


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
        to be done; "reach": (4, 2) lowest and highest level that was compared; "field": (T, h, w) the same as curves
        block by block, or empty; "figures": see `FIGURES`; "each": whether the colours have curves of their own;
        "light": (T, 2) 8-bit levels by which each frame is lighter than the shot, and those that are the scene's own;
        "places": (h, w) by how much of its light each block flickers, %.
    """
    nothing: Arrays = {
        "first": np.array([first]), "curves": np.zeros((length, 4, TERMS)), "field": np.zeros((0, 0, 0), np.float32),
        "figures": np.zeros(len(FIGURES)), "each": np.array([False]), "clipped": arrays["clipped"],
        "reach": np.tile(np.array([0.0, 255.0], np.float32), (4, 1)),
        "light": np.zeros((0, 2), np.float32), "places": np.zeros((0, 0), np.float32),
    }  # fmt: skip
    if length < SHORTEST_SHOT or not _hangs_together(length, arrays):
        return nothing
    table = pair_table(arrays)
    found = _channel(length, table, 0, settings, first)
    frame_unsure, block_unsure = map(float, np.median(arrays["unsure"].astype(np.float64), axis=0))
    steadiness = _steadiness(found)
    off = off_frames(found.line)
    single = _alone(np.abs(off), max(SPIKE_LEVELS, SPIKE_TIMES * min(found.trend.spread, _calm(found))))
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
        "compared": len(arrays["first"]) / length, "beat": beat_of(found.off),
    }  # fmt: skip
    least = max(LEAST_PATCH, UNSURE_TIMES * floor) + (PATCH_OF_WHOLE * found.rms / MIDDLE_LEVELS if acts else 0.0)
    wanted = settings.where == "patches" or (patched is not None and patched.most > least)
    result = dict(nothing)
    result["light"] = np.stack([found.line, found.line - found.off], axis=1).astype(np.float32)
    result["reach"] = np.stack([reach_of(table, channel) for channel in range(4)])
    result["places"] = _places(found.rms if acts else _rms_besides(found, alone), patched)
    if acts or settings.reference_frames:
        figures["whole"] = 1.0
        curves, result["each"] = _curves(length, table, found, settings, first)
        if not flickers and not settings.reference_frames:
            curves[~alone] = 0.0  # all others are as they should be
        result["curves"] = curves if settings.reference_frames else curves * steadiness[:, None, None]
    if wanted and patched is not None and patched.most > floor:
        figures["patches"] = 1.0
        result["field"] = patched.field
    result["figures"] = np.array([figures[name] for name in FIGURES])
    return result


FIGURES = (
    "whole", "patches", "levels", "spread", "period", "ratio", "spikes", "lighter", "patch", "steps", "clipped",
    "unsure", "unsure_part", "compared", "beat",
)  # fmt: skip


def figures_of(study: Arrays) -> dict[str, float]:
    """The figures of a study by name."""
    return dict(zip(FIGURES, map(float, study["figures"]), strict=True))


def _hangs_together(length: int, arrays: Arrays) -> bool:
    """Whether some pair joins every frame to those behind it: else nobody knows its light against theirs."""
    spanned = np.zeros(length, np.int64)
    np.add.at(spanned, arrays["first"].astype(np.int64), 1)
    np.add.at(spanned, arrays["second"].astype(np.int64), -1)
    return bool((np.cumsum(spanned)[:-1] > 0).all())


def _channel(
    length: int, table: PairTable, channel: int, settings: FlickerSettings, first: int, luma: Solved | None = None
) -> Solved:  # fmt: skip
    """The flicker of one channel; of a colour beside that of brightness."""
    light, ends = -solved(length, table, channel), compared_levels(length, table, channel)
    levels = _levels(table, channel)
    change = _changes(light, ends, np.tile(levels, (length, 1)))
    if luma is not None:
        inside = np.linspace(*ends, LEVELS, axis=1)
        common = compared_levels(length, table, 0)
        astray = np.abs(_changes(light, ends, inside) - _changes(luma.light, common, inside)).max(axis=1) > ASTRAY
        change[astray] = _changes(luma.light, common, np.tile(levels, (length, 1)))[astray]
    curve = np.clip(change, -MOST_CHANGE, MOST_CHANGE) * (levels + FOOT)
    period = {0: -1, 1: 0}.get(settings.period_frames, settings.period_frames)
    trend = taken_apart(curve, settings.smoothing_frames, period)
    kept: Values = trend.slow
    reference = [n - first for n in settings.reference_frames if 0 <= n - first < length]
    if reference:
        kept = np.broadcast_to(curve[reference].mean(axis=0), curve.shape)
    off = curve - kept
    flicker: Values = np.linalg.lstsq(terms(levels), (off / (levels + FOOT)).T, rcond=None)[0].T.astype(np.float64)
    rms = float(np.sqrt(np.mean(np.square(off))))
    return Solved(light, curve.mean(axis=1), off.mean(axis=1), flicker, trend, rms)


def _levels(table: PairTable, channel: int) -> Values:
    """(LEVELS,) places of the scale at which a channel was compared."""
    return np.asarray(np.quantile(table.levels[:, channel, :, 0], np.linspace(0.05, 0.95, LEVELS)))


def reach_of(table: PairTable, channel: int) -> npt.NDArray[np.float32]:
    """(2,) lowest and highest level for which a channel's curves stand.

    Those that were compared, and not far beyond the places that the curves were fitted at: of a colour that is nearly
    black all over, a few bright places say nothing, and a curve might do anything with them.
    """
    compared = table.levels[:, channel, (0, -1), 0]
    fitted = np.log(_levels(table, channel)[[0, -1]] + FOOT)
    room = REACH_BEYOND * (fitted[1] - fitted[0])
    low, high = np.exp(fitted + np.array([-room, room])) - FOOT
    return np.array([max(compared[:, 0].min(), low), min(compared[:, 1].max(), high)], np.float32)


def _changes(light: Values, ends: tuple[Values, Values], levels: Values) -> Values:
    """(T, L) log changes of levels, (T, L), by the light of each frame; beyond what was compared as at its end."""
    met = np.clip(levels, ends[0][:, None], ends[1][:, None])
    return np.asarray(np.einsum("tk,tlk->tl", light, terms(met)))


def _rms_besides(found: Solved, alone: npt.NDArray[np.bool_]) -> float:
    """8-bit levels of flicker without the frames that are off by themselves."""
    calm = found.off[~alone]
    return float(np.sqrt(np.mean(np.square(calm)))) if alone.any() and len(calm) else found.rms


def _places(rms: float, patched: Patches | None) -> npt.NDArray[np.float32]:
    """(h, w) flicker of each block, % of its light: that of the whole frame, in levels rms, and its own beside it."""
    whole = rms / MIDDLE_LEVELS
    own = np.square(patched.own) if patched is not None else np.zeros((1, 1))
    return np.asarray(100.0 * np.sqrt(whole**2 + own), np.float32)


def _steadiness(found: Solved) -> Values:
    """(T,) 0..1, how far each frame's light can be told from that of a fade.

    Not at all where the scene's own light goes fast, nor where that is not met: several frames in a row are off to the
    same side by more than what is new on every frame explains, as where a fade turns back. Nor beside such frames.
    """
    steps = np.abs(np.diff(found.line - found.off, prepend=np.nan, append=np.nan))
    steps[list(found.trend.steps)] = 0.0  # a lamp is switched there, and nothing fades
    steepest = np.fmax(steps[:-1], steps[1:])
    off = found.off - found.trend.periodic.mean(axis=1)
    together = np.pad(np.abs(np.median(np.lib.stride_tricks.sliding_window_view(off, 3), axis=1)), 1, "edge")
    met = together <= MET_TIMES * max(LEAST_LEVELS, _new_on_every_frame(found))
    steady = np.clip(2.0 - steepest / STEEP_LEVELS, 0.0, 1.0) * met
    around = np.lib.stride_tricks.sliding_window_view(np.pad(steady, UNSTEADY_ROOM, "edge"), 2 * UNSTEADY_ROOM + 1)
    return np.asarray(around.min(axis=1))


def _new_on_every_frame(found: Solved, told: npt.NDArray[np.bool_] | slice = slice(None)) -> float:
    """8-bit levels, standard deviation of what second differences say at the frames that are told."""
    return MAD_TO_SIGMA * float(np.median(np.abs(_seconds(found)[told]))) / float(np.sqrt(6.0))


def _seconds(found: Solved) -> Values:
    """(T - 2,) second differences of the light, without what comes back."""
    line = found.line - found.trend.periodic.mean(axis=1)
    return np.asarray(line[2:] - 2 * line[1:-1] + line[:-2])


def _told(steadiness: Values) -> npt.NDArray[np.bool_]:
    """(T - 2,) frames whose light against that of both beside tells flicker: no fade goes on there."""
    calm = steadiness == 1.0
    return np.asarray(calm[2:] & calm[1:-1] & calm[:-2])


def _calm(found: Solved) -> float:
    """8-bit levels, what is new on every frame by the calmest quarter of them, which flashes are not in."""
    return float(np.quantile(np.abs(_seconds(found)), CALM_SHARE)) / CALM_QUANTILE / float(np.sqrt(6.0))


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
    trend, told = found.trend, _told(steadiness)
    if told.sum() < FEWEST_TOLD:
        return False
    if trend.period and float(np.sqrt(np.mean(np.square(trend.periodic)))) > least:
        return True
    told &= ~_beside(single)[1:-1]
    return int(told.sum()) >= FEWEST_TOLD and min(trend.spread, _new_on_every_frame(found, told)) > least


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
    own = [_channel(length, table, channel, settings, first, luma).flicker for channel in (1, 2, 3)]
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
    second, told = field[2:] - 2 * field[1:-1] + field[:-2], _told(steadiness)
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
