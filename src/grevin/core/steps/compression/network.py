"""The network that tells what is residue of a codec: trained by `bench.train_compression`, run by onnxruntime.

Its weights, the photographs it was trained on and their licences are in `network.onnx` and `network.json` beside this
module. It is given a plane and how near each pixel lies to a border of blocks, and gives what is to be added.
"""

from __future__ import annotations

from functools import lru_cache
from pathlib import Path
from typing import Any

import numpy as np

from grevin.core.errors import GrevinError
from grevin.core.measure.blocks import Grid
from grevin.core.picture.levels import Plane
from grevin.core.steps.compression.grids import near_borders

WEIGHTS = Path(__file__).with_name("network.onnx")
EDGE_PX = 16  # by which pictures are continued at their edges, mirrored: as far as the network sees
FULL = np.float32(255.0)


@lru_cache(maxsize=1)
def _session() -> Any:
    """One for the process; frames are worked on side by side, so each run has one thread (decision 004)."""
    try:
        import onnxruntime  # half a second to load: only where the step is used
    except ImportError as fault:
        raise GrevinError(
            "The compression clean-up needs the library onnxruntime, which cannot be loaded.",
            "Install Grevin anew, or take the step off the path.",
        ) from fault
    options = onnxruntime.SessionOptions()
    options.intra_op_num_threads = 1
    options.inter_op_num_threads = 1
    options.log_severity_level = 3
    try:
        return onnxruntime.InferenceSession(str(WEIGHTS), options, providers=["CPUExecutionProvider"])
    except Exception as fault:
        raise GrevinError(
            f"The weights of the compression clean-up cannot be read: {WEIGHTS.name}.",
            "Install Grevin anew, or take the step off the path.",
        ) from fault


def cleaned(plane: Plane, across: Grid, down: Grid) -> Plane:
    """A plane without the residue.

    Args:
        plane: (H, W) float32, 8-bit levels.
        across: the grid of its blocks along a line; an empty one where none is known.
        down: that along a column.
    """
    height, width = plane.shape
    more = EDGE_PX + height % 2, EDGE_PX + width % 2
    ends = ((EDGE_PX, more[0]), (EDGE_PX, more[1]))
    given = np.empty((1, 3, height + sum(ends[0]), width + sum(ends[1])), np.float32)
    given[0, 0] = np.pad(plane, ends, mode="symmetric") / FULL
    given[0, 1] = np.pad(near_borders(across, width), ends[1], mode="symmetric")[None, :]
    given[0, 2] = np.pad(near_borders(down, height), ends[0], mode="symmetric")[:, None]
    added = _session().run(None, {"given": given})[0][0, 0]
    return np.asarray(plane + FULL * added[EDGE_PX : EDGE_PX + height, EDGE_PX : EDGE_PX + width], np.float32)
