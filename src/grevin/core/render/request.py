"""What one run is asked to make."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Literal

from grevin.core.errors import UsageError
from grevin.core.media.codings import Coding, Quality, coding_for
from grevin.core.media.image_sequence import is_pattern
from grevin.core.media.reshaping import Shape
from grevin.core.media.sound_file import SOUND_SUFFIXES
from grevin.core.picture.depth import in_bits
from grevin.core.picture.format import PictureFormat
from grevin.core.render.playing import Playing
from grevin.core.treatment.verdicts import Verdicts

Sound = Literal["where it fits", "always", "padded", "re-timed", "never"]


@dataclass(frozen=True)
class RunRequest:
    """What is to be made.

    Attributes:
        output: file or sequence pattern.
        frames: frames of the reel.
        evidence: folder for evidence pictures, or None.
        ledger: file for the ledger, or None.
        overwrite: whether an output of that name may be replaced.
        verdicts: what a person said on single places.
        sound: carried over where it fits the picture, always, or never; or made as long as the picture, by silence or
            a cut at its end, or by another speed.
        bits: depth of the output's samples; None for the material's own.
        dither: whether what is rounded is dithered (`picture.depth`).
        coding: of a video (`media.codings`); "" by the ending of its name. One with loss has its own depths.
        quality: of a coding with loss.
        chapters: parts of a video: their first frames in the reel and titles.
        shape: of a coding with loss: square pixels, fewer lines, other colours, chroma, levels, order of fields.
        playing: of a coding with loss: another rate, black before and after.
    """

    output: Path
    frames: range
    evidence: Path | None = None
    ledger: Path | None = None
    overwrite: bool = False
    verdicts: Verdicts = field(default_factory=Verdicts)
    sound: Sound = "where it fits"
    bits: int | None = None
    dither: bool = False
    coding: str = ""
    quality: Quality = "fine"
    chapters: tuple[tuple[int, str], ...] = ()
    shape: Shape = field(default_factory=Shape)
    playing: Playing = field(default_factory=Playing)

    @property
    def sound_alone(self) -> bool:
        """Whether the output is a file of sound."""
        return self.output.suffix.lower() in SOUND_SUFFIXES

    @property
    def video(self) -> Coding | None:
        """How a video is coded; None for a picture sequence, or sound alone.

        Raises:
            UsageError: for a coding that does not exist or another ending.
        """
        return None if is_pattern(self.output) or self.sound_alone else coding_for(self.output, self.coding)

    def for_material(self, fmt: PictureFormat) -> RunRequest:
        """The same in the depth that is written of pictures of a format.

        Raises:
            GrevinError: for a coding, depth or ending that cannot be.
        """
        coding = self.video
        if self.shape != Shape() and (coding is None or coding.lossless):
            raise UsageError(
                f"{self.output.name} keeps shape, colours and fields of the pictures: it is written without loss.",
                "Choose a coding with loss, or another shape by the step “reframe”.",
            )
        if self.playing != Playing() and (coding is None or coding.lossless):
            raise UsageError(
                f"{self.output.name} plays as the material does, frame for frame: it is written without loss.",
                "Choose a coding with loss, or say at intake that the material runs at another rate.",
            )
        bits = self.bits if coding is None else coding.bits_for(fmt, self.bits)
        in_bits(fmt, bits)
        return replace(self, bits=bits)
