"""Evidence as pictures: `DIR/01-dirt/000000.png`, 8 bit, 255 where that step may act."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from grevin.core.errors import MediaError, OutputError
from grevin.core.media.still_image import read_image, write_image
from grevin.core.media.writing import translated
from grevin.core.picture.frame import Mask
from grevin.core.treatment.chain import Chain

ACTS = 255


class EvidenceWriter:
    """Writes the evidence of every local step of a chain."""

    def __init__(self, folder: Path, chain: Chain) -> None:
        self._folders = []
        if folder.exists() and not folder.is_dir():
            raise OutputError(f"{folder} is not a folder.", "Give a folder for the evidence.")
        with translated(folder):
            for place, source in enumerate(chain.steps, 1):
                target = folder / f"{place:02}-{source.step.id}"
                target.mkdir(parents=True, exist_ok=True)
                for old in target.glob("[0-9]*.png"):  # evidence of another run would falsify a proof
                    old.unlink()
                self._folders.append((target, source))

    def write(self, number: int) -> None:
        """Write the evidence of one frame of the reel."""
        for target, source in self._folders:
            evidence = source.evidence(number)
            if evidence is not None:
                path = target / f"{number:06}.png"
                with translated(path):
                    write_image(path, evidence.mask.astype(np.uint8) * np.uint8(ACTS))


def read_evidence(folder: Path, number: int, shape: tuple[int, int]) -> Mask:
    """Everything that any step may have changed on a frame: the union over `folder`'s steps.

    Raises:
        MediaError: if a picture is of another size.
    """
    union = np.zeros(shape, np.bool_)
    for path in sorted(folder.glob(f"*/{number:06}.png")):
        mask = read_image(path)[0][0]
        if mask.shape != shape:
            raise MediaError(f"The evidence {path} has another size than the reel.", "Give the evidence of this reel.")
        union |= mask > 0
    return union
