"""What the operator says of a reel. The operator's word overrules what the material says of itself."""

from __future__ import annotations

from fractions import Fraction
from typing import Literal

from pydantic import BaseModel, ConfigDict, Field, field_validator

from grevin.core.errors import UsageError
from grevin.core.picture.format import FieldOrder
from grevin.core.timebase.gauges import FRAMES_PER_FOOT
from grevin.core.timebase.rates import parse_rate

WIDEST_PIXEL = 4  # a pixel more than four times as wide as high (or the other way) is a slip of the hand


def parse_pixel_aspect(text: str) -> Fraction:
    """A pixel's width over its height from "59:54", "16/15" or "1.067".

    Raises:
        UsageError: if it is no such ratio.
    """
    try:
        aspect = Fraction(text.strip().replace(":", "/")).limit_denominator(10_000)
    except (ValueError, ZeroDivisionError):
        aspect = Fraction(0)
    if not Fraction(1, WIDEST_PIXEL) <= aspect <= WIDEST_PIXEL:
        raise UsageError(f"“{text}” is not a pixel aspect.", "Give width over height of a pixel, such as 59:54 or 1:1.")
    return aspect


class Declared(BaseModel):
    """The operator's word on one reel; None where what was found holds.

    Attributes:
        rate: frames per second at which the frames are shown, as text ("24000/1001").
        running_speed: frames per second at which the film itself was meant to run, as text.
        pixel_aspect: width of a pixel over its height, as text ("59:54").
        field_order: progressive, top_first or bottom_first.
        full_range: whether code values use their whole range.
        matrix: luma coefficients.
        timecode: timecode of the reel's frame 0.
        gauge: a key of `timebase.gauges.FRAMES_PER_FOOT`.
        turn: degrees clockwise by which the picture is set upright.
        flip_sideways, flip_upright: mirrored left to right, top to bottom (after turning).
        head, tail: frames at the start and the end that do not belong to the picture.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")

    rate: str | None = None
    running_speed: str | None = None
    pixel_aspect: str | None = None
    field_order: FieldOrder | None = None
    full_range: bool | None = None
    matrix: Literal["bt601", "bt709", "bt2020"] | None = None
    timecode: str | None = None
    gauge: str | None = None
    turn: Literal[0, 90, 180, 270] = 0
    flip_sideways: bool = False
    flip_upright: bool = False
    head: int = Field(default=0, ge=0)
    tail: int = Field(default=0, ge=0)

    @field_validator("rate", "running_speed")
    @classmethod
    def _check_rate(cls, value: str | None) -> str | None:
        return value if value is None else _checked(value, parse_rate)

    @field_validator("pixel_aspect")
    @classmethod
    def _check_aspect(cls, value: str | None) -> str | None:
        return value if value is None else _checked(value, parse_pixel_aspect)

    @field_validator("gauge")
    @classmethod
    def _check_gauge(cls, value: str | None) -> str | None:
        if value is not None and value not in FRAMES_PER_FOOT:
            raise ValueError(f"“{value}” is not one of the gauges {', '.join(FRAMES_PER_FOOT)}.")
        return value

    def rate_number(self) -> Fraction | None:
        """The declared rate as a number."""
        return None if self.rate is None else parse_rate(self.rate)

    def kept(self, length: int) -> range:
        """The frames between the trims, at least one."""
        first = min(self.head, max(0, length - 1))
        return range(first, max(first + 1, length - self.tail))


def _checked(value: str, parse: object) -> str:
    try:
        parse(value)  # type: ignore[operator]
    except UsageError as fault:
        raise ValueError(f"{fault.what} {fault.hint}") from fault
    return value


def declare(declared: Declared, **changes: object) -> Declared:
    """The declaration with other values.

    Raises:
        UsageError: if one cannot be; the sentence says why.
    """
    try:
        return Declared.model_validate({**declared.model_dump(), **changes})
    except ValueError as fault:
        errors = getattr(fault, "errors", None)
        first = errors()[0]["msg"].removeprefix("Value error, ") if errors else str(fault)
        raise UsageError(f"That cannot be declared: {first}", "Correct the value or leave it empty.") from fault
