"""How many bytes of pictures are worth keeping while a plan is carried out."""

from __future__ import annotations

import os

from grevin.core.parallel import usual_workers
from grevin.core.picture.format import PictureFormat
from grevin.core.steps.registry import step_by_id
from grevin.core.treatment.plan import Plan

LEAST_BYTES = 256 << 20
MOST_BYTES = 768 << 20  # a two-hour reel has to fit into 1.5 GB with all that is not kept here
SHARE_OF_MEMORY = 1 / 6
BYTES_A_PIXEL = 40  # of a frame within reach: planes, luma, R'G'B' in float, two fields of motion
DEEPEST = 8  # frames on either side: those of a longer reach are not all asked for at once


def cache_bytes(plan: Plan, fmt: PictureFormat, least: int = LEAST_BYTES) -> int:
    """Bytes for the pictures within reach of those that are in work, bounded by a share of the machine's memory.

    Args:
        plan: the treatments.
        fmt: of the reel.
        least: bytes that are wanted in any case.
    """
    rows = [row for treatment in plan.treatments() for row in treatment.steps if row.enabled]
    reaches = [step_by_id(row.step).reach(row.model()) for row in rows]
    frames = sum(2 * min(reach, DEEPEST) + usual_workers() for reach in reaches)
    memory = os.sysconf("SC_PAGE_SIZE") * os.sysconf("SC_PHYS_PAGES")
    most = max(least, min(MOST_BYTES, int(memory * SHARE_OF_MEMORY)))
    return min(most, max(least, frames * fmt.width * fmt.height * BYTES_A_PIXEL))
