"""Two pictures as if both had been taken in one light: a flash or a changed exposure is neither noise nor damage.

Light changes a level by an amount that depends on the level: exposure in proportion to it, a pedestal alike everywhere,
development along a curve. A parabola through the means of places follows all of these; single pixels hardly bend it, so
noise and damage stay.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np
import numpy.typing as npt

from grevin.core.measure.lighting.curves import FOOT
from grevin.core.motion.flow import Flow, moved_grid, sample

Values = npt.NDArray[np.float64]
Blocks = npt.NDArray[np.float32]
Bytes = npt.NDArray[np.uint8]
Table = npt.NDArray[np.float32]  # 8-bit levels

TERMS = 3  # of the parabola
FEWEST = 10 * TERMS  # places, below which nothing is told of the light: it would take part of the noise with it
ROUNDS, TRIMMED = 4, 0.7  # of the fit, and the share of the places that is to agree: what moves by itself is left out
HALF_RANGE = 128.0  # 8-bit levels
OUTSTANDING = 3.0  # times the usual change of light, from which a pair of frames is not asked for its noise
LEAST_CHANGE = 1.5  # 8-bit levels: less than this disturbs nothing
MOST_CHANGE = 40.0  # 8-bit levels: more is a flash, which clips what nobody can tell then
LEAST_BEND = 1e-3  # keeps the fit solvable where all places have one level: then only their mean is matched
EVERY_PX = 2  # from pixel to pixel, of two frames that are asked along their motion
ACROSS = 20  # places from left to right, of which light is asked, on the smallest picture too: as in the flicker step
AROUND = 3  # places across and down that are taken together, of which the middle one counts: what is small has no say
COHERENT = 1.0  # times what places around differ by: less is no light; twice as much is believed whole
LEAST_APART = 1e-6  # of log light: places of a drawn picture may not differ at all
STILL_UNLIKE = 0.6  # of what a place differed by, left when it is lit: then it was no light
# Lines and px of which one is asked whether both pictures are more alike: torn lines come in twos and fours.
SOME = (3, 4)
CLIPPED = (4.0, 251.0)  # 8-bit levels beyond which a place says nothing of the light


@dataclass(frozen=True, eq=False)
class LightChange:
    """By how much a picture is brighter than another for its light.

    Attributes:
        weights: (TERMS,) of powers of the level between both, in half ranges from the middle one.
        levels: 8-bit levels rms, over the picture.
    """

    weights: Values
    levels: float

    def at(self, between: npt.NDArray[np.floating[Any]]) -> npt.NDArray[np.float32]:
        """8-bit levels by which what lies at a level in the mean of both is brighter in the first."""
        own, slope, bend = (np.float32(weight) for weight in self.weights)
        place = (np.asarray(between, np.float32) - np.float32(HALF_RANGE)) / np.float32(HALF_RANGE)
        return np.asarray(own + place * (slope + place * bend), np.float32)

    def table(self) -> Table:
        """(256,) each level of the second picture in the light of the first."""
        second = np.arange(256, dtype=np.float32)
        first = second
        for _ in range(ROUNDS):  # the level between both holds the one that is wanted
            first = np.clip(second + self.at(0.5 * (first + second)), 0.0, 255.0)
        return np.asarray(first, np.float32)


NO_CHANGE = LightChange(np.zeros(TERMS), 0.0)


def light_change(first: Values, second: Values) -> LightChange:
    """From the means of places of two pictures, (N,) 8-bit levels each, by least trimmed squares."""
    if len(first) < FEWEST:
        return NO_CHANGE
    apart = first - second
    terms = np.asarray(((0.5 * (first + second) - HALF_RANGE) / HALF_RANGE)[:, None] ** np.arange(TERMS), np.float64)
    even = np.diag([0.0] + [LEAST_BEND * len(apart)] * (TERMS - 1))
    kept = np.ones(len(apart), np.bool_)
    weights: Values = np.zeros(TERMS)
    for _ in range(ROUNDS):
        weights = np.asarray(np.linalg.solve(terms[kept].T @ terms[kept] + even, terms[kept].T @ apart[kept]))
        error = np.abs(apart - terms @ weights)
        kept = np.asarray(error <= np.quantile(error, TRIMMED))
    return LightChange(weights, float(np.sqrt(np.mean(np.square(terms @ weights)))))


def difference_in_one_light(first: Blocks, second: Blocks, told: npt.NDArray[np.bool_]) -> tuple[Blocks, float]:
    """(N, side, side) what places of two pictures differ by beyond the light, and by how much that changed.

    Args:
        first: (N, side, side) 8-bit levels.
        second: the same places of another picture.
        told: (N,) from which of them the light is told.
    """
    light = light_change(*(places[told].mean(axis=(1, 2)).astype(np.float64) for places in (first, second)))
    apart = first - second
    return (apart - light.at(0.5 * (first + second)) if light.levels else apart), light.levels


def light_tables(first: Bytes, second: Bytes) -> Table | None:
    """(256, C) levels of the second picture in the light of the first; None where their light is the same.

    Nor is it said to differ where most pixels would be less alike then: a torn picture is no change of light.

    Args:
        first: (H, W, C) uint8.
        second: the same of another that was moved onto it.
    """
    size = _places(first)
    one, other = (
        cv2.resize(picture, size, interpolation=cv2.INTER_AREA).reshape(-1, first.shape[2]).astype(np.float64)
        for picture in (first, second)
    )
    told = ((one > CLIPPED[0]) & (one < CLIPPED[1]) & (other > CLIPPED[0]) & (other < CLIPPED[1])).all(axis=1)
    changes = [light_change(one[told, channel], other[told, channel]) for channel in range(first.shape[2])]
    if max(change.levels for change in changes) <= LEAST_CHANGE:
        return None
    tables = np.stack([change.table() for change in changes], axis=1)
    ours, theirs = (np.ascontiguousarray(picture[:: SOME[0], :: SOME[1]]) for picture in (first, second))
    better, worse = (float(np.median(cv2.absdiff(ours, one))) for one in (lit_bytes(theirs, tables), theirs))
    return tables if better < worse else None


@dataclass(frozen=True, eq=False)
class Lighting:
    """The light of a frame against that of another, which may differ from part to part.

    Attributes:
        tables: (256, C) levels in the other light, all over; None where they are the same.
        gains: (h, w) float32 beside that, on a coarse grid over the picture; None where all parts are lit alike.
    """

    tables: Table | None = None
    gains: npt.NDArray[np.float32] | None = None

    @property
    def differs(self) -> bool:
        """Whether the light is not the same."""
        return self.tables is not None or self.gains is not None

    def on(self, picture: Bytes) -> Bytes:
        """(H, W, C) uint8 in the other light."""
        lit = picture if self.tables is None else lit_bytes(picture, self.tables)
        if self.gains is None:
            return lit
        gains = cv2.resize(self.gains, picture.shape[1::-1], interpolation=cv2.INTER_LINEAR)
        channels = [cv2.multiply(one, gains, dtype=cv2.CV_8U) for one in cv2.split(lit)]
        return np.asarray(cv2.merge(channels), np.uint8).reshape(picture.shape)

    def over(self, patch: Table, place: tuple[slice, slice], shape: tuple[int, int]) -> Table:
        """The same of (h, w, C) float32 R'G'B' 0..1 that lies at some rows and columns of a picture of (H, W)."""
        lit = patch if self.tables is None else lit_picture(patch, self.tables)
        if self.gains is None:
            return lit
        down, across = (
            ((np.arange(part.start, part.stop) + 0.5) * coarse / fine - 0.5).astype(np.float32)
            for part, coarse, fine in zip(place, self.gains.shape, shape, strict=True)
        )
        grid = np.meshgrid(across, down)
        gains = cv2.remap(self.gains, grid[0], grid[1], cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
        return np.asarray(lit * gains[..., None], np.float32)


ALIKE = Lighting()


def lighting_along(here: Bytes, there: Bytes, flow: Flow | None, *, flashes: bool = False) -> Lighting:
    """That of another frame against this one; asked at one pixel of four.

    Args:
        here: (H, W, C) uint8.
        there: the same of the other frame.
        flow: (H, W, 2) float32, px from here to there; None for places that are the same.
        flashes: told too where one lies in a flash, in which much may clip; else as if both were alike.
    """
    ours = np.ascontiguousarray(here[::EVERY_PX, ::EVERY_PX])
    moved = there[::EVERY_PX, ::EVERY_PX] if flow is None else sample(there, *moved_grid(flow, EVERY_PX))
    theirs = np.ascontiguousarray(moved.reshape(ours.shape))
    tables = light_tables(ours, theirs)
    if tables is None:
        return Lighting(None, _gains(ours, theirs))
    # what would be lighter than a picture that clips is as light as that
    low, high = zip(*(cv2.minMaxLoc(one)[:2] for one in cv2.split(ours)), strict=True)
    tables = np.clip(tables, low, high).astype(np.float32)
    lit = lit_bytes(theirs, tables)
    flashed = float(np.mean(cv2.absdiff(lit, theirs))) > MOST_CHANGE
    return ALIKE if flashed and not flashes else Lighting(tables, _gains(ours, lit))


def _gains(first: Bytes, second: Bytes) -> npt.NDArray[np.float32] | None:
    """(h, w) by how much parts of the first picture are lighter; None where that changes next to nothing.

    The middle channel tells it for all. Light goes over from place to place, and without it both pictures are alike:
    what a motion that fails leaves is not.
    """
    one, other = (picture[..., picture.shape[2] // 2].astype(np.float32) for picture in (first, second))
    size = _places(first)
    level = _means(one, size)
    light = _even(level, _means(other, size))
    if _rms(light, level) <= LEAST_CHANGE:
        return None
    lit = other * cv2.resize(np.exp(light), other.shape[::-1], interpolation=cv2.INTER_LINEAR)
    light *= _means(np.abs(one - lit), size) < STILL_UNLIKE * _means(np.abs(one - other), size)
    return np.exp(light) if _rms(light, level) > LEAST_CHANGE else None


def _places(picture: Bytes) -> tuple[int, int]:
    """How many lie across and down, about as high as they are wide."""
    side = max(1, picture.shape[1] // ACROSS)
    return max(1, picture.shape[1] // side), max(1, picture.shape[0] // side)


def _means(picture: Table, size: tuple[int, int]) -> Table:
    return np.asarray(cv2.resize(picture, size, interpolation=cv2.INTER_AREA), np.float32)


def _rms(light: Table, level: Table) -> float:
    """8-bit levels of a change of log light."""
    return float(np.sqrt(np.mean(np.square(light * (level + FOOT)))))


def _even(one: Table, other: Table) -> Table:
    """(h, w) log light by which places of one are lighter, as far as it goes evenly from place to place."""
    told = (np.minimum(one, other) > CLIPPED[0]) & (np.maximum(one, other) < CLIPPED[1])
    lighter = np.where(told, np.log((one + FOOT) / (other + FOOT)), 0.0)
    padded = np.pad(lighter, AROUND // 2, mode="edge")
    around = np.lib.stride_tricks.sliding_window_view(padded, (AROUND, AROUND)).reshape(*lighter.shape, -1)
    around = 0.5 * (around + around[..., ::-1])  # places across from each other: that light goes evenly is no matter
    middle = np.median(around, axis=2)
    apart = COHERENT * np.median(np.abs(around - middle[..., None]), axis=2)
    believed = np.clip((np.abs(middle) - apart) / np.maximum(apart, LEAST_APART), 0.0, 1.0)
    return np.asarray(believed * middle, np.float32)


def lit_bytes(picture: Bytes, tables: Table) -> Bytes:
    """(H, W, C) uint8 in another light, by `light_tables`."""
    return np.asarray(cv2.LUT(picture, np.rint(tables).astype(np.uint8)[None]).reshape(picture.shape), np.uint8)


def lit_picture(picture: Table, tables: Table) -> Table:
    """(H, W, C) float32 R'G'B' 0..1 in another light, by `light_tables`."""
    channels = (
        np.interp(picture[..., place], np.linspace(0.0, 1.0, 256), tables[:, place] / 255.0)
        for place in range(picture.shape[2])
    )
    return np.stack([channel.astype(np.float32) for channel in channels], axis=2)


def in_usual_light(changed: Sequence[float] | Values) -> npt.NDArray[np.bool_]:
    """(N,) which pairs of frames are not those whose light changed far more than is usual: flashes, lamps switched on.

    Light that is wholly taken out leaves something of the motion that was sought through it.
    """
    return np.asarray(np.asarray(changed) <= max(LEAST_CHANGE, OUTSTANDING * float(np.median(changed))))
