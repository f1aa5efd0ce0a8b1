"""`grevin apply`: a recipe over material, into an output."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from grevin.cli import console, wishes
from grevin.cli.hands import SchedulerOption, SharedOption, WorkersOption, hands
from grevin.cli.over_folder import is_folder_work, over_folder
from grevin.core.errors import UsageError
from grevin.core.intake.declared import Declared
from grevin.core.job.document import Reel
from grevin.core.job.orders import MOST_FRAMES, Order
from grevin.core.media.codings import CODINGS
from grevin.core.media.sound_file import SOUND_SUFFIXES
from grevin.core.progress import Progress
from grevin.core.render.ledger import verdicts_from_ledger
from grevin.core.render.proof import Proof
from grevin.core.timebase.rates import parse_range, parse_rate
from grevin.core.treatment.recipe import read_recipe


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
    sound: wishes.SoundOption = "fits",
    bits: wishes.BitsOption = None,
    dither: wishes.DitherOption = False,
    coding: Annotated[
        str, typer.Option(help=f"Coding of a video: {', '.join(CODINGS)}; without it by the ending.")
    ] = "",
    quality: wishes.QualityOption = "fine",
    square_pixels: wishes.SquareOption = False,
    most_lines: wishes.LinesOption = None,
    colours: wishes.ColoursOption = "own",
    chroma: wishes.ChromaOption = "usual",
    levels: wishes.LevelsOption = "own",
    first_field: wishes.FirstFieldOption = "own",
    plays_at: wishes.PlaysOption = "",
    black_before: wishes.BeforeOption = 0.0,
    black_after: wishes.AfterOption = 0.0,
    whole_frames: wishes.WholeFramesOption = False,
    enlarge_to: wishes.EnlargeOption = None,
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
    said = wishes.wanted(
        sound, plays_at, bits=bits, dither=dither, quality=quality, square_pixels=square_pixels, most_lines=most_lines,
        colours=colours, chroma=chroma, levels=levels, first_field=first_field, black_before_s=black_before,
        black_after_s=black_after, whole_frames=whole_frames, enlarged_lines=enlarge_to,
    )  # fmt: skip
    treatment = read_recipe(recipe)
    words = tuple(verdicts_from_ledger(verdicts)) if verdicts else ()
    chosen = parse_range(frames, MOST_FRAMES) if frames else range(0)
    declared = Declared(rate=rate if rate and parse_rate(rate) else None)

    def order(one: Path, into: Path) -> Order:
        reel = Reel(path=str(one.absolute()), declared=declared, treatment=treatment)
        return Order(
            reel=reel, verdicts=words, output=str(into.absolute()), first=chosen.start, stop=chosen.stop,
            evidence=str(evidence or ""), ledger=str(ledger or ""), overwrite=overwrite, coding=coding,
            **said.model_dump(),
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
