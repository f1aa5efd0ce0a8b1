"""Curves as drawings for a report: peaks stay visible however long the reel is."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
import numpy.typing as npt

Curve = npt.NDArray[np.float32]

WIDTH, HEIGHT = 912, 84
LEFT = 44  # room for the scale
BOTTOM = 14


def curve_svg(
    curve: Curve, frames: range, cuts: list[int], scale: tuple[float, float], later: Curve | None = None
) -> str:  # fmt: skip
    """A curve over the frames as inline SVG; a line upright at each cut.

    Args:
        curve: a value for each frame, NaN where there is none.
        frames: their numbers.
        cuts: first frames of shots.
        scale: lowest and highest value of the drawing; widened where the curve leaves it.
        later: the same after treatment, drawn over it.

    Each column spans the lowest and highest of its values, so that a single bad frame in two hours still shows.
    """
    every = [one for one in (curve, later) if one is not None and not np.isnan(one).all()]
    low, high = (min(scale[0], *(float(np.nanmin(one)) for one in every)),
                 max(scale[1], *(float(np.nanmax(one)) for one in every)))  # fmt: skip
    plot = HEIGHT - BOTTOM - 4
    marks = "".join(
        f"<path d='M{LEFT + (WIDTH - LEFT) * (cut - frames.start) / max(1, len(frames)):.1f} 2v{plot}' stroke='#999' "
        "stroke-dasharray='2 3'/>"
        for cut in cuts
    )
    lines = _line(curve, (low, high), "#2b5d55" if later is None else "#1d1d1d")
    lines += "" if later is None else _line(later, (low, high), "#4aa08f")
    words = f"<text x='{LEFT - 6}' y='12' text-anchor='end'>{high:.3g}</text>"
    words += f"<text x='{LEFT - 6}' y='{plot + 2}' text-anchor='end'>{low:.3g}</text>"
    words += f"<text x='{LEFT}' y='{HEIGHT - 2}'>{frames.start}</text>"
    words += f"<text x='{WIDTH}' y='{HEIGHT - 2}' text-anchor='end'>{frames[-1] if len(frames) else 0}</text>"
    return (
        f"<svg viewBox='0 0 {WIDTH} {HEIGHT}' font-size='11' fill='#666'><rect x='{LEFT}' y='2' width='{WIDTH - LEFT}' "
        f"height='{plot}' fill='#f5f5f5'/>{marks}{lines}{words}</svg>"
    )


def _line(curve: Curve, scale: tuple[float, float], colour: str) -> str:
    """The path of one curve."""
    low, high = scale
    span = (high - low) or 1.0
    plot = HEIGHT - BOTTOM - 4

    def y(value: float) -> float:
        return 2 + plot * (1 - (value - low) / span)

    columns = min(WIDTH - LEFT, len(curve))
    edges = np.linspace(0, len(curve), columns + 1).astype(int)
    path: list[str] = []
    pen = "M"
    for column, (start, stop) in enumerate(pairwise(edges)):
        part = curve[start:stop]
        if np.isnan(part).all():
            pen = "M"
            continue
        x = LEFT + (WIDTH - LEFT) * (column + 0.5) / columns
        known = part[~np.isnan(part)]
        first, top, bottom, last = (y(float(v)) for v in (known[0], known.max(), known.min(), known[-1]))
        path.append(f"{pen}{x:.1f} {first:.1f}" + (f"V{top:.1f}V{bottom:.1f}V{last:.1f}" if len(known) > 1 else ""))
        pen = "L"
    return f"<path d='{''.join(path)}' stroke='{colour}' stroke-width='1.2' fill='none'/>"
