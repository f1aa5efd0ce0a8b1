"""Orders and their queue: frozen when they are made, shared by processes, never lost."""

from __future__ import annotations

import os
import sqlite3
import subprocess
import sys
from contextlib import closing
from pathlib import Path

import pytest

from grevin.core.errors import GrevinError, JobFileError, NoSpaceError, UsageError
from grevin.core.job.document import Job, add_step
from grevin.core.job.job_file import JobFile
from grevin.core.job.measured import MeasuredFile
from grevin.core.job.orders import Order, carry_out, order_of
from grevin.core.job.queue import Queue
from grevin.core.media.opening import open_reel
from grevin.core.progress import Progress
from grevin.core.treatment.recipe import Treatment
from grevin.core.treatment.verdicts import Verdict


@pytest.fixture
def job(tmp_path: Path, dirty_reel: Path) -> Path:
    path = tmp_path / "a.grevin"
    document = Job().with_added([dirty_reel])
    document = document.with_treatment(0, add_step(Treatment(), "dirt"))
    JobFile.create(path, document).close()
    return path


@pytest.fixture
def queue(tmp_path: Path) -> Queue:
    return Queue(tmp_path / "queue.sqlite")


def test_an_order_is_carried_out_as_the_job_was(job: Path, tmp_path: Path) -> None:
    order = order_of(job, 0, tmp_path / "out.mkv", first=2, stop=9)
    with closing(JobFile.open(job)) as held:
        held.act("Nothing", held.document.with_treatment(0, Treatment()))
        held.act("A word", held.document, 0, [Verdict("dirt", 4, (1, 1, 3, 3), "leave")])
    assert Order.read(order.model_dump_json()) == order
    proof = carry_out(order, Progress())
    assert (proof.frames, proof.mended > 3) == (7, True), "what was done since has no say"
    with closing(JobFile.open(job)) as held:
        ((_, kept),) = held.runs()
        assert kept["summary"] == proof.sentence()
        assert held.checksums() == proof.checksums
    later = order_of(job, 0, tmp_path / "later.mkv")
    assert later.verdicts[0].frame == 4
    assert carry_out(later, Progress()).mended == 0
    assert len(open_reel(tmp_path / "later.mkv")) == 12, "all between the trims"


def test_what_cannot_be_ordered_or_carried_out_is_said(job: Path, tmp_path: Path) -> None:
    with pytest.raises(JobFileError, match="has no reel 3: it has 1"):
        order_of(job, 2, tmp_path / "o.mkv")
    with pytest.raises(UsageError, match="has frames 0 to 11, not to 39"):
        carry_out(order_of(job, 0, tmp_path / "o.mkv", first=30, stop=40), Progress())
    order = order_of(job, 0, tmp_path / "o.mkv")
    job.unlink()
    with pytest.raises(JobFileError, match="There is no job file"):
        carry_out(order, Progress())
    with pytest.raises(UsageError, match="cannot be read"):
        Order.read('{"job": "x", "colour_of_the_future": 1}')
    assert not list(tmp_path.glob("*.mkv*")) or [path.name for path in tmp_path.glob("*.mkv")] == ["dirty.mkv"]


def test_the_queue_keeps_an_order_of_its_own(queue: Queue, job: Path, tmp_path: Path) -> None:
    assert queue.orders() == []
    assert queue.take() is None
    orders = [order_of(job, 0, tmp_path / f"{n}.mkv") for n in range(3)]
    numbers = [queue.add(order) for order in orders]
    queue.first(numbers[2])
    assert [one.id for one in queue.orders()] == [numbers[2], numbers[0], numbers[1]]
    taken = queue.take()
    assert taken is not None
    assert (taken.id, taken.order) == (numbers[2], orders[2])
    assert queue.take(numbers[1]).id == numbers[1]
    queue.tell(numbers[1], 5, 12)
    queue.put(numbers[2], "done", "all is well")
    queue.put(numbers[1], "held")
    assert [(one.state, one.done, one.words) for one in queue.orders()] == [
        ("done", 0, "all is well"), ("waiting", 0, ""), ("held", 5, ""),
    ]  # fmt: skip
    assert queue.take().id == numbers[0]
    assert queue.take() is None
    queue.remove(numbers[0], numbers[2])
    assert [one.id for one in Queue(queue._path).orders()] == [numbers[1]]
    assert queue.add(orders[0]) > max(numbers), "numbers are never used again"


def test_what_a_killed_process_was_at_waits_again(queue: Queue, job: Path, tmp_path: Path) -> None:
    number = queue.add(order_of(job, 0, tmp_path / "o.mkv"))
    words = "import sys; from pathlib import Path; from grevin.core.job.queue import Queue; "
    words += "print(Queue(Path(sys.argv[1])).take().id, flush=True); sys.stdin.read()"
    worker = subprocess.Popen(
        [sys.executable, "-c", words, str(queue._path)], stdout=subprocess.PIPE, stdin=subprocess.PIPE, text=True
    )
    assert worker.stdout.readline().strip() == str(number)
    assert queue.orders()[0].state == "running"
    assert queue.take() is None, "another one is at it"
    os.kill(worker.pid, 9)
    worker.communicate()
    assert queue.orders()[0].state == "waiting"
    assert queue.take().id == number


def test_another_process_of_the_same_number_is_not_the_worker(queue: Queue, job: Path, tmp_path: Path) -> None:
    """After a restart of the machine the number of a killed worker may be anybody's."""
    number = queue.add(order_of(job, 0, tmp_path / "o.mkv"))
    assert queue.take().id == number
    assert queue.orders()[0].state == "running"
    with queue._changing() as database:
        database.execute("UPDATE orders SET worker = ?", (f"{os.getpid()}/1",))
    assert queue.orders()[0].state == "waiting"


def test_an_order_of_a_later_version_stays_and_is_told(queue: Queue, job: Path, tmp_path: Path) -> None:
    queue.add(order_of(job, 0, tmp_path / "o.mkv"))
    with queue._changing() as database:
        database.execute("UPDATE orders SET data = ?", ('{"of": "the future"}',))
    (one,) = queue.orders()
    with pytest.raises(GrevinError, match="cannot be read"):
        _ = one.order


def test_a_queue_that_cannot_be_read_says_so(queue: Queue, job: Path, tmp_path: Path) -> None:
    order = order_of(job, 0, tmp_path / "out.mkv")
    number = queue.add(order)
    path = tmp_path / "queue.sqlite"
    whole = path.read_bytes()
    path.write_bytes(b"a line of somebody else's\n" * 400)
    for act in (queue.orders, queue.take, lambda: queue.add(order), lambda: queue.put(number, "held")):
        with pytest.raises(JobFileError, match="is damaged"):
            act()
    queue.tell(number, 3, 9)  # how far it is is worth no fault
    path.write_bytes(whole)
    assert [one.id for one in queue.orders()] == [number]


def test_a_queue_that_is_held_says_so(queue: Queue, job: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("grevin.core.job.queue.PATIENCE_S", 0.05)
    queue.add(order_of(job, 0, tmp_path / "out.mkv"))
    with closing(sqlite3.connect(tmp_path / "queue.sqlite")) as other:
        other.execute("BEGIN EXCLUSIVE")
        with pytest.raises(NoSpaceError, match="wait for who holds it"):
            queue.orders()
    assert [one.state for one in queue.orders()] == ["waiting"]


def test_what_was_learned_is_learned_again_where_it_cannot_be_read(tmp_path: Path) -> None:
    path = tmp_path / "learned.sqlite"
    path.write_bytes(b"torn" * 900)
    kept = MeasuredFile(path)
    kept.keep_study("a", b"1")
    kept.keep_measured("a", [])
    assert (kept.study("a"), kept.count("a"), list(kept.measured("a"))) == (None, 0, [])
