"""Treated frames that are kept: whole or not at all, bounded, and taken instead of being made again."""

from __future__ import annotations

import os
from pathlib import Path

import numpy as np
import pytest

from grevin.core.media.opening import open_reel
from grevin.core.picture.format import PictureFormat
from grevin.core.picture.frame import Frame
from grevin.core.progress import Progress
from grevin.core.quality.damage.dirt import DirtDamage
from grevin.core.quality.memory_source import MemorySource
from grevin.core.render.making import Making
from grevin.core.render.packed import is_source, packed, unpacked
from grevin.core.render.proof import Proof, Written
from grevin.core.render.ready import ReadyFrames
from grevin.core.render.request import RunRequest
from grevin.core.render.run import run
from grevin.core.steps.evidence import Blob
from grevin.core.treatment.chain import Chain
from grevin.core.treatment.plan import Plan, TreatedReel
from grevin.core.treatment.recipe import Treatment, TreatmentStep
from grevin.core.treatment.step_source import Acted
from tests.conftest import FORMATS, moving_frames, name_of, random_frame, write_video

COUNT = 14
HALF = PictureFormat(48, 32, "rgb", 16, full_range=True, sample="half")
PATHS = {
    "local": (TreatmentStep.make("dirt"),),
    "whole": (TreatmentStep.make("dirt"), TreatmentStep.make("light", {"exposure_stops": 0.4})),
    "time": (TreatmentStep.make("rebuild", {"frames": (5,)}), TreatmentStep.make("dirt")),
    "shape": (TreatmentStep.make("dirt"), TreatmentStep.make("reframe", {"width": 120, "height": 90})),
    "resting": (TreatmentStep.make("light", {"exposure_stops": 1.0}, enabled=False), TreatmentStep.make("dirt")),
}


@pytest.fixture
def store(tmp_path: Path) -> ReadyFrames:
    return ReadyFrames(tmp_path / "ready")


@pytest.fixture(scope="module")
def reel(tmp_path_factory: pytest.TempPathFactory) -> Path:
    damage, clean = DirtDamage(seed=4, blobs_per_frame=60, hair_share=0.0, largest_px=10), moving_frames(COUNT)
    worn = [damage.add(clean.frame(number))[0] for number in range(COUNT)]
    return write_video(tmp_path_factory.mktemp("reel") / "worn.mkv", worn)


# the store


def test_what_is_kept_is_there_and_nothing_else(store: ReadyFrames) -> None:
    assert store.get("abcd") is None
    store.put("abcd", b"a picture")
    assert store.get("abcd") == ReadyFrames(store.folder).get("abcd") == b"a picture"
    assert "abcd" in store
    assert "abce" not in store
    assert store.used_bytes == len(b"a picture") + 16
    store.clear()
    assert store.get("abcd") is None
    assert store.used_bytes == 0


@pytest.mark.parametrize("how", ["cut", "changed", "empty"])
def test_what_is_damaged_is_noticed_and_gone(store: ReadyFrames, how: str) -> None:
    store.put("abcd", b"a picture of some length")
    path = store.folder / "ab" / "abcd"
    data = bytearray(path.read_bytes())
    data[-3] ^= 4
    path.write_bytes({"cut": bytes(data[:-5]), "changed": bytes(data), "empty": b""}[how])
    assert store.get("abcd") is None
    assert not path.exists()


def test_those_used_longest_ago_go_first_and_those_of_this_run_stay(store: ReadyFrames) -> None:
    for place in range(10):
        store.put(f"old{place}", bytes(1000))
        os.utime(store.folder / "ol" / f"old{place}", (place + 1, place + 1))
    ReadyFrames(store.folder).get("old0")
    later = ReadyFrames(store.folder)
    later.allow(8 * 1016)
    assert [place for place in range(10) if f"old{place}" in later] == [0, 4, 5, 6, 7, 8, 9], "a tenth more than has to"
    for place in range(12):
        later.put(f"new{place}", bytes(1000))
    left = [place for place in range(12) if f"new{place}" in later]
    assert left == list(range(len(left))), "the first frames of a run that is too long stay, for it to go on"
    assert 6 <= len(left) < 12
    assert later.used_bytes <= 9 * 1016
    assert not any(f"old{place}" in later for place in range(4, 10))


def test_where_nothing_can_be_kept_nothing_is_and_no_one_minds(tmp_path: Path, monkeypatch) -> None:
    (tmp_path / "file").write_text("in the way")
    blocked = ReadyFrames(tmp_path / "file")
    blocked.put("abcd", b"x")
    assert blocked.get("abcd") is None
    full = ReadyFrames(tmp_path / "full")
    monkeypatch.setattr(Path, "write_bytes", lambda *_: (_ for _ in ()).throw(OSError(28, "No space left on device")))
    full.put("abcd", b"x")
    assert full.get("abcd") is None
    assert [path for path in full.folder.rglob("*") if path.is_file()] == []


# a frame as bytes


def half_frame() -> Frame:
    """Light of any kind: negative, very bright, none at all."""
    values = np.random.default_rng(3).normal(0.2, 4.0, (3, HALF.height, HALF.width)).astype(np.float16)
    values[:, :2] = np.array([[[0.0, -0.0, np.inf, 6e-8]]], np.float16).repeat(HALF.width // 4, axis=2)
    return Frame(7, HALF, tuple(values))


@pytest.mark.parametrize("fmt", [*FORMATS, HALF], ids=name_of)
def test_a_frame_comes_back_with_all_that_was_done_to_it(fmt: PictureFormat) -> None:
    frame = half_frame() if fmt is HALF else random_frame(fmt, 7)
    mask = np.random.default_rng(1).random((fmt.height, fmt.width)) > 0.7
    acted = Acted(
        mask, (Blob((1, 2, 3, 4), 9, -12.5, 0.75, doubtful=True),), (Blob((5, 6, 7, 8), 2, 3.0, 1.0),), "doubt"
    )
    whole = Acted(None, whole_levels=1.25, reshaped=True)
    chain = Chain(
        MemorySource([frame], "one"), Treatment(steps=(TreatmentStep.make("dirt"), TreatmentStep.make("dirt")))
    )
    steps = {step.place: step for step in chain.steps}
    written = Written(7, 5, frame, True, 12, ((1, steps[1], acted), (2, steps[2], whole)), True)
    content = packed(written, is_source=False)
    assert not is_source(content)
    back = unpacked(content, fmt, None, steps)
    assert all(
        np.array_equal(a, b, equal_nan=fmt.sample == "half")
        for a, b in zip(frame.planes, back.frame.planes, strict=True)
    )
    assert [plane.dtype for plane in back.frame.planes] == [plane.dtype for plane in frame.planes]
    assert (back.number, back.source, back.made, back.differing, back.begins, back.ready) == (
        7,
        5,
        True,
        12,
        True,
        True,
    )
    (_, step, first), (_, _, second) = back.steps
    assert step is steps[1]
    assert np.array_equal(first.mask, mask)
    assert (first.mended, first.left) == (acted.mended, acted.left)
    assert (first.doubt, second.mask, second.whole_levels, second.reshaped) == ("doubt", None, 1.25, True)


# runs


def written(reel: Path, folder: Path, steps: tuple[TreatmentStep, ...], store: ReadyFrames | None, **more) -> Proof:
    request = RunRequest(
        folder / "out.mkv", more.pop("frames", range(COUNT)), folder / "evidence", folder / "ledger.csv", **more
    )
    return run(open_reel(reel), Plan.whole(Treatment(steps=steps)), request, Progress(), ready=store)


def everything(folder: Path) -> dict[str, bytes]:
    """All but the video, in whose header is a number that is drawn anew each time."""
    files = (path for path in folder.rglob("*") if path.is_file() and path.suffix != ".mkv")
    return {str(path.relative_to(folder)): path.read_bytes() for path in files}


@pytest.mark.parametrize(
    ("steps", "more"),
    [*((steps, {}) for steps in PATHS.values()), (PATHS["whole"], {"bits": 10, "dither": True})],
    ids=[*PATHS, "deeper"],
)
def test_a_second_run_takes_every_frame_and_writes_the_same(
    reel: Path, store: ReadyFrames, tmp_path: Path, steps, more, monkeypatch
) -> None:
    anew = written(reel, tmp_path / "anew", steps, None, **more)
    first = written(reel, tmp_path / "first", steps, store, **more)
    monkeypatch.setattr(Making, "_made", lambda *_: pytest.fail("made again"))
    again = written(reel, tmp_path / "again", steps, ReadyFrames(store.folder), **more)
    assert [proof.ready for proof in (anew, first, again)] == [0, 0, COUNT]
    data = [{**proof.data(), "output": "", "summary": "", "ready_frames": 0} for proof in (anew, first, again)]
    assert data[0] == data[1] == data[2]
    assert everything(tmp_path / "anew") == everything(tmp_path / "first") == everything(tmp_path / "again")
    assert f"{COUNT} frames were ready from before" in again.sentence()


def test_frames_are_taken_whatever_range_they_were_made_in(reel: Path, store: ReadyFrames, tmp_path: Path) -> None:
    steps = PATHS["local"]
    written(reel, tmp_path / "part", steps, store, frames=range(3, 9))
    assert written(reel, tmp_path / "whole", steps, store).ready == 6
    other = (TreatmentStep.make("dirt", {"grow_px": 5}),)
    assert written(reel, tmp_path / "other", other, store).ready == 0, "another setting, other frames"


def test_a_frame_that_was_damaged_in_the_store_is_made_again(reel: Path, store: ReadyFrames, tmp_path: Path) -> None:
    first = written(reel, tmp_path / "first", PATHS["local"], store)
    kept = sorted(path for path in store.folder.glob("*/*"))
    assert len(kept) == COUNT
    kept[4].write_bytes(kept[4].read_bytes()[:-7])
    again = written(reel, tmp_path / "again", PATHS["local"], store)
    assert again.ready == COUNT - 1
    assert again.checksums == first.checksums


def test_the_sources_own_frames_are_not_held_twice(store: ReadyFrames) -> None:
    clean = moving_frames(6)
    treated = TreatedReel(clean, Plan.whole(Treatment(steps=PATHS["local"])))
    made = [Making(treated, range(6), ready=store).written(number) for number in range(6)]
    assert all(one.frame is clean.frame(number) for number, one in enumerate(made))
    assert store.used_bytes < clean.frame(0).nbytes
    again = Making(treated, range(6), ready=store).written(2)
    assert again.ready
    assert isinstance(again.frame, Frame)
    assert again.frame is clean.frame(2)


def test_without_any_step_nothing_is_kept(reel: Path, store: ReadyFrames, tmp_path: Path) -> None:
    written(reel, tmp_path / "copy", (), store)
    assert store.used_bytes == 0


class Growing:
    """A reel that is being indexed still."""

    def __init__(self, source: MemorySource, length: int) -> None:
        self.source, self.length = source, length
        self.format, self.identity = source.format, source.identity

    def __len__(self) -> int:
        return self.length

    def frame(self, number: int) -> Frame:
        return self.source.frame(number)


def test_frames_of_a_reel_that_grew_are_made_and_asked_for(store: ReadyFrames) -> None:
    growing = Growing(moving_frames(12), 6)
    making = Making(TreatedReel(growing, Plan.whole(Treatment(steps=PATHS["local"]))), range(6), ready=store)
    assert not making.has(3)
    making.written(3)
    assert making.has(3)
    growing.length = 12
    assert not making.has(10)
    assert making.written(10).number == 10
    assert making.has(10)
    assert making.shown(10) is not None
