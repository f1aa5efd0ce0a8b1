"""The networks that tell what is residue of a codec: trained by `bench.train_compression`, run by onnxruntime.

Their weights, the photographs they were trained on and their licences are in `network.onnx` and `network.json`, and
`quick.onnx` and `quick.json`, beside this module. A network is given a plane and how near each pixel lies to a border
of blocks, and gives what is to be added.
"""

from __future__ import annotations

from pathlib import Path

import numpy as np

from grevin.core.measure.blocks import Grid
from grevin.core.picture.levels import Plane
from grevin.core.steps.compression.grids import near_borders
from grevin.core.steps.running import session_of

FOLDER = Path(__file__).parent
WHAT = "the compression clean-up"
WAY_OUT = "Install Grevin anew, or take the step off the path."
EDGE_PX = 16  # by which pictures are continued at their edges, mirrored: as far as the networks see
FULL = np.float32(255.0)


def weights_of(quick: bool) -> Path:
    """File of the weights of a network: the full one, or one of a sixth of its work."""
    return FOLDER / ("quick.onnx" if quick else "network.onnx")


def cleaned(plane: Plane, across: Grid, down: Grid, quick: bool = False) -> Plane:
    """A plane without the residue.

    Args:
        plane: (H, W) float32, 8-bit levels.
        across: the grid of its blocks along a line; an empty one where none is known.
        down: that along a column.
        quick: by the network that is.
    """
    height, width = plane.shape
    more = EDGE_PX + height % 2, EDGE_PX + width % 2
    ends = ((EDGE_PX, more[0]), (EDGE_PX, more[1]))
    given = np.empty((1, 3, height + sum(ends[0]), width + sum(ends[1])), np.float32)
    given[0, 0] = np.pad(plane, ends, mode="symmetric") / FULL
    given[0, 1] = np.pad(near_borders(across, width), ends[1], mode="symmetric")[None, :]
    given[0, 2] = np.pad(near_borders(down, height), ends[0], mode="symmetric")[:, None]
    added = session_of(weights_of(quick), WHAT, WAY_OUT).run(None, {"given": given})[0][0, 0]
    return np.asarray(plane + FULL * added[EDGE_PX : EDGE_PX + height, EDGE_PX : EDGE_PX + width], np.float32)
