"""`grevin apply`: a recipe over material, into an output."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated, get_args

import typer

from grevin.cli import console
from grevin.cli.hands import SchedulerOption, SharedOption, WorkersOption, hands
from grevin.cli.over_folder import is_folder_work, over_folder
from grevin.core.errors import UsageError
from grevin.core.intake.declared import Declared
from grevin.core.job.document import Reel
from grevin.core.job.orders import MOST_FRAMES, MOST_LINES, Order
from grevin.core.media.codings import CODINGS, QUALITIES
from grevin.core.media.reshaping import LEAST_LINES, Colours
from grevin.core.media.sound_file import SOUND_SUFFIXES
from grevin.core.progress import Progress
from grevin.core.render.ledger import verdicts_from_ledger
from grevin.core.render.proof import Proof
from grevin.core.render.request import Sound
from grevin.core.timebase.rates import parse_range, parse_rate
from grevin.core.treatment.recipe import read_recipe

SOUND: dict[str, Sound] = {
    "fits": "where it fits", "always": "always", "padded": "padded", "re-timed": "re-timed", "never": "never",
}  # fmt: skip
SquareOption = Annotated[
    bool, typer.Option("--square-pixels", help="Of a coding with loss: another width, and every pixel is square.")
]
LinesOption = Annotated[
    int | None, typer.Option("--most-lines", help="Of a coding with loss: larger pictures become as small.")
]
ColoursOption = Annotated[
    str, typer.Option("--colours", help="Of a coding with loss: own (the material's), or bt709, as HD has them.")
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
EnlargeOption = Annotated[
    int | None,
    typer.Option(
        "--enlarge-to",
        min=LEAST_LINES,
        max=MOST_LINES,
        help="Enlarge the treated pictures to so many lines, such as 1080, their pixels square.",
    ),
]


def rate_named(text: str) -> str:
    """What --plays-at says.

    Raises:
        UsageError: if it is no rate.
    """
    return str(parse_rate(text)) if text else ""


def colours_named(name: str) -> Colours:
    """What --colours says.

    Raises:
        UsageError: if there is no such thing.
    """
    for known in get_args(Colours):
        if name == known:
            return known  # type: ignore[no-any-return]
    raise UsageError(f"“{name}” are no colours that can be written.", f"Give {', '.join(get_args(Colours))}.")


def apply(
    recipe: Annotated[Path, typer.Argument(help="Recipe file (JSON).")],
    source: Annotated[Path, typer.Argument(metavar="INPUT", help="Video file, folder or pattern (name.%06d.png).")],
    output: Annotated[
        Path,
        typer.Argument(help="NAME.mkv (lossless), .mov, .mp4 or a pattern (name.%06d.dpx, .tif, .exr, .png)."),
    ],
    evidence: Annotated[
        Path | None, typer.Option(help="Folder for evidence pictures, 255 where a step may act.")
    ] = None,
    ledger: Annotated[Path | None, typer.Option(help="File for the ledger, .csv or .json.")] = None,
    verdicts: Annotated[
        Path | None, typer.Option(help="A ledger looked through by a person: its verdicts go before the steps' own.")
    ] = None,
    frames: Annotated[str | None, typer.Option("--range", help="Frames A:B, from A up to but not including B.")] = None,
    rate: Annotated[
        str | None, typer.Option(help="Frames per second, where the material says none or another.")
    ] = None,
    sound: Annotated[
        str,
        typer.Option(
            help="Sound: fits (carried over where it is as long as the picture), always, never, padded (silence or a "
            "cut at its end), re-timed (faster or slower, its pitch with it)."
        ),
    ] = "fits",
    bits: Annotated[
        int | None, typer.Option(help="Depth of the output: 8, 10, 12 or 16 bit; that of the material without it.")
    ] = None,
    dither: Annotated[
        bool,
        typer.Option("--dither", help="Round what a step changed with fine noise, so that gradients show no steps."),
    ] = False,
    coding: Annotated[
        str, typer.Option(help=f"Coding of a video: {', '.join(CODINGS)}; without it by the ending.")
    ] = "",
    quality: Annotated[str, typer.Option(help="Of H.264, H.265 and AV1: finest, fine or small.")] = "fine",
    square_pixels: SquareOption = False,
    most_lines: LinesOption = None,
    colours: ColoursOption = "own",
    plays_at: PlaysOption = "",
    black_before: BeforeOption = 0.0,
    black_after: AfterOption = 0.0,
    enlarge_to: EnlargeOption = None,
    overwrite: Annotated[bool, typer.Option("--overwrite", help="Replace an output of that name.")] = False,
    anew: Annotated[
        bool,
        typer.Option("--anew", help="Make every frame anew, and keep none: see grevin kept."),
    ] = False,
    workers: WorkersOption = 0,
    scheduler: SchedulerOption = "",
    shared: SharedOption = None,
    carry_on: Annotated[
        bool, typer.Option("--continue", help="Of a folder: leave out the reels that are written already.")
    ] = False,
    as_json: Annotated[bool, typer.Option("--json", help="The proof as JSON on stdout.")] = False,
) -> None:
    """Treat INPUT by a recipe, write it, read it back and prove it.

    Without loss, but for the codings that are made for further work or for looking at.

    Treated frames are kept for a while: a run that was stopped or killed goes on where it was when it is called again.
    """
    if sound not in SOUND:
        raise UsageError(f"“{sound}” is nothing that can be done with the sound.", f"Give {', '.join(SOUND)}.")
    if quality not in QUALITIES:
        raise UsageError(f"“{quality}” is no quality.", f"Give {', '.join(QUALITIES)}.")
    treatment = read_recipe(recipe)
    words = tuple(verdicts_from_ledger(verdicts)) if verdicts else ()
    chosen = parse_range(frames, MOST_FRAMES) if frames else range(0)
    declared = Declared(rate=rate if rate and parse_rate(rate) else None)

    def order(one: Path, into: Path) -> Order:
        reel = Reel(path=str(one.absolute()), declared=declared, treatment=treatment)
        return Order(
            reel=reel, verdicts=words, output=str(into.absolute()), first=chosen.start, stop=chosen.stop,
            evidence=str(evidence or ""), ledger=str(ledger or ""), overwrite=overwrite, sound=SOUND[sound], bits=bits,
            dither=dither, coding=coding, quality=quality, square_pixels=square_pixels, most_lines=most_lines,
            colours=colours_named(colours), plays_at=rate_named(plays_at), black_before_s=black_before,
            black_after_s=black_after, enlarged_lines=enlarge_to,
        )  # fmt: skip

    if output.suffix.lower() in SOUND_SUFFIXES and (evidence is not None or ledger is not None):
        raise UsageError(
            f"{output.name} is sound alone: it has no evidence and no ledger.",
            "Leave them out, or ask for them with an output of pictures.",
        )
    if is_folder_work(source, output):
        if evidence is not None or ledger is not None or verdicts is not None:
            raise UsageError(
                "Evidence, ledger and verdicts are about one reel.", "Treat the reels one by one for those."
            )
        with hands(workers, scheduler, shared, anew) as write:

            def write_one(one: Path, into: Path, progress: Progress) -> Proof:
                return write(order(one, into), progress)

            over_folder(source, output, coding, carry_on, write_one, as_json)
        return
    with hands(workers, scheduler, shared, anew) as write, console.progress() as progress:
        proof = write(order(source, output), progress)
    console.say_proof(proof, output, as_json)
