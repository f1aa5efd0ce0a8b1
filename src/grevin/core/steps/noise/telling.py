"""What the noise step measured in a shot: in words, and as a curve."""

from __future__ import annotations

import numpy as np

from grevin.core.measure.noise.boxes import unpacked_boxes
from grevin.core.measure.noise.model import GOOD, PLANES, NoiseModel, unpacked
from grevin.core.measure.noise.renewal import lengths
from grevin.core.steps.charting import LEFT_ALONE, ByHand, Chart, Line
from grevin.core.steps.noise.curve import model_for, points_of
from grevin.core.steps.seen import Arrays

LEAST_SIGMA = 0.45  # 8-bit levels: rounding alone is .29 (the root of a twelfth), a codec's little more
UNSURE_FROM = 0.25  # by which share a measure may be off that is a poor one
CODEC_FRAMES = 6  # for which noise stands that a codec keeps for a group of pictures; cameras hold it for 2 to 4
MOST_NOISE = 60.0  # 8-bit levels, of a curve that is drawn


def words_of(study: Arrays, rate: float) -> tuple[str, ...]:
    """Sentences about a shot; `rate` in frames a second."""
    boxes = tuple(box.words() for box in unpacked_boxes(study["boxes"]))
    model, measured = model_for(study), unpacked(study)
    if model is None:
        advice = "Draw the curve by hand, or a place to measure in."
        return ("No plain place was found in which noise could be measured.", advice, *boxes, LEFT_ALONE)
    if _is_little(model):
        return (f"No noise in this shot above its rounding: {model.typical:.2f} levels.", *boxes, LEFT_ALONE)
    words = (f"{_size_words(model)}.", *_held_words(study), *boxes)
    if len(study["drawn"]):
        return (*words, f"The curve was drawn by hand, with {len(study['drawn'])} points.")
    if measured is None:
        return words
    unsure = ("What is sure of it is no more than rounding.", LEFT_ALONE) if _is_little(measured.sure()) else ()
    return (*words, _quality_words(measured), *unsure)


def _is_little(model: NoiseModel) -> bool:
    return max(model.size(plane) for plane in range(PLANES)) <= LEAST_SIGMA


def _size_words(model: NoiseModel) -> str:
    most, least = int(np.argmax(model.sigma[0])), int(np.argmin(model.sigma[0]))
    words = f"Noise of {model.typical:.1f} levels"
    if model.sigma[0, most] > 1.25 * model.sigma[0, least]:
        words += (f", from {model.sigma[0, least]:.1f} at level {model.levels[least]:.0f} to "
                  f"{model.sigma[0, most]:.1f} at level {model.levels[most]:.0f}")  # fmt: skip
    colour = float(np.hypot(model.size(1), model.size(2)) / np.sqrt(2))
    return f"{words}, {_grain_words(model)}; {colour:.1f} in colour"


def _grain_words(model: NoiseModel) -> str:
    """White, or how large the grain is."""
    spectrum = model.spectrum[0]
    fine = float(spectrum[5:, 5:].mean())
    coarse = float(spectrum[:3, :3].mean())
    if fine > 0.6 * coarse:
        return "as fine as the picture's own pixels"
    return f"{'a little' if fine > 0.2 * coarse else 'much'} coarser than the picture's own pixels"


def _held_words(study: Arrays) -> tuple[str, ...]:
    """Of noise that stands for several frames; none where it is new on every one."""
    new = study["renewed"]
    if new.all():
        return ()
    runs = lengths(new)
    low, usual, high = (int(np.percentile(runs, share)) for share in (5, 50, 95))
    if usual >= CODEC_FRAMES:
        return (f"The noise stands for about {usual} frames, as a codec keeps it for a group of pictures.",)
    return (f"The noise renews every {f'{low} to {high}' if low < high else usual} frames.",)


def _quality_words(model: NoiseModel) -> str:
    places = f"Measured in {int(model.samples.sum())} plain places of {len(model.levels)} levels"
    off = model.off_by
    if off >= UNSURE_FROM:
        return (
            f"{places}: a poor measure, perhaps off by {100 * min(1.0, off):.0f} %, and so much less is taken; "
            "draw a place to measure in, or the curve."
        )
    kind = "a good measure" if off < GOOD else "a fair measure"
    return f"{places}: {kind}, off by about {max(1.0, 100 * off):.0f} %."


def chart_of(study: Arrays) -> Chart | None:
    """The noise at each level."""
    model = model_for(study)
    by_hand = ByHand("curve", points_of(study), MOST_NOISE)
    about = "noise from black to white"
    if model is None:
        levels, sizes = zip(*by_hand.points, strict=True)
        general = np.interp(np.arange(0, 256, 4), levels, sizes).astype(np.float32)
        return Chart(about, "levels", (Line("a general curve, not taken", general, False),), None, "levels", by_hand)
    luma, blue, red = (model.at(np.arange(0, 256, 4, dtype=np.float32), plane) for plane in range(PLANES))
    colour = np.sqrt(0.5 * (blue * blue + red * red)).astype(np.float32)
    lines = (Line("noise of brightness", luma), Line("noise of colour", colour, measured=False))
    measured = unpacked(study)
    sure = None if measured is None or len(study["drawn"]) else max(0.0, 1.0 - measured.off_by / UNSURE_FROM)
    return Chart(about, "levels", lines, None, "levels", by_hand, sure)
