"""A model of noise: its size at each level, and its spectrum, from samples of a whole shot."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

import numpy as np
import numpy.typing as npt

from grevin.core.measure.noise.pairs import LEVEL_BINS, Samples

Values = npt.NDArray[np.float64]

PLANES = 3
MEDIAN_OF_MEAN = {1: 0.4549, 2: 0.6931, 4: 0.8392}  # of so many squares of normal numbers: tables of chi-square
LEAST_SAMPLES = 30  # of a level, for a value of its own
LINE_PARTS = 6  # runs of places of rising texture that a line is laid through
MOST_TILT = 0.5  # of the line: what grows as fast in the difference as in the sum is noise that is not even, no texture
BY_TEXTURE, BY_SPREAD = 0.57, 0.15  # of what plain places disagree by, see `_doubt`
QUARTILES, OF_MEDIAN = 1.349, 1.253  # standard deviations between quartiles, and of a median: of normal numbers
GOOD = 0.05  # by which share a good measure may be off
STEEPEST = 2.5  # times by which neighbouring levels may differ: noise changes evenly over the range


@dataclass(frozen=True, eq=False)
class NoiseModel:
    """What noise a shot has.

    Attributes:
        levels: (K,) 8-bit levels of the first plane (luma, or red) at which it was measured, rising.
        sigma: (PLANES, K) standard deviation in each plane there, 8-bit levels.
        spectrum: (PLANES, PART, PART) power of each cosine over the mean of all.
        samples: (K,) how many places each level was measured in.
        together: (PLANES, PLANES) correlation of the planes' noise, brightness at the size of colour.
        doubt: (K,) by which share the measure of the first plane may be off at each level.
    """

    levels: Values
    sigma: Values
    spectrum: Values
    samples: npt.NDArray[np.int64]
    doubt: Values
    together: Values

    def at(self, luma: npt.NDArray[np.floating], plane: int) -> npt.NDArray[np.float32]:
        """Standard deviation at levels of luma, 8-bit; even beyond what was measured."""
        return np.asarray(np.interp(luma, self.levels, self.sigma[plane]), np.float32)

    def grain_area(self, plane: int) -> float:
        """Pixels that go together: power of slow cosines over the mean of all, 1 for white noise."""
        return float(self.spectrum[plane][:2, :2].ravel()[1:].mean())

    def size(self, plane: int) -> float:
        """Standard deviation in a plane over the levels that the shot has, each by its samples."""
        return float(np.sqrt(np.average(np.square(self.sigma[plane]), weights=self.samples)))

    @property
    def off_by(self) -> float:
        """By which share its measure of the first plane may be off, over all levels."""
        return float(np.average(self.doubt, weights=self.samples))

    @property
    def certain(self) -> float:
        """Which share of it is sure: all but what it may be off by beyond what a good measure may."""
        return 1.0 - min(1.0, max(0.0, self.off_by - GOOD))

    def sure(self) -> NoiseModel:
        """As much of it as is sure."""
        return replace(self, sigma=self.sigma * self.certain)

    @property
    def typical(self) -> float:
        """The same in the first plane."""
        return self.size(0)


def model_of(samples: list[Samples]) -> NoiseModel | None:
    """The model of a shot; None where nothing could be measured."""
    if not samples:
        return None
    level = np.concatenate([one.level for one in samples]).astype(np.float64)
    power = np.concatenate([one.power for one in samples]).astype(np.float64)
    texture = np.concatenate([one.texture for one in samples]).astype(np.float64)
    plain = np.concatenate([one.plain for one in samples])
    bins = np.minimum((level / 256 * LEVEL_BINS).astype(int), LEVEL_BINS - 1)
    known = [one for one in range(LEVEL_BINS) if int(np.sum(plain & (bins == one))) >= LEAST_SAMPLES]
    if not known:
        known, bins = [0], np.zeros_like(bins)
        if int(plain.sum()) < LEAST_SAMPLES:
            return None
    middle = np.array([MEDIAN_OF_MEAN[count] for count in samples[0].parts])[:, None, None]
    spectra = np.stack([np.median(power[plain & (bins == one)], axis=0) / middle for one in known])
    shares = [_share_of_noise(power[bins == one], texture[bins == one], plain[bins == one]) for one in known]
    spectra *= np.stack(shares)[..., None, None]
    sigma = np.sqrt(spectra.mean(axis=(2, 3))).T
    levels = np.array([level[bins == one].mean() for one in known])
    weights = np.array([int(np.sum(plain & (bins == one))) for one in known])
    size = np.maximum(spectra.mean(axis=(2, 3), keepdims=True), 1e-9)
    shape = np.average(spectra / size, axis=0, weights=weights)
    parts = [plain & (bins == one) for one in known]
    doubt = np.array(
        [
            _doubt(power[part, 0].mean(axis=(1, 2)), texture[part], samples[0].parts[0] * _free(spectrum))
            for part, spectrum in zip(parts, spectra[:, 0], strict=True)
        ]
    )
    return NoiseModel(levels, np.stack([_even(one) for one in sigma]), shape, weights, doubt, _correlations(samples))


def _correlations(samples: list[Samples]) -> Values:
    """(PLANES, PLANES) from sums of products of all pairs."""
    products = np.sum([one.together for one in samples], axis=0)
    size = np.sqrt(np.maximum(np.diag(products), 1e-9))
    found = products / np.outer(size, size)
    np.fill_diagonal(found, 1.0)
    return np.asarray(found)


def _free(spectrum: Values) -> float:
    """How many of the cosines are as good as independent."""
    power = float(np.square(spectrum).sum())
    return 1.0 if power <= 0 else float(np.square(spectrum.sum())) / power


def _doubt(size: Values, texture: Values, free: float) -> float:
    """By which share the noise of a level may be off: its plain places agree neither by their texture nor as a whole.

    What places of so many independent squares differ by from chance is no doubt; that the mean of a few places is off
    by chance is some. The weights were fitted by hand to known noise over clips that rules are set on: they put
    measures in order, and promise no figure.
    """
    chance = np.sqrt(2.0 / free)
    order = np.argsort(texture)
    plainer, rest = (float(np.median(size[part])) for part in np.array_split(order, 2))
    low, high = np.percentile(size, [25, 75])
    if plainer <= 0 or low <= 0:
        return 1.0
    by_texture = abs(rest / plainer - 1.0) - 2.0 * OF_MEDIAN * chance / np.sqrt(len(size))
    by_spread = np.log(high / low) - QUARTILES * chance
    return float(
        BY_TEXTURE * max(0.0, by_texture) + BY_SPREAD * max(0.0, by_spread) + OF_MEDIAN * chance / np.sqrt(len(size))
    )


def _share_of_noise(power: Values, texture: Values, plain: npt.NDArray[np.bool_]) -> Values:
    """(PLANES,) how much of the difference in plain places is noise, and not texture that motion did not quite meet.

    What two frames differ by grows with the texture of a place; where there were none, only noise would be left. The
    variance of the mean holds the noise too, so the line through both is followed to where they are the same.
    """
    size = power.mean(axis=(2, 3))
    order = np.array_split(np.argsort(texture), LINE_PARTS)
    across = np.array([np.median(texture[part]) for part in order])
    shares = np.ones(PLANES)
    for plane in range(PLANES):
        up = np.array([np.median(size[part, plane]) for part in order])
        spread = float(np.square(across - across.mean()).sum())
        tilt = float((across - across.mean()) @ (up - up.mean())) / spread if spread > 0 else 0.0
        here, there = float(np.median(size[plain, plane])), float(np.median(texture[plain]))
        if not 0 < tilt < MOST_TILT or here <= 0 or there <= here:
            continue
        shares[plane] = np.clip((here - tilt * there) / (1.0 - tilt) / here, 0.0, 1.0)
    return shares


def _even(sigma: Values) -> Values:
    """Without levels that stand out: what is left of texture there passes for noise."""
    if len(sigma) < 3:
        return sigma
    around = np.array([np.median(sigma[max(0, n - 1) : n + 2]) for n in range(len(sigma))])
    return np.minimum(sigma, STEEPEST * around)


def packed(model: NoiseModel | None) -> dict[str, npt.NDArray[Any]]:
    """As arrays that are kept."""
    if model is None:
        return {name: np.zeros(0) for name in ("levels", "sigma", "spectrum", "samples", "doubt", "together")}
    return {
        "levels": model.levels, "sigma": model.sigma, "spectrum": model.spectrum, "samples": model.samples,
        "doubt": model.doubt, "together": model.together,
    }  # fmt: skip


def unpacked(arrays: dict[str, npt.NDArray[Any]]) -> NoiseModel | None:
    """From arrays that were kept."""
    if not len(arrays["levels"]):
        return None
    names = ("levels", "sigma", "spectrum", "doubt", "together")
    levels, sigma, spectrum, doubt, together = (np.asarray(arrays[name], np.float64) for name in names)
    return NoiseModel(levels, sigma, spectrum, np.asarray(arrays["samples"], np.int64), doubt, together)
