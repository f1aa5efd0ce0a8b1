"""Scopes drawn as pictures for the screen, from the counts of `measure.scopes`. For looking only."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from grevin.core.measure.scopes import Counts, Samples, ScopeKind, histogram, trace, vectorscope, waveform
from grevin.core.picture.display import OPAQUE, Screen

GROUND = 28  # 8-bit grey that the traces stand on
# Blue, green, red of the traces: light enough on grey to be told apart by people with any colour vision.
GREY_TRACE = (215, 215, 215)
COLOUR_TRACES = ((96, 110, 255), (120, 225, 130), (255, 165, 110))  # of R', G', B', in the screen's order B, G, R
PANE_GAP_PX = 4


def scope_picture(samples: Samples, kind: ScopeKind, size: tuple[int, int]) -> Screen:
    """(height, width, 4) uint8 picture of one scope.

    Args:
        samples: points of the picture measured, from `scopes.take_samples`.
        kind: which scope.
        size: (width, height) in screen pixels.
    """
    width, height = max(16, size[0]), max(16, size[1])
    if kind == "luma waveform":
        return _stack(width, height, [(0, trace(waveform(samples.column, samples.luma, width, height)), GREY_TRACE)])
    if kind == "vectorscope":
        side = min(width, height)
        return _stack(width, height, [((width - side) // 2, trace(vectorscope(samples, side)), GREY_TRACE)])
    if kind == "colour waveform":
        return _colour_waveform(samples, width, height)
    return _histogram(samples, width, height)


def pane_width(width: int) -> int:
    """Width of each of the three panes of the colour waveform."""
    return (width - 2 * PANE_GAP_PX) // 3


def _colour_waveform(samples: Samples, width: int, height: int) -> Screen:
    wide = pane_width(width)
    panes = [
        (place * (wide + PANE_GAP_PX), trace(waveform(samples.column, samples.colours[place], wide, height)), colour)
        for place, colour in enumerate(COLOUR_TRACES)
    ]
    return _stack(width, height, panes)


def _histogram(samples: Samples, width: int, height: int) -> Screen:
    """Luma filled, the colours as lines; the square root of the counts, so that small ones are seen."""
    filled = _bars(histogram(samples.luma, width), height)
    picture = _stack(width, height, [(0, np.asarray(filled * np.uint8(96), np.uint8), GREY_TRACE)])
    for place, colour in enumerate(COLOUR_TRACES):
        bars = _bars(histogram(samples.colours[place], width), height)
        edge = bars & ~np.vstack([np.zeros((1, width), np.bool_), bars[:-1]])
        picture[edge, :3] = colour
    return picture


def _bars(counts: Counts, height: int) -> npt.NDArray[np.bool_]:
    share = np.sqrt(counts / max(1, int(counts.max())))
    return np.asarray((height - np.arange(height))[:, None] <= np.ceil(share * (height - 2))[None, :])


def _stack(
    width: int, height: int, panes: list[tuple[int, npt.NDArray[np.uint8], tuple[int, int, int]]]
) -> Screen:  # fmt: skip
    """Traces in their colours, each at its left edge, on a plain ground."""
    picture = np.full((height, width, 4), GROUND, np.uint8)
    picture[..., 3] = OPAQUE
    for left, brightness, colour in panes:
        rows, columns = brightness.shape
        shades = (GROUND + np.arange(256)[:, None] / 255.0 * (np.array(colour) - GROUND)).astype(np.uint8)
        picture[:rows, left : left + columns, :3] = shades[brightness]
    return picture
