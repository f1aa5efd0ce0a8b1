"""The command line as others call it: contracts, exit codes, one sentence for each fault."""

from __future__ import annotations

import csv
import json
import subprocess
import sys
from collections.abc import Callable
from pathlib import Path

import cv2
import numpy as np
import pytest

from grevin.cli.main import main
from grevin.core.media.opening import open_reel
from tests.conftest import FORMATS, random_frame, write_video

Recipe = Callable[..., Path]


def call(capsys: pytest.CaptureFixture[str], *words: object) -> tuple[int, str, str]:
    with pytest.raises(SystemExit) as leaving:
        main([str(word) for word in words])
    out, err = capsys.readouterr()
    assert "Traceback" not in err
    return int(leaving.value.code or 0), out, err


def test_apply_with_everything(capsys, recipe: Recipe, dirty_reel: Path, tmp_path: Path) -> None:
    output = tmp_path / "out" / "clean.mkv"
    evidence, ledger = tmp_path / "evidence", tmp_path / "ledger.csv"
    status, out, _ = call(
        capsys, "apply", recipe(), dirty_reel, output, "--evidence", evidence, "--ledger", ledger, "--json"
    )
    assert status == 0
    proof = json.loads(out)
    assert (proof["format"], proof["frames"]) == ("grevin-proof", 12)
    assert proof["mended_frames"] > 6
    names = sorted(path.name for path in (evidence / "01-dirt").iterdir())
    assert names == [f"{n:06}.png" for n in range(12)]
    mask = cv2.imread(str(evidence / "01-dirt" / "000005.png"), cv2.IMREAD_UNCHANGED)
    assert mask.dtype == np.uint8
    assert set(np.unique(mask)) <= {0, 255}
    rows = list(csv.DictReader(ledger.read_text().splitlines()))
    assert len(rows) == proof["mends"] > 10
    assert {"frame", "step", "x", "y", "width", "height", "confidence", "verdict"} <= set(rows[0])
    status, out, _ = call(capsys, "verify", dirty_reel, output, "--evidence", evidence, "--json")
    result = json.loads(out)
    assert status == 0
    assert result["passed"]
    assert result["outside_evidence"]["bit_identical"]
    assert len(result["checksums"]) == 12
    status, out, _ = call(capsys, "verify", dirty_reel, output)
    assert status == 1
    assert "Not proved" in out


@pytest.mark.parametrize("words", [("--evidence", "evidence"), ("--ledger", "ledger.csv")])
def test_sound_alone_has_no_evidence_and_that_is_said(
    capsys, recipe: Recipe, dirty_reel: Path, tmp_path: Path, words: tuple[str, str]
) -> None:
    output = tmp_path / "sound.wav"
    status, _, err = call(capsys, "apply", recipe(), dirty_reel, output, words[0], tmp_path / words[1])
    assert status == 2
    assert "sound.wav is sound alone: it has no evidence and no ledger." in " ".join(err.split())
    assert list(tmp_path.glob("sound*")) == []


def test_the_default_recipe_is_empty_settings(capsys, recipe: Recipe, dirty_reel: Path, tmp_path: Path) -> None:
    first = recipe({"step": "dirt", "settings": {}})
    call(capsys, "apply", first, dirty_reel, tmp_path / "a.mkv")
    call(capsys, "apply", recipe({"step": "dirt"}), dirty_reel, tmp_path / "b.mkv")
    assert call(capsys, "verify", tmp_path / "a.mkv", tmp_path / "b.mkv")[0] == 0


def test_a_range_and_sequences(capsys, recipe: Recipe, dirty_reel: Path, tmp_path: Path) -> None:
    pattern = tmp_path / "seq" / "name.%06d.png"
    status, out, _ = call(
        capsys, "apply", recipe(), dirty_reel, pattern, "--range", "3:7", "--ledger", tmp_path / "l.json",
        "--evidence", tmp_path / "ev",
    )  # fmt: skip
    assert status == 0
    assert "4 frames written" in out
    assert sorted(p.name for p in pattern.parent.iterdir()) == [f"name.{n:06}.png" for n in range(3, 7)]
    assert sorted(p.name for p in (tmp_path / "ev" / "01-dirt").iterdir()) == [f"{n:06}.png" for n in range(3, 7)]
    ledger = json.loads((tmp_path / "l.json").read_text())
    assert ledger["format"] == "grevin-ledger"
    assert {row["frame"] for row in ledger["rows"]} <= {3, 4, 5, 6}
    args = ("verify", dirty_reel, pattern.parent, "--range", "3:7", "--evidence", tmp_path / "ev")
    assert call(capsys, *args)[0] == 0
    status, _, _ = call(capsys, "apply", recipe(), pattern, tmp_path / "again.%03d.tif", "--rate", "16")
    assert status == 0
    assert len(list(tmp_path.glob("again.*.tif"))) == 4


def test_another_rate_and_black(capsys, recipe: Recipe, dirty_reel: Path, tmp_path: Path) -> None:
    output = tmp_path / "a.mp4"
    playing = ("--plays-at", "24000/1001", "--black-before", "0.5", "--black-after", "1", "--range", "0:4")
    status, out, _ = call(capsys, "apply", recipe(), dirty_reel, output, *playing, "--json")
    assert status == 0
    proof = json.loads(out)
    assert (proof["rate"], proof["frames"], proof["black_frames"]) == ("24000/1001", 4 + 12 + 24, [12, 24])
    status, _, err = call(capsys, "apply", recipe(), dirty_reel, tmp_path / "a.mkv", *playing)
    assert status == 2
    assert "without loss" in err
    assert call(capsys, "apply", recipe(), dirty_reel, tmp_path / "b.mp4", "--plays-at", "quick")[0] == 2


def test_samples_and_fields_of_a_copy(capsys, recipe: Recipe, dirty_reel: Path, tmp_path: Path) -> None:
    copy = tmp_path / "copy.mp4"
    samples = ("--chroma", "4:2:2", "--levels", "full", "--bits", "10", "--coding", "h265", "--whole-frames")
    assert call(capsys, "apply", recipe(), dirty_reel, copy, *samples, "--range", "0:4")[0] == 0
    made = open_reel(copy).format
    assert (made.chroma, made.full_range, made.bit_depth) == ("4:2:2", True, 10)
    for wrong, words in (
        (("--chroma", "4:4:0"), "--chroma"), (("--levels", "loud"), "own, limited or full"),
        (("--first-field", "left"), "own, top or bottom"), (("--quality", "best"), "finest, fine or small"),
        (("--whole-frames", "--first-field", "top"), "Whole frames have no fields"),
        (("--first-field", "top"), "no two fields"),
    ):  # fmt: skip
        status, _, err = call(capsys, "apply", recipe(), dirty_reel, tmp_path / "b.mp4", *wrong)
        assert status in {2, 3, 4, 5}
        assert words in err
    assert not (tmp_path / "b.mp4").exists()


def test_cutting_the_range_differently_gives_the_same_bits(capsys, recipe: Recipe, dirty_reel: Path, tmp_path: Path):
    call(capsys, "apply", recipe(), dirty_reel, tmp_path / "whole.mkv")
    call(capsys, "apply", recipe(), dirty_reel, tmp_path / "part.mkv", "--range", "4:9")
    assert call(capsys, "verify", tmp_path / "whole.mkv", tmp_path / "part.mkv", "--range", "4:9")[0] == 0


def test_probe_speaks_the_contract(capsys, dirty_reel: Path) -> None:
    status, out, _ = call(capsys, "probe", dirty_reel, "--json")
    data = json.loads(out)
    assert status == 0
    assert (data["format"], data["version"]) == ("grevin-probe", 1)
    assert (data["width"], data["height"], data["frames"], data["rate"]) == (160, 120, 12, "24/1")
    assert data["pixel_aspect"] == "1/1"
    assert data["duration_s"] == 0.5
    assert (data["chroma"], data["bit_depth"], data["codec"]) == ("4:2:0", 8, "ffv1")
    assert data["field_order"]["measured"] is None
    assert data["audio"] == [{"codec": "pcm_s16le", "channels": 2, "sample_rate": 48000, "language": None}]
    assert data["field_order"]["measured"] is None
    status, out, _ = call(capsys, "probe", dirty_reel, "--json", "--look")
    data = json.loads(out)
    assert data["field_order"]["measured"] == "progressive"
    assert data["contradictions"] == data["unreadable"] == []
    assert 0 <= data["codes"]["lowest"] < data["codes"]["highest"] <= 255
    status, out, _ = call(capsys, "probe", dirty_reel)
    assert "4:2:0" in out


BAD_RECIPES = [
    ({"step": "dert"}, "There is no step “dert”. Did you mean “dirt”?"),
    ({"step": "dirt", "settings": {"grow_px": 99}}, "grow_px = 99 is not allowed (0 to 10 px)"),
    ({"step": "dirt", "settings": {"speed": 1}}, "“speed” is not a setting of dirt"),
]


@pytest.mark.parametrize(("step", "words"), BAD_RECIPES)
def test_wrong_recipes_are_wrong_usage(capsys, recipe: Recipe, dirty_reel: Path, tmp_path: Path, step, words) -> None:
    status, out, err = call(capsys, "apply", recipe(step), dirty_reel, tmp_path / "o.mkv", "--json")
    assert (status, out) == (2, "")
    assert words in err
    assert not (tmp_path / "o.mkv").exists()


def test_exit_codes_and_sentences(capsys, recipe: Recipe, dirty_reel: Path, tmp_path: Path) -> None:
    (tmp_path / "empty.mkv").touch()
    (tmp_path / "broken.json").write_text("{")
    good, out = recipe(), tmp_path / "o.mkv"
    cases = [
        (("apply", good, tmp_path / "none.mkv", out), 3, "There is no file or folder"),
        (("apply", good, tmp_path / "empty.mkv", out), 3, "is empty (0 bytes)"),
        (("apply", good, good, out), 3, "is not a video file that can be read"),
        (("apply", tmp_path / "none.json", dirty_reel, out), 2, "cannot be read"),
        (("apply", tmp_path / "broken.json", dirty_reel, out), 2, "is not JSON"),
        (("apply", good, dirty_reel, dirty_reel), 2, "The output is the source itself"),
        (("apply", good, dirty_reel, tmp_path / "o.avi"), 2, "not one that Grevin writes"),
        (("apply", good, dirty_reel, out, "--range", "5:99"), 2, "has frames 0 to 11, not to 98"),
        (("apply", good, dirty_reel, out, "--ledger", tmp_path / "l.txt"), 2, "Use an ending of .csv or .json"),
        (("apply", good, dirty_reel, out, "--rate", "fast"), 2, "“fast” is not a frame rate"),
        (("apply", good, dirty_reel, out, "--evidence", good), 2, "is not a folder"),
        (("verify", dirty_reel, dirty_reel, "--evidence", tmp_path / "no"), 2, "There is no evidence folder"),
        (("probe", tmp_path), 3, "holds no numbered"),
        (("bench", "--clip", "nowhere"), 2, "There is no clip “nowhere”"),
        (("job", "export", tmp_path / "no.grevin"), 3, "There is no job file"),
        (("apply", good), 2, "Missing argument"),
        (("polish",), 2, "No such command"),
    ]
    for words, status, sentence in cases:
        got, stdout, stderr = call(capsys, *words)
        assert got == status, (words, stderr)
        assert sentence in stderr.replace("\n", " "), (words, stderr)
        assert stdout == ""
    assert not out.exists()


def test_formats_that_cannot_be_compared(capsys, tmp_path: Path) -> None:
    write_video(tmp_path / "a.mkv", [random_frame(FORMATS[0])])
    write_video(tmp_path / "b.mkv", [random_frame(FORMATS[1])])
    status, _, err = call(capsys, "verify", tmp_path / "a.mkv", tmp_path / "b.mkv")
    assert status == 3
    assert "cannot be compared sample by sample" in err


def test_jobs_as_json(capsys, tmp_path: Path) -> None:
    from grevin.core.job.document import Job, Reel
    from grevin.core.job.job_file import JobFile

    JobFile.create(tmp_path / "a.grevin", Job(reels=(Reel(path="r.mkv"),))).close()
    _, out, _ = call(capsys, "job", "export", tmp_path / "a.grevin")
    (tmp_path / "a.json").write_text(out)
    assert call(capsys, "job", "import", tmp_path / "a.json", tmp_path / "b.grevin")[0] == 0
    assert call(capsys, "job", "export", tmp_path / "b.grevin")[1] == out
    assert call(capsys, "job", "import", tmp_path / "none.json", tmp_path / "c.grevin")[0] == 3


def test_an_unforeseen_fault_is_logged_and_said(capsys, monkeypatch: pytest.MonkeyPatch, dirty_reel: Path) -> None:
    import grevin.cli.probe as module

    def fail(*_: object) -> None:
        raise ZeroDivisionError("really")

    monkeypatch.setattr(module, "probe_reel", fail)
    status, _, err = call(capsys, "probe", dirty_reel)
    assert status == 1
    assert "Internal error (ZeroDivisionError: really)" in err.replace("\n", " ")


def test_an_interrupt_cancels_properly(recipe: Recipe, tmp_path: Path) -> None:
    import signal

    fmt = FORMATS[1]
    source = write_video(tmp_path / "long.mkv", [random_frame(fmt, n % 8) for n in range(3000)])
    words = [sys.executable, "-m", "grevin.cli.main", "apply", str(recipe()), str(source), str(tmp_path / "o.mkv")]
    worker = subprocess.Popen(words, stderr=subprocess.PIPE, text=True)
    assert worker.stderr is not None
    worker.stderr.readline()  # the first line of progress
    worker.send_signal(signal.SIGINT)
    _, err = worker.communicate(timeout=300)
    assert worker.returncode == 130, err
    assert "The work was cancelled" in err
    assert sorted(path.name for path in tmp_path.iterdir()) == ["long.mkv", "recipe.json"]


def test_the_command_line_loads_no_qt() -> None:
    words = "import sys; import grevin.cli.main; sys.exit(any(name.startswith('PySide6') for name in sys.modules))"
    assert subprocess.run([sys.executable, "-c", words], check=False).returncode == 0


def test_version(capsys) -> None:
    assert call(capsys, "--version")[1].startswith("grevin ")


def test_the_source_is_never_written_to(capsys, recipe: Recipe, dirty_reel: Path, tmp_path: Path) -> None:
    before = (dirty_reel.read_bytes(), dirty_reel.stat().st_mtime_ns)
    dirty_reel.chmod(0o444)
    call(capsys, "apply", recipe(), dirty_reel, tmp_path / "o.mkv")
    assert (dirty_reel.read_bytes(), dirty_reel.stat().st_mtime_ns) == before
    assert open_reel(dirty_reel).frame(0).number == 0
