"""Sound written without its picture: the source's own samples, as other readers find them."""

from __future__ import annotations

import struct
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import numpy as np
import pytest
from scipy.io import wavfile

from grevin.core.errors import CancelledError, OutputError, ProofError, UsageError
from grevin.core.intake.declared import Declared
from grevin.core.intake.reel import DeclaredReel
from grevin.core.job.document import Reel
from grevin.core.job.orders import Order, carry_out
from grevin.core.media import sound_file
from grevin.core.media.opening import open_reel
from grevin.core.progress import Progress
from grevin.core.render.beforehand import expected_bytes
from grevin.core.render.request import RunRequest
from grevin.core.render.versions import version_named
from grevin.core.treatment.plan import Plan
from grevin.core.treatment.recipe import Treatment, TreatmentStep
from tests.conftest import FORMATS, random_frame, write_video

PACKET = 1_111  # samples: stamps of Matroska, in milliseconds, fall on none of them
LENGTH, RATE, EACH = 24, 48_000, 2_000  # frames, samples a second and a frame


def talking(path: Path, codecs: tuple[str, ...] = ("pcm_s24le",), length: int = LENGTH) -> tuple[Path, Any]:
    """A video whose tracks of noise hold every bit that their codec has; the samples of the first as 32-bit."""
    drawn = np.random.default_rng(3)
    frames = [random_frame(FORMATS[1], n) for n in range(length)]
    rate = frames[0].format.rate
    silent = write_video(path.with_name(f"silent-{path.name}"), frames)
    count = int(RATE * length / rate)
    first = None
    with av.open(str(silent)) as source, av.open(str(path), "w") as target:
        picture = target.add_stream_from_template(source.streams.video[0])
        tracks = [target.add_stream(codec, rate=RATE, layout="stereo") for codec in codecs]
        for packet in source.demux(video=0):
            if packet.dts is not None:
                packet.stream = picture
                target.mux(packet)
        for track in tracks:
            wanted = {"pcm_s16le": ("s16", np.int16), "pcm_s24le": ("s32", np.int32), "pcm_f32le": ("flt", np.float32)}
            form, kind = wanted[track.codec_context.name]
            samples = drawn.integers(-(2**23), 2**23, (1, 2 * count)).astype(np.int32) << 8
            first = samples if first is None else first
            held = {"s16": samples >> 16, "s32": samples, "flt": samples / 2.0**31}[form].astype(kind)
            for place in range(0, count, PACKET):
                some = np.ascontiguousarray(held[:, 2 * place : 2 * (place + PACKET)])
                frame = av.AudioFrame.from_ndarray(some, format=form, layout="stereo")
                frame.sample_rate, frame.pts, frame.time_base = RATE, place, Fraction(1, RATE)
                target.mux(track.encode(frame))
            target.mux(track.encode(None))
    return path, first.reshape(-1, 2)


def write(source: Path, output: Path, declared: Declared | None = None, **wanted: Any) -> Any:
    steps = wanted.pop("steps", ())
    reel = Reel(path=str(source), treatment=Treatment(steps=steps), declared=declared or Declared())
    return carry_out(Order(reel=reel, output=str(output), **wanted), Progress())


@pytest.mark.reference
def test_the_sources_samples_as_another_reader_finds_them(tmp_path: Path) -> None:
    source, samples = talking(tmp_path / "talk.mkv")
    proof = write(source, tmp_path / "talk.wav")
    rate, found = wavfile.read(tmp_path / "talk.wav")  # SciPy's own reader
    assert (rate, found.dtype) == (RATE, np.int32)
    assert np.array_equal(found, samples)
    assert (
        proof.sentence() == "1 track of sound written and read back, every sample agrees: 1.00 s, 48000 Hz, 2 channels."
    )
    assert proof.data()["sound"][0]["samples"] == len(samples)
    assert list(tmp_path.glob(".*")) == []


def test_a_range_begins_where_its_picture_does(tmp_path: Path) -> None:
    source, samples = talking(tmp_path / "talk.mkv")
    write(source, tmp_path / "part.wav", first=5, stop=15)
    found = wavfile.read(tmp_path / "part.wav")[1]
    assert np.array_equal(found, samples[5 * EACH : 15 * EACH])


def test_every_track_in_one_matroska_file(tmp_path: Path) -> None:
    source, samples = talking(tmp_path / "talk.mkv", ("pcm_s24le", "pcm_s16le", "pcm_f32le"))
    with pytest.raises(OutputError, match="holds one track, and talk.mkv has 3"):
        write(source, tmp_path / "talk.wav")
    write(source, tmp_path / "talk.mka")
    with av.open(str(tmp_path / "talk.mka")) as container:
        assert [track.codec_context.name for track in container.streams.audio] == [
            "pcm_s24le",
            "pcm_s16le",
            "pcm_f32le",
        ]
        found = np.concatenate([frame.to_ndarray() for frame in container.decode(audio=0)], axis=1)
    assert np.array_equal(found.reshape(-1, 2), samples)


@pytest.mark.reference
def test_where_it_lies_on_the_clock(tmp_path: Path) -> None:
    """EBU Tech 3285, chunk `bext`: the time reference is samples from midnight, 64 bit at byte 338."""
    source, _ = talking(tmp_path / "talk.mkv")
    write(source, tmp_path / "talk.wav", Declared(timecode="10:00:00:05"), first=5, stop=15)
    data = (tmp_path / "talk.wav").read_bytes()
    chunk = data.index(b"bext") + 8
    (reference,) = struct.unpack_from("<Q", data, chunk + 338)
    assert reference == 36_000 * RATE + 10 * EACH


def test_as_long_as_the_treated_picture(tmp_path: Path) -> None:
    """At a declared speed of 16 frames a second the reel plays 1.5 s."""
    source, samples = talking(tmp_path / "talk.mkv")
    slow = Declared(rate="16")
    with pytest.raises(UsageError, match="it can be padded or re-timed"):
        write(source, tmp_path / "a.wav", slow)
    write(source, tmp_path / "padded.wav", slow, sound="padded")
    found = wavfile.read(tmp_path / "padded.wav")[1]
    assert np.array_equal(found[: len(samples)], samples)
    assert len(found) == RATE * 3 // 2
    assert not found[len(samples) :].any()
    write(source, tmp_path / "again.wav", slow, sound="re-timed")
    assert len(wavfile.read(tmp_path / "again.wav")[1]) == RATE * 3 // 2


def test_steps_that_leave_time_alone_are_not_waited_for(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    from grevin.core.steps.registry import step_by_id

    source, samples = talking(tmp_path / "talk.mkv")
    flicker = type(step_by_id("flicker"))
    monkeypatch.setattr(flicker, "learn", lambda *_args: pytest.fail("the picture was studied"))
    write(source, tmp_path / "talk.wav", steps=(TreatmentStep.make("flicker"),))
    assert np.array_equal(wavfile.read(tmp_path / "talk.wav")[1], samples)


def test_what_cannot_be(tmp_path: Path) -> None:
    source, _ = talking(tmp_path / "talk.mkv")
    silent = write_video(tmp_path / "still.mkv", [random_frame(FORMATS[1], n) for n in range(3)])
    with pytest.raises(OutputError, match="still.mkv has no sound"):
        write(silent, tmp_path / "a.wav")
    with pytest.raises(UsageError, match="as you asked"):
        write(source, tmp_path / "a.wav", sound="never")
    (tmp_path / "a.wav").write_bytes(b"mine")
    with pytest.raises(OutputError, match="exists already"):
        write(source, tmp_path / "a.wav")
    assert (tmp_path / "a.wav").read_bytes() == b"mine"
    pictures = write(source, tmp_path / "p" / "n.%03d.png")
    assert pictures.frames == LENGTH
    with pytest.raises(OutputError, match="pictures have no sound"):
        write(tmp_path / "p" / "n.%03d.png", tmp_path / "b.wav")


def test_nothing_half_written_is_left(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    source, _ = talking(tmp_path / "talk.mkv")
    progress = Progress()
    progress.cancel()
    with pytest.raises(CancelledError):
        carry_out(Order(reel=Reel(path=str(source)), output=str(tmp_path / "a.wav")), progress)
    monkeypatch.setattr(sound_file, "_found", lambda *_args: None)
    with pytest.raises(ProofError, match="does not read back"):
        write(source, tmp_path / "a.wav")
    assert sorted(path.name for path in tmp_path.iterdir()) == ["silent-talk.mkv", "talk.mkv"]


def test_its_size_beforehand_and_its_version(tmp_path: Path) -> None:
    source, samples = talking(tmp_path / "talk.mkv")
    reel = DeclaredReel(open_reel(source))
    assert (
        expected_bytes(reel, Plan.whole(Treatment()), RunRequest(tmp_path / "a.wav", range(LENGTH))) == samples.size * 3
    )
    assert version_named("wav").path(tmp_path, "talk") == tmp_path / "talk-sound.wav"
    assert version_named("wav").sound_alone
    assert version_named("mka").coding is None
