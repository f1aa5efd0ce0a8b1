"""The networks that tell what a plain enlargement lacks: trained by `bench.train_enlarge`, run by onnxruntime.

Their weights, the photographs they were trained on and their licences are in `network.onnx` and `network.json`, and
`quick.onnx` and `quick.json`, beside this module. A network is given luma and what is known of it, and gives what is to
be added at twice the size. The picture is worked on in tiles that overlap by as far as the networks see, so that their
seams are exact and memory is bounded.
"""

from __future__ import annotations

from dataclasses import dataclass
from enum import Enum
from pathlib import Path

import numpy as np

from grevin.core.picture.levels import Plane
from grevin.core.steps.running import session_of

FOLDER = Path(__file__).parent
WHAT = "learned enlarging"
WAY_OUT = "Install Grevin anew, or choose a plain way."
SIGHT_PX = 8  # as far as the larger network sees: 2 px in its first layer, 1 in each of the others
TILE_PX = 256  # of a side, without what tiles overlap
FULL = np.float32(255.0)
NOISE_UNIT = 10.0  # 8-bit levels that are told as 1, as it was trained


class Network(Enum):
    """The networks, by the names of their files: the full one, and one that is a fifth of its work."""

    FULL = "network"
    QUICK = "quick"

    @property
    def weights(self) -> Path:
        """File of the weights."""
        return FOLDER / f"{self.value}.onnx"


@dataclass(frozen=True)
class Known:
    """What is known of a picture.

    Attributes:
        noise: standard deviation, 8-bit levels.
        blur: standard deviation, px.
        worn: 0..1, how much of a codec's residue there is.
    """

    noise: float = 0.0
    blur: float = 0.0
    worn: float = 0.0


def added(luma: Plane, known: Known, network: Network = Network.FULL) -> Plane:
    """(2 H, 2 W) float32 8-bit levels, what is to be added to luma at twice its size.

    Args:
        luma: (H, W) float32, 8-bit levels.
        known: of it.
        network: the one that is asked.

    Raises:
        GrevinError: if the library or the weights are not to be had.
    """
    session = session_of(network.weights, WHAT, WAY_OUT)
    told = np.array([[known.noise / NOISE_UNIT, known.blur, known.worn]], np.float32)
    height, width = luma.shape
    padded = np.pad(luma / FULL, SIGHT_PX, mode="symmetric" if min(luma.shape) >= SIGHT_PX else "edge")
    made = np.empty((2 * height, 2 * width), np.float32)
    inner = 2 * SIGHT_PX
    for y in range(0, height, TILE_PX):
        for x in range(0, width, TILE_PX):
            bottom, right = min(y + TILE_PX, height), min(x + TILE_PX, width)
            tile = padded[y : bottom + inner, x : right + inner]
            found = session.run(None, {"given": np.ascontiguousarray(tile)[None, None], "known": told})[0][0, 0]
            made[2 * y : 2 * bottom, 2 * x : 2 * right] = found[inner:-inner, inner:-inner]
    made *= FULL
    return made
