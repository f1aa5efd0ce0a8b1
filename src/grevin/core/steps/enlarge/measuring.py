"""What a shot's pictures are like before they are enlarged: their noise, and what a codec left in them."""

from __future__ import annotations

import numpy as np

from grevin.core.measure.carried import carried
from grevin.core.measure.noise.model import unpacked
from grevin.core.measure.noise.over_shot import measured as noise_of
from grevin.core.measure.sampling import spread_over
from grevin.core.motion.flow import Flow
from grevin.core.picture.frame import Frame
from grevin.core.progress import Progress
from grevin.core.steps.compression.grids import grids_in, share_of
from grevin.core.steps.compression.grids import measured as grids_measured
from grevin.core.steps.enlarge.network import Known
from grevin.core.steps.seen import Arrays, Shotwise

LOOKED_AT = 5  # frames of a shot, for its detail
LOUDEST = 14.0  # 8-bit levels: louder noise the network was never shown


def measured(shot: Shotwise, progress: Progress) -> Arrays:
    """Noise (8-bit levels) and wear (0..1) of a shot, and the shares of its lines and columns that carry its detail."""

    def frame(number: int) -> Frame:
        return shot.window(number).frame()

    def flow(number: int) -> Flow:
        return shot.window(number).motion(1, "steady")

    model = unpacked(noise_of(shot.frames, frame, flow, shot.seen, progress)) if len(shot.frames) > 1 else None
    grids = grids_in(grids_measured(shot.frames, frame, progress))
    noise = min(model.typical, LOUDEST) if model is not None else 0.0
    shares = np.array([carried(frame(number).luma8()) for number in spread_over(shot.frames, LOOKED_AT)])
    known = shares[np.isfinite(shares).all(axis=1)]
    return {
        "noise": np.array(noise), "worn": np.array(share_of(grids[0]) if any(grids[0]) else 0.0),
        "carried": np.median(known, axis=0) if len(known) else np.ones(2),
        "lines": np.array(shot.window(shot.frames.start).format.height),
    }  # fmt: skip


def known_of(study: Arrays) -> Known:
    """What was measured, as the network is told it."""
    return Known(float(study["noise"]), 0.0, float(study["worn"]))
