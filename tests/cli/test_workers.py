"""Workers: processes of this machine and of a Dask cluster make the same bits, and may be lost at any time."""

from __future__ import annotations

import contextlib
import gc
import json
import os
import signal
import socket
import subprocess
import sys
import threading
import time
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest

from tests.cli.test_commands import Recipe, call
from tests.cli.test_going_on import kept_files

LONGEST_S = 60.0
PYTHON = [sys.executable, "-m"]


def begin(*words: object) -> subprocess.Popen[str]:
    command = [*PYTHON, "grevin.cli.main", *map(str, words)]
    return subprocess.Popen(command, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True)


def children(number: int) -> list[int]:
    """The worker processes of a process."""
    try:
        found = Path(f"/proc/{number}/task/{number}/children").read_text().split()
    except OSError:
        return []
    return [int(one) for one in found if b"spawn_main" in Path(f"/proc/{one}/cmdline").read_bytes()]


def wait_until(what: Any) -> None:
    end = time.monotonic() + LONGEST_S
    while not what():
        assert time.monotonic() < end
        time.sleep(0.01)


def ended(worker: subprocess.Popen[str]) -> tuple[int, dict[str, Any], str]:
    out, err = worker.communicate(timeout=LONGEST_S)
    assert "Traceback" not in err
    return worker.returncode, json.loads(out), err


@pytest.mark.slow
def test_processes_make_the_same_and_one_of_them_may_be_killed(
    capsys,
    recipe: Recipe,
    worn_reel: Path,
    tmp_path: Path,
) -> None:
    output = tmp_path / "a.mkv"
    run = begin("apply", recipe(), worn_reel, output, "--workers", 2, "--json")
    wait_until(lambda: len(kept_files()) > 3)
    os.kill(children(run.pid)[0], signal.SIGKILL)
    status, proof, _ = ended(run)
    assert status == 0
    assert proof["ready_frames"] == 0, "they were made for this run"
    assert any("given out again" in words for words in proof["notes"])
    kept = len(kept_files())
    assert kept == proof["frames"], "every frame once"
    _, out, _ = call(capsys, "apply", recipe(), worn_reel, tmp_path / "b.mkv", "--anew", "--json")
    assert json.loads(out)["checksums"] == proof["checksums"]
    assert json.loads(out)["mends"] == proof["mends"]


@pytest.mark.slow
def test_workers_leave_with_the_one_who_began_them(recipe: Recipe, worn_reel: Path, tmp_path: Path) -> None:
    for how in (signal.SIGKILL, signal.SIGINT):
        run = begin("apply", recipe(), worn_reel, tmp_path / "a.mkv", "--workers", 2)
        wait_until(lambda: len(kept_files()) > 3)  # those of the first are there for the second at once
        wait_until(lambda run=run: len(children(run.pid)) == 2)
        workers = children(run.pid)
        run.send_signal(how)
        _, err = run.communicate(timeout=LONGEST_S)
        assert "Traceback" not in err
        wait_until(lambda workers=workers: not any(Path(f"/proc/{one}/cwd").exists() for one in workers))
        assert not (tmp_path / "a.mkv").exists()


def test_what_does_not_go_together_is_said(capsys, recipe: Recipe, dirty_reel: Path, tmp_path: Path) -> None:
    output, words = tmp_path / "a.mkv", (recipe(), dirty_reel, tmp_path / "a.mkv")
    assert call(capsys, "apply", *words, "--workers", 2, "--anew")[0] == 2
    assert call(capsys, "apply", *words, "--workers", 2, "--scheduler", "tcp://127.0.0.1:1")[0] == 2
    assert call(capsys, "apply", *words, "--shared", dirty_reel)[0] == 2
    assert not output.exists()
    assert call(capsys, "apply", *words, "--shared", tmp_path / "frames")[0] == 0
    assert len(list((tmp_path / "frames").glob("??/*"))) == 12
    assert not kept_files()


@pytest.fixture
def cluster(tmp_path: Path) -> Iterator[tuple[str, list[subprocess.Popen[bytes]]]]:
    """A scheduler and two workers; its address and they."""
    with socket.socket() as free:
        free.bind(("127.0.0.1", 0))
        port = free.getsockname()[1]
    address = f"tcp://127.0.0.1:{port}"
    quiet: dict[str, Any] = {"stdout": subprocess.DEVNULL, "stderr": subprocess.DEVNULL}
    dask = [*PYTHON, "dask"]
    started = [
        subprocess.Popen([*dask, "scheduler", "--host", "127.0.0.1", "--port", str(port), "--no-dashboard"], **quiet)
    ]
    for n in range(2):
        words = [
            "worker",
            address,
            "--nthreads",
            "1",
            "--no-nanny",
            "--no-dashboard",
            "--local-directory",
            str(tmp_path / f"w{n}"),
        ]
        started.append(subprocess.Popen([*dask, *words], **quiet))
    try:
        wait_until(lambda: _workers(address) == 2)
        yield address, started
    finally:
        for one in started:
            one.kill()
            one.wait()


def _workers(address: str) -> int:
    from distributed import Client

    try:
        with Client(address, timeout=5, set_as_default=False) as client:
            return len(client.nthreads())
    except OSError:
        return 0


@pytest.mark.slow
@pytest.mark.filterwarnings("ignore")
def test_a_cluster_loses_a_worker_and_then_its_scheduler(
    capsys,
    cluster,
    recipe: Recipe,
    worn_reel: Path,
    tmp_path: Path,
) -> None:
    address, (scheduler, worker, _) = cluster
    run = begin(
        "apply", recipe(), worn_reel, tmp_path / "a.mkv", "--scheduler", address, "--json", "--shared", tmp_path / "s"
    )
    store = tmp_path / "s"
    wait_until(lambda: len(list(store.glob("??/*"))) > 5)
    worker.kill()
    wait_until(lambda: len(list(store.glob("??/*"))) > 20)
    scheduler.kill()
    status, proof, err = ended(run)
    assert status == 0, err
    assert any("The scheduler was lost" in words for words in proof["notes"])
    status, out, _ = call(capsys, "apply", recipe(), worn_reel, tmp_path / "b.mkv", "--anew", "--json")
    assert json.loads(out)["checksums"] == proof["checksums"]


@pytest.mark.filterwarnings("ignore::ResourceWarning")  # what Dask leaves of a talk that led nowhere
@pytest.mark.parametrize("address", ["nonsense", "file:///etc/passwd", "tcp://127.0.0.1:{port}"])
def test_one_who_is_no_scheduler_is_said_and_nothing_else(
    capsys, monkeypatch: pytest.MonkeyPatch, recipe: Recipe, dirty_reel: Path, tmp_path: Path, address: str
) -> None:  # fmt: skip
    """Also a server that answers with something else."""
    monkeypatch.setattr("grevin.core.job.crew.PATIENCE_S", 1)
    with socket.create_server(("127.0.0.1", 0)) as server:

        def babble() -> None:
            with contextlib.suppress(OSError):
                while True:
                    talk, _ = server.accept()
                    talk.sendall(b"HTTP/1.1 200 OK\r\n\r\n" + b"hello " * 1000)
                    talk.close()

        threading.Thread(target=babble, daemon=True).start()
        address = address.format(port=server.getsockname()[1])
        status, _, err = call(capsys, "apply", recipe(), dirty_reel, tmp_path / "o.mkv", "--scheduler", address)
        gc.collect()
    assert status == 2
    assert f"No scheduler answers at {address}." in err
    assert "Traceback" not in capsys.readouterr().err
    assert not (tmp_path / "o.mkv").exists()
