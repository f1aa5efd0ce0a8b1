"""What can be wanted of an output on the command line: the options of `apply` and `render` alike."""

from __future__ import annotations

from typing import Annotated, Any

import pydantic
import typer

from grevin.core.errors import UsageError
from grevin.core.media.reshaping import LEAST_LINES
from grevin.core.render.request import Sound
from grevin.core.render.wanted import MOST_LINES, Wanted
from grevin.core.timebase.rates import parse_rate

SOUND: dict[str, Sound] = {
    "fits": "where it fits", "always": "always", "padded": "padded", "re-timed": "re-timed", "never": "never",
}  # fmt: skip
SoundOption = Annotated[
    str,
    typer.Option(
        help="Sound: fits (carried over where it is as long as the picture), always, never, padded (silence or a "
        "cut at its end), re-timed (faster or slower, its pitch with it)."
    ),
]
BitsOption = Annotated[
    int | None,
    typer.Option(
        help="Depth of the output: 8, 10, 12 or 16 bit, of a coding with loss one that it carries; that of the "
        "material without it."
    ),
]
DitherOption = Annotated[
    bool, typer.Option("--dither", help="Round what a step changed with fine noise, so that gradients show no steps.")
]
QualityOption = Annotated[str, typer.Option(help="Of H.264, H.265 and AV1: finest, fine or small.")]
SquareOption = Annotated[
    bool, typer.Option("--square-pixels", help="Of a coding with loss: another width, and every pixel is square.")
]
LinesOption = Annotated[
    int | None, typer.Option("--most-lines", help="Of a coding with loss: larger pictures become as small.")
]
ColoursOption = Annotated[
    str, typer.Option("--colours", help="Of a coding with loss: own (the material's), or bt709, as HD has them.")
]
ChromaOption = Annotated[
    str, typer.Option("--chroma", help="Of H.264 and H.265: usual (4:2:0), 4:2:0, 4:2:2 or 4:4:4.")
]
LevelsOption = Annotated[
    str,
    typer.Option(
        "--levels",
        help="Of a coding with loss: own (the material's where it carries them), limited (16 to 235) or full.",
    ),
]
FirstFieldOption = Annotated[
    str,
    typer.Option(
        "--first-field",
        help="Of a coding with loss: own (the material's), top or bottom, by a picture a line higher or lower.",
    ),
]
PlaysOption = Annotated[
    str,
    typer.Option(
        "--plays-at",
        help="Of a coding with loss: frames per second at which the pictures are shown, none left out or added.",
    ),
]
BeforeOption = Annotated[
    float, typer.Option("--black-before", min=0, help="Of a coding with loss: seconds of black before the pictures.")
]
AfterOption = Annotated[
    float, typer.Option("--black-after", min=0, help="Of a coding with loss: seconds of black after the pictures.")
]
WholeFramesOption = Annotated[
    bool,
    typer.Option(
        "--whole-frames", help="Make whole frames of fields, by the step “fields” where the treatment has none."
    ),
]
EnlargeOption = Annotated[
    int | None,
    typer.Option(
        "--enlarge-to",
        min=LEAST_LINES,
        max=MOST_LINES,
        help="Enlarge the treated pictures to so many lines, such as 1080, their pixels square.",
    ),
]


def wanted(sound: str, plays_at: str, **others: Any) -> Wanted:
    """What the options say.

    Args:
        sound: a key of `SOUND`.
        plays_at: a rate; "" for none.
        others: as in `Wanted`.

    Raises:
        UsageError: for a word that says nothing, with those that do.
    """
    if sound not in SOUND:
        raise UsageError(f"“{sound}” is nothing that can be done with the sound.", f"Give {', '.join(SOUND)}.")
    if others["whole_frames"] and others["first_field"] != "own":
        raise UsageError("Whole frames have no fields of which one could be the first.", "Leave --first-field out.")
    rate = str(parse_rate(plays_at)) if plays_at else ""
    try:
        return Wanted.model_validate({"sound": SOUND[sound], "plays_at": rate, **others})
    except pydantic.ValidationError as fault:
        first = fault.errors()[0]
        option = str(first["loc"][0]).replace("_", "-")
        expected = first.get("ctx", {}).get("expected", "")
        raise UsageError(
            f"“{first['input']}” is nothing that --{option} understands.", f"Give {expected.replace(chr(39), '')}."
        ) from fault
