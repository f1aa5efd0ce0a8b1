"""What can be wanted of an output beyond the treatment of its pictures: versions and orders have it alike."""

from __future__ import annotations

import pydantic
from pydantic import BaseModel, ConfigDict

from grevin.core.media.codings import Chroma, Levels, Quality
from grevin.core.media.reshaping import LEAST_LINES, Colours, FirstField, Shape
from grevin.core.render.playing import Playing, Rate
from grevin.core.render.request import Sound
from grevin.core.treatment.plan import Plan

MOST_LINES = 8192  # of an enlarged picture: twice what the largest delivery asks for


class Wanted(BaseModel):
    """What is wanted of an output; as the treated pictures are where nothing is said.

    Attributes:
        sound, bits, dither, quality: as in `RunRequest`.
        square_pixels, most_lines, colours, chroma, levels, first_field: as in `media.reshaping.Shape`.
        plays_at: frames per second, as in `timebase.rates`; "" for those of the pictures.
        black_before_s, black_after_s: seconds of it.
        whole_frames: whether fields are made into whole frames, by the step that does so.
        enlarged_lines: to which pictures are enlarged behind their treatment; None for as they are.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")

    sound: Sound = "where it fits"
    bits: int | None = None
    dither: bool = False
    quality: Quality = "fine"
    square_pixels: bool = False
    most_lines: int | None = None
    colours: Colours = "own"
    chroma: Chroma = "usual"
    levels: Levels = "own"
    first_field: FirstField = "own"
    plays_at: Rate = ""
    black_before_s: float = 0.0
    black_after_s: float = 0.0
    whole_frames: bool = False
    enlarged_lines: int | None = pydantic.Field(None, ge=LEAST_LINES, le=MOST_LINES)

    @property
    def shape(self) -> Shape:
        """What becomes of shape, colours and samples."""
        return Shape(
            self.square_pixels, self.most_lines, self.colours, self.chroma, self.levels, self.first_field
        )  # fmt: skip

    @property
    def playing(self) -> Playing:
        """How it plays."""
        return Playing.of(self.plays_at, self.black_before_s, self.black_after_s)

    def planned(self, plan: Plan) -> Plan:
        """A plan with what is wanted besides."""
        plan = plan.in_whole_frames() if self.whole_frames else plan
        return plan if self.enlarged_lines is None else plan.enlarged(self.enlarged_lines)
