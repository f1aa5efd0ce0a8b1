"""Where one looks."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Place:
    """Where one looks.

    Attributes:
        frame: of the reel.
        view_point: place on the treatment path.
        output: frame at the view point, where time was changed and one went through its output; None for the one
            that shows the reel's frame.
    """

    frame: int
    view_point: int
    output: int | None = None
