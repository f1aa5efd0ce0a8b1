"""What stands out in the curves of a survey."""

from __future__ import annotations

from dataclasses import dataclass, field
from itertools import pairwise
from typing import Any

import numpy as np
import numpy.typing as npt

from grevin.core.measure.blocks import STANDS_OUT
from grevin.core.measure.cadence import repeats_of_shot
from grevin.core.measure.lighting.beat import beat_of
from grevin.core.measure.repeats import HELD_CORRELATION
from grevin.core.steps.dropout.step import DROPOUTS_A_FRAME
from grevin.core.survey.measures.colour_shift import EVERY as COLOUR_EVERY

Curve = npt.NDArray[np.float32]
Series = dict[str, Curve]

BLACK_P99 = 30.0  # 8-bit levels: brighter than this a picture shows something
WHITE_P01 = 225.0
FREEZE_FRAMES = 6  # equal frames in a row that are no cadence
COMBED_PCT = 0.6  # combed share of the picture from which a frame is called combed (open progressive clips: below .2)
FLASH_PCT = 12.0  # rise of the light that goes back at once
FLASH_STANDS_OUT = 3.0  # times the usual change: what goes to and fro all the time is flicker
FLICKER_PCT = 1.2  # spread of the change of the light within a shot
FEWEST_FOR_FLICKER = 8
# open clips: calm ones stay below .4 in what rows and columns share, lamps in a corner reach .6, bands 3 to 7 in rows
PARTS_PCT = 0.6  # by which rows and columns depart from the frame's change of light
PARTS_TIMES = 4.0  # times that, from which light changes all over: another gamma changes dark and bright parts apart
BAND_PCT = 0.75  # by which rows do
BAND_TIMES = 2.6  # times what columns do: a band lies across
BAND_STEADY = 0.4  # times that: under another exposure a sky over water changes in rows too, but then all of it does
FIELDS_PCT = 3.0  # of light by which the fields of every frame differ; clean open clips reach 2 in a very fast pan
FIELDS_STEADY = 0.5  # of that, by which it may change from frame to frame: else it flickers anyhow
HELD_RUN = 6  # frames
HELD_GAP = 3  # frames in a run of held noise where it cannot be told
FEWEST_FOR_SCRATCHES = 3  # frames on which the picture moves far enough
SCRATCHED_SHARE = 0.3  # of those; on clean reporting clips there is not one such frame (bench, surface)
BESIDE_SAMPLES = 1.0  # of colour: pictures whose colour is right show up to .7
TREMBLES_PX = 0.08  # quickly looked at: steady open clips show up to .065, lines displaced by .3 px mostly .11 and more
SWAYS_PX = 0.12  # looked at at half size: steady open clips show up to .07, with bends of .3 px .10 to .47
REPEATS_QUANTILE = 0.25  # of the frames: what repeats lines does so on every frame, and two fields only where they part
BORDER_PX = 4.0  # black lines or columns at a side that are worth a word


@dataclass(frozen=True)
class SurveyFinding:
    """One thing that stands out.

    Attributes:
        kind: id of the step that mends it, or a plain word.
        first, last: frames, both included.
        confidence: 0..1.
        figures: what speaks for it.
        area: (x, y, width, height) or None for the whole picture.
    """

    kind: str
    first: int
    last: int
    confidence: float
    figures: dict[str, float] = field(default_factory=dict)
    area: tuple[int, int, int, int] | None = None

    def data(self) -> dict[str, Any]:
        """Plain data."""
        return {
            "kind": self.kind, "first_frame": self.first, "last_frame": self.last,
            "area": list(self.area) if self.area else None, "confidence": round(self.confidence, 3),
            "figures": {name: round(value, 3) for name, value in self.figures.items()},
        }  # fmt: skip


def findings_of(
    series: Series, frames: range, cuts: list[int], unreadable: list[tuple[int, str]]
) -> list[SurveyFinding]:
    """Everything that stands out, in the order of frames."""
    found = [SurveyFinding("unreadable", number, number, 1.0) for number, _ in unreadable]
    found += _runs("black", series["level_luma_p99"] < BLACK_P99, frames, 1)
    found += _runs("white", series["level_luma_p01"] > WHITE_P01, frames, 1)
    if "border_left" in series:
        found += _borders(series, frames, cuts)
    if "change_largest" in series:
        found += _blocks(series["block_clearness"], frames, cuts)
        found += _repeated_lines(series, frames, cuts)
        found += _colour_shift(series, frames, cuts)
        found += _off_line("jitter", series["line_jitter"], TREMBLES_PX, frames, cuts)
        found += _off_line("wobble", series["wobble"], SWAYS_PX, frames, cuts)
        found += _repeats(series, frames, cuts)
        found += _runs("combing", series["combing"] > COMBED_PCT, frames, 1)
        found += _light(series, frames, cuts)
        found += _scratches(series, frames, cuts)
        found += _dropouts(series, frames, cuts)
    return sorted(found, key=lambda finding: (finding.first, finding.kind))


def _runs(kind: str, flags: npt.NDArray[np.bool_], frames: range, least: int) -> list[SurveyFinding]:
    """A finding for each run of at least `least` flagged frames."""
    edges = np.flatnonzero(np.diff(np.concatenate([[0], flags.astype(np.int8), [0]])))
    runs = zip(edges[::2], edges[1::2], strict=True)
    return [
        SurveyFinding(kind, frames[int(a)], frames[int(b) - 1], 1.0, {"frames": float(b - a)})
        for a, b in runs
        if b - a >= least
    ]


def _shots(frames: range, cuts: list[int]) -> list[tuple[int, int, slice]]:
    """First frame, last frame and places of each shot; the one run of a quick pass."""
    edges = [0, *(cut - frames.start for cut in cuts), len(frames)]
    return [(frames[a], frames[b - 1], slice(a, b)) for a, b in pairwise(edges) if b > a]


def _borders(series: Series, frames: range, cuts: list[int]) -> list[SurveyFinding]:
    """Shots with black borders."""
    found = []
    for first, last, part in _shots(frames, cuts):
        sides = {side: series[f"border_{side}"][part] for side in ("left", "right", "top", "bottom")}
        widths = {side: float(np.nanmedian(curve)) for side, curve in sides.items() if not np.isnan(curve).all()}
        if max(widths.values(), default=0.0) >= BORDER_PX:
            found.append(SurveyFinding("edges", first, last, 1.0, {f"{side}_px": px for side, px in widths.items()}))
    return found


def _blocks(curve: Curve, frames: range, cuts: list[int]) -> list[SurveyFinding]:
    """Shots in which the blocks of a codec show."""
    found = []
    for first, last, part in _shots(frames, cuts):
        times = float(np.nanmedian(curve[part])) if not np.isnan(curve[part]).all() else 0.0
        if times >= STANDS_OUT:
            sure = min(1.0, times / (2 * STANDS_OUT))
            found.append(SurveyFinding("compression", first, last, sure, {"times": times}))
    return found


def _repeated_lines(series: Series, frames: range, cuts: list[int]) -> list[SurveyFinding]:
    """Shots in which lines or columns show the sample of their neighbours."""
    found = []
    for first, last, part in _shots(frames, cuts):
        curves = {"lines": series["sample_lines"][part], "columns": series["sample_columns"][part]}
        figures = {
            name: float(np.nanquantile(curve, REPEATS_QUANTILE, method="lower"))
            for name, curve in curves.items() if not np.isnan(curve).all()
        }  # fmt: skip
        if max(figures.values(), default=1.0) > 1.0:
            sure = max(float(np.nanmean(curve > 1.0)) for curve in curves.values())
            found.append(SurveyFinding("stairs", first, last, sure, figures))
    return found


def _colour_shift(series: Series, frames: range, cuts: list[int]) -> list[SurveyFinding]:
    """Shots in which colour lies beside its edges, as a whole or line by line, or ran out."""
    found = []
    for first, last, part in _shots(frames, cuts):
        curves = {"right": series["colour_right"][part], "down": series["colour_down"][part]}
        figures = {name: float(np.nanmedian(curve)) for name, curve in curves.items() if not np.isnan(curve).all()}
        sure = min(1.0, COLOUR_EVERY * float(np.mean(~np.isnan(curves["right"]))))
        if not max(map(abs, figures.values()), default=0.0) >= BESIDE_SAMPLES:
            figures = {}
        for name, curve in {"lines_apart": series["colour_lines"][part], "smear": series["colour_smear"][part]}.items():
            known = curve[~np.isnan(curve)]
            if len(known) and np.median(known) > 0:
                sure = max(sure if figures else 0.0, float(np.mean(known > 0)))
                figures[name] = float(np.median(known))
        if figures:
            found.append(SurveyFinding("chroma", first, last, sure, figures))
    return found


def _off_line(kind: str, curve: Curve, least: float, frames: range, cuts: list[int]) -> list[SurveyFinding]:
    """Shots whose lines tremble, each by itself, or sway together."""
    found = []
    for first, last, part in _shots(frames, cuts):
        size = float(np.nanmedian(curve[part])) if not np.isnan(curve[part]).all() else 0.0
        if size >= least:
            found.append(SurveyFinding(kind, first, last, min(1.0, size / (2 * least)), {"pixels": size}))
    return found


def _scratches(series: Series, frames: range, cuts: list[int]) -> list[SurveyFinding]:
    """Shots with upright lines that stay while the picture moves on."""
    found = []
    for first, last, part in _shots(frames, cuts):
        length = series["scratch_length"][part]
        known = length[~np.isnan(length)]
        if len(known) < FEWEST_FOR_SCRATCHES or np.mean(known > 0) < SCRATCHED_SHARE:
            continue
        figures = {"heights": float(known.mean())}
        found.append(SurveyFinding("scratch", first, last, min(1.0, float(known.mean())), figures))
    return found


def _dropouts(series: Series, frames: range, cuts: list[int]) -> list[SurveyFinding]:
    """Shots with streaks on single fields."""
    found = []
    for first, last, part in _shots(frames, cuts):
        count = series["dropout_count"][part]
        known = count[~np.isnan(count)]
        if len(known) and float(known.mean()) >= DROPOUTS_A_FRAME:
            figures = {"streaks": float(known.mean())}
            found.append(SurveyFinding("dropout", first, last, min(1.0, float(np.mean(known > 0))), figures))
    return found


def _repeats(series: Series, frames: range, cuts: list[int]) -> list[SurveyFinding]:
    change, correlation = series["change_largest"], series["noise_correlation"]
    showing = series["level_luma_p99"] >= BLACK_P99  # black after black is no repeat
    repeats = np.zeros(len(frames), np.bool_)
    for _, _, part in _shots(frames, cuts):
        repeats[part] = repeats_of_shot(change[part], series["change_displaced"][part])[0] & showing[part]
    equal = (change == 0) & showing
    freezes = _runs("freeze", equal, frames, FREEZE_FRAMES)
    frozen = np.zeros(len(frames), np.bool_)
    for freeze in freezes:
        frozen[frames.index(freeze.first) : frames.index(freeze.last) + 1] = True
    held = ~repeats & ~np.isnan(correlation) & (correlation > HELD_CORRELATION)
    return [
        *freezes,
        *_runs("repeat", equal & ~frozen, frames, 1),
        *_runs("near_repeat", repeats & ~equal & ~frozen, frames, 1),
        *_runs("held_noise", _bridged(held, HELD_GAP), frames, HELD_RUN),
    ]


def _bridged(flags: npt.NDArray[np.bool_], gap: int) -> npt.NDArray[np.bool_]:
    """The flags with short gaps between them filled."""
    result = flags.copy()
    set_ = np.flatnonzero(flags)
    for first, second in pairwise(set_):
        if second - first <= gap + 1:
            result[first:second] = True
    return result


def _light(series: Series, frames: range, cuts: list[int]) -> list[SurveyFinding]:
    """Flashes, and shots that flicker all over, in parts, or in a band."""
    change = series["light_change"]
    found = []
    for first, last, part in _shots(frames, cuts):
        inside = change[part]
        flash = _flashes(inside)
        found += [
            SurveyFinding("flash", first + int(place), first + int(place), 1.0, {"percent": float(inside[place])})
            for place in np.flatnonzero(flash)
        ]
        after = np.concatenate([[False], flash[:-1]])
        values = inside[~flash & ~after & ~np.isnan(inside)]
        if len(values) < FEWEST_FOR_FLICKER:
            continue
        # a fade changes the light the same way from frame to frame; flicker changes it to and fro
        spread = float(np.abs(np.diff(values)).mean() / np.sqrt(2))
        rows, columns = (_usual(series.get(name), part) for name in ("light_rows", "light_columns"))
        if rows > BAND_PCT and rows > BAND_TIMES * columns and spread < BAND_STEADY * rows:
            found.append(SurveyFinding("bands", first, last, min(1.0, rows / (2 * BAND_PCT)), {"rows_percent": rows}))
            continue
        parts = min(rows, columns)  # what passes changes columns or rows, a lamp both
        uneven = parts if parts > PARTS_PCT and spread < PARTS_TIMES * parts else 0.0
        fields = _fields_apart(series.get("light_fields"), part)
        if spread > FLICKER_PCT or uneven or fields:
            beat = beat_of(values)
            figures = {"percent": spread, "period_frames": beat or float(_period(values))}
            figures |= {"parts_percent": uneven} if uneven else {}
            figures |= {"fields_percent": fields} if fields else {}
            sure = max(spread / (2 * FLICKER_PCT), uneven / (2 * PARTS_PCT), fields / (2 * FIELDS_PCT))
            found.append(SurveyFinding("flicker", first, last, min(1.0, sure), figures))
    return found


def _fields_apart(values: Curve | None, part: slice) -> float:
    """Percent by which the later field of every frame is brighter or darker than the earlier one, 0 for not at all."""
    known = np.zeros(0) if values is None else values[part][np.isfinite(values[part])]
    if len(known) < FEWEST_FOR_FLICKER:
        return 0.0
    usual, changes = abs(float(np.median(known))), float(np.abs(np.diff(known)).mean() / np.sqrt(2))
    return usual if usual > FIELDS_PCT and changes < FIELDS_STEADY * usual else 0.0


def _usual(values: Curve | None, part: slice) -> float:
    """The median of a curve in a shot; 0 where nothing is known."""
    known = np.zeros(0) if values is None else values[part][np.isfinite(values[part])]
    return float(np.median(known)) if len(known) >= FEWEST_FOR_FLICKER else 0.0


def _flashes(change: Curve) -> npt.NDArray[np.bool_]:
    """Frames whose light rises far above what is usual in the shot, and falls back with the next."""
    flash = np.zeros(len(change), np.bool_)
    known = np.abs(change[~np.isnan(change)])
    if len(change) < 2 or not len(known):
        return flash
    least = max(FLASH_PCT, FLASH_STANDS_OUT * float(np.median(known)))
    flash[:-1] = (change[:-1] > least) & (change[1:] < -least / 2)
    return flash


def _period(values: Curve) -> int:
    """Frames after which the flicker comes again, 0 for none."""
    centred = np.asarray(values - values.mean(), np.float64)
    energy = float(centred @ centred)
    if energy <= 0 or len(centred) < 12:
        return 0
    lags = {lag: float(centred[lag:] @ centred[:-lag]) / energy for lag in range(2, min(26, len(centred) // 3))}
    best = max(lags, key=lambda lag: lags[lag], default=0)
    return best if best and lags[best] > 0.5 else 0
