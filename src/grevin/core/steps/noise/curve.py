"""The noise that is taken for noise: as it was measured, or as a person draws it."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from grevin.core.measure.noise.cosines import PART
from grevin.core.measure.noise.model import NoiseModel, unpacked
from grevin.core.steps.noise.settings import NoisePoint
from grevin.core.steps.seen import Arrays

# levels of noise all over the range, where nothing could be measured: common practice, no source
GENERAL_EIGHT, GENERAL_DEEPER = 3.0, 2.0  # of material of 8 bits, and of more
GENERAL_AT = (32.0, 128.0, 224.0)  # 8-bit levels of the points with which a person then begins

DECIMALS = 2  # of points that are handed on

Points = npt.NDArray[np.float64]


def drawn(points: tuple[NoisePoint, ...]) -> Points:
    """(P, 3) level, noise, noise of colour of points that a person drew, rising."""
    rows = sorted((point.level, point.noise, point.colour) for point in points)
    return np.array(rows, np.float64).reshape(-1, 3)


def model_for(study: Arrays) -> NoiseModel | None:
    """The noise of a shot; None where none was measured and nobody drew it."""
    measured, points = unpacked(study), study["drawn"]
    if not len(points):
        return measured
    levels, luma, said = points.T
    colours = [said] * 2
    if measured is not None:
        colours = [np.interp(levels, measured.levels, measured.sigma[plane]) for plane in (1, 2)]
    sigma = [luma, *(np.where(said < 0, luma if measured is None else known, said) for known in colours)]
    spectrum = np.ones((len(sigma), PART, PART)) if measured is None else measured.spectrum
    ones, none = np.ones(len(points), np.int64), np.zeros(len(points))
    return NoiseModel(levels, np.stack(sigma), spectrum, ones, none, np.eye(len(sigma)))


def points_of(study: Arrays) -> tuple[tuple[float, float], ...]:
    """(level, noise of brightness) of the curve that holds, for a hand to draw on."""
    model = model_for(study)
    if model is None:
        size = GENERAL_EIGHT if int(study["depth"]) <= 8 else GENERAL_DEEPER
        return tuple((level, size) for level in GENERAL_AT)
    known = zip(model.levels, model.sigma[0], strict=True)
    return tuple((round(float(level), DECIMALS), round(float(size), DECIMALS)) for level, size in known)
