"""Masks: growing, feathering, lining up with the chroma grid."""

from __future__ import annotations

from collections.abc import Iterator

import cv2
import numpy as np
import numpy.typing as npt
from scipy.ndimage import find_objects

from grevin.core.picture.format import PictureFormat
from grevin.core.picture.frame import Mask


def grow(mask: Mask, pixels: int) -> Mask:
    """A mask enlarged by a disc of `pixels` radius."""
    if pixels <= 0:
        return mask
    disc = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * pixels + 1, 2 * pixels + 1))
    return np.asarray(cv2.dilate(mask.view(np.uint8), disc), np.bool_)


def above(values: npt.NDArray[np.uint8], level: float) -> Mask:
    """Where 8-bit values lie above a level of 0 or more; a fraction of the time of comparing each with a float."""
    return np.asarray(values > np.uint8(min(255, int(level))))


def values_in(picture: npt.NDArray[np.float32], mask: Mask) -> npt.NDArray[np.float32]:
    """(N, C) values of (H, W, C) in a mask; several times faster than indexing by the mask."""
    return picture.reshape(-1, picture.shape[2]).take(np.flatnonzero(mask), axis=0)


def align_to_chroma(mask: Mask, fmt: PictureFormat) -> Mask:
    """The mask grown to whole chroma blocks.

    A chroma sample belongs to a block of luma samples; only with whole blocks does "outside the mask" mean
    the same samples in every plane.
    """
    across, down = fmt.chroma_ratio
    if (across == 1 and down == 1) or not mask.any():
        return mask
    height, width = mask.shape
    padded = np.pad(mask, ((0, -height % down), (0, -width % across)))
    parts = [padded[row::down, column::across] for row in range(down) for column in range(across)]
    blocks = np.logical_or.reduce(parts)
    return np.asarray(blocks.repeat(down, axis=0).repeat(across, axis=1)[:height, :width])


def cover_chroma(mask: Mask, across: int, down: int) -> Mask:
    """The samples of a subsampled plane that belong to a mask of luma samples."""
    if across == 1 and down == 1:
        return mask
    height, width = mask.shape
    padded = np.pad(mask, ((0, -height % down), (0, -width % across))).view(np.uint8)
    size = (padded.shape[1] // across, padded.shape[0] // down)
    return np.asarray(cv2.resize(padded.astype(np.float32), size, interpolation=cv2.INTER_AREA) > 0)


def chroma_under(mask: Mask, fmt: PictureFormat) -> Mask:
    """The samples of a chroma plane that belong to a mask of luma samples.

    Lines of chroma between lines of luma belong to the lines of one field where frames are two fields (as ISO/IEC
    13818-2, 6.1.1.8, places them).
    """
    across, down = fmt.chroma_ratio
    if down == 1 or not fmt.has_fields:
        return cover_chroma(mask, across, down)
    under = np.zeros((-(-mask.shape[0] // down), -(-mask.shape[1] // across)), np.bool_)
    for parity in (0, 1):
        under[parity::2] = cover_chroma(mask[parity::2], across, down)
    return under


def feather_inside(mask: Mask, core: Mask) -> npt.NDArray[np.float32]:
    """Weights 0..1: 1 in `core`, falling to the edge of `mask`, 0 outside it."""
    if not mask.any():
        return np.zeros(mask.shape, np.float32)
    rim = mask & ~core
    weight = mask.astype(np.float32)
    if rim.any():
        blurred = cv2.GaussianBlur(core.astype(np.float32), (0, 0), 1.0)  # 1 px: hides the seam, common practice
        weight[rim] = np.clip(blurred[rim] * 2.0, 0.25, 1.0)
    return weight


def boxes_around(mask: Mask, margin: int) -> Iterator[tuple[Mask, slice, slice]]:
    """Each connected piece of a mask with its rows and columns, `margin` px wider, inside the picture.

    Yields:
        (the piece in its box, rows, columns).
    """
    _, labels = cv2.connectedComponents(mask.view(np.uint8), connectivity=8)
    height, width = mask.shape
    for piece, (down, across) in enumerate(find_objects(labels), start=1):
        rows = slice(max(0, down.start - margin), min(height, down.stop + margin))
        columns = slice(max(0, across.start - margin), min(width, across.stop + margin))
        yield labels[rows, columns] == piece, rows, columns


def runs_of(flags: npt.NDArray[np.bool_]) -> list[range]:
    """The runs of set flags."""
    edges = np.flatnonzero(np.diff(np.concatenate([[0], flags.astype(np.int8), [0]])))
    return [range(int(a), int(b)) for a, b in zip(edges[::2], edges[1::2], strict=True)]
