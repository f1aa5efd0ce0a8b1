"""Plain ways of taking noise, for comparison: non-local means, told how much noise there is."""

from __future__ import annotations

from fractions import Fraction

import av
import cv2
import numpy as np

from grevin.core.picture.colour import to_rgb
from grevin.core.picture.frame import Frame
from grevin.core.picture.levels import levels_of

STRENGTHS = 0.7, 1.0  # times the noise, of which the better one counts
FILTER_STRENGTHS = 0.5, 0.8  # the same for the filter of the FFmpeg libraries, whose unit is another one
AROUND = 5  # frames
RED, GREEN, BLUE = 0.299, 0.587, 0.114  # BT.601-7, 2.5.1


def non_local_means(frames: list[Frame], number: int, sigma: float) -> dict[str, list[np.ndarray]]:
    """(H, W) float32 8-bit luma of a frame without noise, by each way at each strength."""
    eight = [_eight(frame) for frame in frames]
    plain = [cv2.fastNlMeansDenoisingMulti(eight, number, AROUND, h=times * sigma) for times in STRENGTHS]
    near = range(number - AROUND // 2, number + AROUND // 2 + 1)
    colours = [np.clip(np.rint(to_rgb(frames[n]) * 255), 0, 255).astype(np.uint8) for n in near]
    coloured = [
        cv2.fastNlMeansDenoisingColoredMulti(colours, AROUND // 2, AROUND, h=times * sigma, hColor=times * sigma)
        for times in STRENGTHS
    ]
    filtered = [_filtered(eight[number], times * sigma) for times in FILTER_STRENGTHS]
    return {
        "means": [np.asarray(one, np.float32) for one in plain],
        "coloured_means": [_luma(one, frames[number]) for one in coloured],
        "filter": filtered,
    }


def _eight(frame: Frame) -> np.ndarray:
    return np.clip(np.rint(levels_of(frame)[0]), 0, 255).astype(np.uint8)


def _luma(rgb: np.ndarray, like: Frame) -> np.ndarray:
    """Back to luma as it is stored: by the one line through what it was before."""
    grey = rgb.astype(np.float32) @ np.array([RED, GREEN, BLUE], np.float32)
    own = to_rgb(like) @ np.array([RED, GREEN, BLUE], np.float32) * 255
    stored = levels_of(like)[0]
    slope = float(((own - own.mean()) * (stored - stored.mean())).sum() / np.square(own - own.mean()).sum())
    return np.asarray(slope * (grey - own.mean()) + stored.mean(), np.float32)


def _filtered(luma: np.ndarray, strength: float) -> np.ndarray:
    height, width = luma.shape
    graph = av.filter.Graph()
    source = graph.add_buffer(width=width, height=height, format=av.VideoFormat("gray"), time_base=Fraction(1, 25))
    filter_, sink = graph.add("nlmeans", f"s={strength:.2f}"), graph.add("buffersink")
    source.link_to(filter_)
    filter_.link_to(sink)
    graph.configure()
    graph.push(av.VideoFrame.from_ndarray(luma, "gray"))
    return np.asarray(graph.pull().to_ndarray(), np.float32)
