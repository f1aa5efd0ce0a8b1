"""What outputs cost that outlast something: kills at random moments, workers, thousands of frames."""

from __future__ import annotations

import contextlib
import json
import os
import random
import signal
import subprocess
import sys
import time
from pathlib import Path
from typing import Any

from bench.speed import dirty_source
from grevin.core.job.crew import LocalWorkers, OrderCrew
from grevin.core.job.document import Reel
from grevin.core.job.job_file import JobFile
from grevin.core.job.orders import Order, carry_out
from grevin.core.media.opening import open_reel
from grevin.core.media.video_writer import Start, VideoWriter
from grevin.core.progress import Progress
from grevin.core.render.ready import ReadyFrames
from grevin.core.treatment.recipe import Treatment, TreatmentStep

KILLS = 200  # every other one of a run with two workers
KILLED_FRAMES = 60
LATEST_KILL_S = 6.0
WINDOW_KILLS = 50
LATEST_WINDOW_KILL_S = 8.0  # it takes one or two to open
HOMES = ("CACHE", "CONFIG", "DATA", "STATE")  # of the XDG base directories
SD, WORKED_FRAMES = (720, 576), 144
SMALL = (160, 120)
LONG_RUNS = (5_000, 8_000)  # frames: caches are full by then, what a frame more costs is the difference
TWO_HOURS = 180_000  # frames at 25 a second


def _material(path: Path, size: tuple[int, int], count: int) -> Path:
    source = dirty_source(40, size)
    writer = VideoWriter(path, None, source.format, range(count), True, Start())
    for number in range(count):
        writer.write(source.frame(number % len(source)))
    writer.finish()
    writer.commit()
    return path


def _recipe(folder: Path) -> Path:
    recipe = folder / "recipe.json"
    recipe.write_text(json.dumps({"format": "grevin-recipe", "version": 1, "steps": [{"step": "dirt"}]}))
    return recipe


def workers(folder: Path) -> dict[str, float]:
    """How much sooner two workers of one thread each are through than one."""
    material = _material(folder / "worked.mkv", SD, WORKED_FRAMES)
    reel = Reel(path=str(material), treatment=Treatment(steps=(TreatmentStep.make("dirt"),)))
    seconds = {}
    for size in (1, 2):
        order, ready = Order(reel=reel, output=str(folder / f"by-{size}.mkv")), ReadyFrames(folder / f"store-{size}")
        crew = LocalWorkers(size, threads=1)
        begun = time.perf_counter()
        carry_out(order, Progress(), ready, OrderCrew(crew, order, ready))
        seconds[size] = time.perf_counter() - begun
        crew.close()
    return {"two_workers_over_one": round(seconds[1] / seconds[2], 2)}


def memory(folder: Path) -> dict[str, float]:
    """The most memory that a run takes, and what it would take more on a reel of two hours."""
    recipe = _recipe(folder)
    most = []
    for count in LONG_RUNS:
        material = _material(folder / f"long-{count}.mkv", SMALL, count)
        words = ["apply", str(recipe), str(material), str(folder / f"long-{count}-out.mkv"), "--anew"]
        program = (
            "import sys\nfrom pathlib import Path\nfrom grevin.cli.main import main\n"
            "try:\n    main(sys.argv[1:])\n"
            "finally:\n    rows = Path('/proc/self/status').read_text().splitlines()\n"
            "    print(next(row for row in rows if row.startswith('VmHWM')).split()[1], file=sys.stderr)"
        )
        told = subprocess.run([sys.executable, "-c", program, *words], capture_output=True, text=True, check=True)
        most.append(int(told.stderr.split()[-1]))
    a_frame = (most[1] - most[0]) / (LONG_RUNS[1] - LONG_RUNS[0])
    return {"memory_mb": round(most[1] / 1024), "two_hours_more_mb": round(a_frame * TWO_HOURS / 1024)}


def kills(folder: Path, progress: Progress) -> dict[str, float]:
    """A run that is killed at random moments until it is through: what is lost, what is left behind."""
    material, recipe = _material(folder / "killed.mkv", (320, 240), KILLED_FRAMES), _recipe(folder)
    output, drawn, done, broken, left = folder / "killed" / "out.mkv", random.Random(5), 0, 0, 0
    made_again: dict[int, list[int]] = {0: [0], 2: [0]}
    words: list[Any] = [sys.executable, "-m", "grevin.cli.main", "apply", recipe, material, output, "--json"]
    round_number = 0
    while done < KILLS:
        round_number += 1
        crew = 2 * (round_number % 2)
        environment = {**os.environ, "XDG_CACHE_HOME": str(folder / f"cache-{round_number}")}
        ready = folder / f"cache-{round_number}" / "grevin" / "ready"
        known, through = 0, False
        while not through and done < KILLS:
            run = subprocess.Popen(
                [*map(str, words), "--workers", str(crew)], env=environment, stdout=subprocess.PIPE,
                stderr=subprocess.DEVNULL,
            )  # fmt: skip
            try:
                out, _ = run.communicate(timeout=drawn.uniform(0.0, LATEST_KILL_S))
                through = True
            except subprocess.TimeoutExpired:
                run.send_signal(signal.SIGKILL)
                run.communicate()
                done += 1
                progress.advance()
                broken += _broken(output)
                known = sum(1 for path in ready.glob("??/*") if not path.name.startswith("."))
        if through:
            proof = json.loads(out)  # nothing but a proof: a fault would have ended the bench
            made_again[crew].append(max(0, known - proof["ready_frames"]))
            output.unlink()
            left += sum(1 for _ in output.parent.iterdir())
    return {
        "kills": done, "broken_outputs": broken, "left_behind": left, "made_again_most": max(made_again[0]),
        "made_again_most_with_workers": max(made_again[2]),
    }  # fmt: skip


def window_kills(folder: Path, progress: Progress) -> dict[str, float]:
    """A window that is killed at random moments until it has written its reel: what is lost of job and output."""
    material = _material(folder / "windowed.mkv", (320, 240), KILLED_FRAMES)
    output, drawn, done, broken, left, lost, again = folder / "windowed" / "out.mkv", random.Random(7), 0, 0, 0, 0, [0]
    round_number = 0
    while done < WINDOW_KILLS:
        round_number += 1
        home = folder / f"home-{round_number}"
        environment = {
            **os.environ, "QT_QPA_PLATFORM": "offscreen", **{f"XDG_{one}_HOME": str(home / one) for one in HOMES},
        }  # fmt: skip
        opened, known, through = material, 0, False
        while not through and done < WINDOW_KILLS:
            words = [
                sys.executable,
                "-m",
                "grevin.desktop.at_work",
                str(opened),
                str(output),
                str(home / "settings.ini"),
            ]
            run = subprocess.Popen(words, env=environment, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, text=True)
            try:
                out, _ = run.communicate(timeout=drawn.uniform(0.0, LATEST_WINDOW_KILL_S))
                through = True
            except subprocess.TimeoutExpired:
                run.send_signal(signal.SIGKILL)
                out, _ = run.communicate()
                done += 1
                progress.advance()
                broken += _broken(output)
                known = sum(1 for path in (home / "CACHE/grevin/ready").glob("??/*") if not path.name.startswith("."))
            said = out.splitlines()
            opened = Path(said[0]) if said else opened
            lost += bool(said) and not _holds_the_step(opened)
        if through:
            again.append(max(0, known - json.loads(said[-1])["ready_frames"]))
            output.unlink()
            left += sum(1 for _ in output.parent.iterdir())
    return {
        "window_kills": done, "windows_broken_outputs": broken, "windows_left_behind": left,
        "windows_lost_changes": lost, "windows_made_again_most": max(again),
    }  # fmt: skip


def _broken(output: Path) -> int:
    """Whether an output that bears its name is not whole; it is taken away, as its order may wait again."""
    if not output.exists():
        return 0
    whole = len(open_reel(output)) == KILLED_FRAMES
    output.unlink()
    return int(not whole)


def _holds_the_step(job: Path) -> bool:
    """Whether a job can be opened and holds what was done in it."""
    with contextlib.closing(JobFile.open(job)) as file:
        return any(step.step == "dirt" for step in file.document.reels[0].treatment.steps)
