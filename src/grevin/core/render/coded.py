"""What is shown about a video that is coded with loss: every frame in its place, some of them measured whole.

A coding with loss gives other code values back, so checksums of what was written say nothing. Of every frame a tiny
picture is remembered, which a frame of another place, other levels or torn data would not have; of some, evenly
spread, the whole luma.
"""

from __future__ import annotations

import tempfile
import weakref

import cv2
import numpy as np
import numpy.typing as npt

from grevin.core.errors import ProofError
from grevin.core.picture.frame import Frame
from grevin.core.quality.figures import psnr

TINY_PX = (16, 12)  # width, height
MOST_APART = 6.0  # 8-bit levels, mean of a tiny picture: a coding moves it by less than one, another picture by more
MEASURED = 48  # frames of an output that are measured whole

Luma = npt.NDArray[np.uint8]


class Coded:
    """Remembers what was handed to a coding, and compares what comes back."""

    def __init__(self, numbers: range, black: tuple[int, int]) -> None:
        """Prepare.

        Args:
            numbers: of the frames.
            black: frames of black before them and after, which are not measured.
        """
        self._tiny: list[Luma] = []
        self._numbers, self._before = numbers, black[0]
        places, every = range(black[0], black[0] + len(numbers)), max(1, -(-len(numbers) // MEASURED))
        self._whole = {place: n for n, place in enumerate(dict.fromkeys([*places[::every], places[-1]]))}
        self._file = tempfile.TemporaryFile()  # noqa: SIM115 - closed with the object
        weakref.finalize(self, self._file.close)
        self._found: dict[int, float] = {}

    def remember(self, frame: Frame) -> None:
        """The next frame, as it is handed to the coding."""
        luma = frame.luma8()
        if len(self._tiny) in self._whole:
            self._file.write(luma.tobytes())
        self._tiny.append(_tiny(luma))

    def compare(self, place: int, frame: Frame) -> None:
        """A frame that was read back.

        Raises:
            ProofError: if it is not the picture that was written there.
        """
        luma = frame.luma8()
        apart = float(np.abs(_tiny(luma).astype(np.float32) - self._tiny[place]).mean())
        if apart > MOST_APART:
            raise ProofError(
                f"{self._name(place)} does not read back as the picture that was written ({apart:.0f} levels apart).",
                "Nothing was named; try another quality or coding.",
            )
        if place in self._whole:
            self._file.seek(self._whole[place] * luma.size)
            right = np.frombuffer(self._file.read(luma.size), np.uint8).reshape(luma.shape)
            self._found[self._numbers[place - self._before]] = psnr(
                float(np.square(right.astype(np.float32) - luma).sum()), luma.size
            )

    def _name(self, place: int) -> str:
        """What the frame at a place is called."""
        number = place - self._before
        return f"Frame {self._numbers[number]}" if 0 <= number < len(self._numbers) else f"The black at place {place}"

    @property
    def decibels(self) -> tuple[float, float, int]:
        """Mean and least peak signal-to-noise ratio of luma, and the frame of the least."""
        worst = min(self._found, key=lambda number: self._found[number])
        return float(np.mean(list(self._found.values()))), self._found[worst], worst


def _tiny(luma: Luma) -> Luma:
    return np.asarray(cv2.resize(luma, TINY_PX, interpolation=cv2.INTER_AREA), np.uint8)
