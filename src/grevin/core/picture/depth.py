"""Another depth: code values of one bit depth as those of another.

Y'CbCr of limited range and its chroma are shifted by the difference of bits (ITU-R BT.2020-2, table 5: the levels of 10
and 12 bit are those of 8 bit times 4 and 16); what uses the full range is stretched so that white stays white.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from grevin.core.errors import UsageError
from grevin.core.picture.format import PictureFormat
from grevin.core.picture.frame import Frame, Plane

DEPTHS = (8, 10, 12, 16)  # bits
WHOLE = 1e-3  # of a code value: so near to one nothing needs dither


def in_bits(fmt: PictureFormat, bits: int | None) -> PictureFormat:
    """The format in another depth; itself for None.

    Raises:
        UsageError: for a depth that is not written, or floating-point pictures.
    """
    if bits is None or bits == fmt.bit_depth:
        return fmt
    if bits not in DEPTHS or fmt.sample == "half":
        what = (
            "Pictures of floating-point samples keep their depth."
            if fmt.sample == "half"
            else f"{bits} bit cannot be written."
        )
        raise UsageError(what, f"Depths are {', '.join(map(str, DEPTHS))} bit.")
    return replace(fmt, bit_depth=bits)


def in_depth(frame: Frame, bits: int | None, dither: bool = False) -> Frame:
    """A frame as integer code values of a depth, rounded once; itself where it is that already.

    Args:
        frame: the picture.
        bits: of the samples; None for the frame's own depth.
        dither: whether samples that a step made between two code values are rounded with noise of triangular density,
            one code value either way (Lipshitz, Wannamaker and Vanderkooy 1992), so that soft gradients show no steps.
            Samples that are the material's own code values are converted alike with it and without, so that what was
            not touched can be proved. The same frame gets the same noise.
    """
    fmt = in_bits(frame.format, bits)
    if frame.is_native and fmt == frame.format:
        return frame
    if fmt.sample == "half":
        return frame.rounded()
    rng = np.random.default_rng(frame.number) if dither else None
    planes = tuple(_plane(frame, place, fmt, rng) for place in range(len(frame.planes)))
    return replace(frame, format=fmt, planes=planes)


def _plane(frame: Frame, place: int, fmt: PictureFormat, rng: np.random.Generator | None) -> Plane:
    old, plane = frame.format, frame.planes[place]
    chroma = old.model == "yuv" and place in {1, 2}
    full = old.full_range or (old.alpha and place == len(frame.planes) - 1)
    values = plane.astype(np.float64)
    between = np.abs(values - np.rint(values)) > WHOLE
    if fmt.bit_depth != old.bit_depth:
        scale = fmt.max_code / old.max_code if full else 2.0 ** (fmt.bit_depth - old.bit_depth)
        middle = 2.0 ** (old.bit_depth - 1) if full and chroma else 0.0
        values = (values - middle) * scale + (2.0 ** (fmt.bit_depth - 1) if full and chroma else 0.0)
    if rng is not None:
        noise = rng.uniform(-0.5, 0.5, values.shape) + rng.uniform(-0.5, 0.5, values.shape)
        values = np.where(between, values + noise, values)
    return np.clip(np.rint(values), 0, fmt.max_code).astype(fmt.dtype)
