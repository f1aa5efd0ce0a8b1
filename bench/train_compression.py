"""Train the networks that take compression residue: `python -m bench.train_compression [quick] [STEPS]`.

Writes `network.onnx`, or `quick.onnx`.

Needs PyTorch (`pip install torch onnx`, CPU builds serve), which the application itself does not. Photographs of
registry packages (`bench.photographs`), none of them the bench's own, are brought down to sizes at which nothing of
their own codec is left, worn by codecs of every kind and strength, and the network learns what was lost. Part of the
pictures are enlarged after they were coded, as captures often were.
"""

from __future__ import annotations

import sys
from collections.abc import Iterator
from dataclasses import dataclass
from itertools import pairwise
from pathlib import Path

import cv2
import numpy as np
import numpy.typing as npt
import torch

from bench.coded import Luma, coded_run
from bench.photographs import TRAINING, Photograph, planes_of
from bench.training import written, written_on
from grevin.core.measure.blocks import nearness

Pair = tuple[Luma, npt.NDArray[np.float32], float, float]  # coded, clean, px and lines between borders of blocks

FOLDER = Path(__file__).resolve().parent.parent / "src/grevin/core/steps/compression"
SEED = 2026
HEIGHTS = (320, 560)  # px to which photographs are brought down
STILLS, MOVIES = 7, 4  # coded pictures, and coded runs, of each size of a photograph
RUN = 7  # frames of a run; every other one is learned from
PATCH, BATCH = 64, 24  # px, patches
STEPS_FULL, STEPS_QUICK, TOLD_EVERY = 5_776, 14_000, 500
THREADS = 1
RATE, LAST_RATE = 1.5e-3, 2e-5  # of learning
UNIT = 10.0  # levels that are 1 inside the network: the size of residue, without which nothing is learned for long
LEAK = 0.1  # of what is below 0
SMALL = 0.1  # of the last layer's first weights: what is added begins small
STEEPEST = 20.0  # norm of a gradient
FLOOR = 0.4  # squared levels: below it nothing is to be gained
UNKNOWN = 0.3  # of the patches are given no grid along an axis
HEAVY, COARSE, FINE = 0.7, (5, 60), (60, 98)  # share of stills of coarse quality, and the qualities
GRAIN = (0.0, 0.0, 1.5, 3.0)  # 8-bit levels: it was there before the codec, and is what is to be had again
ROUGH = 0.6  # of the time, in which heavy residue counts more
WRITTEN_ON = 1  # stills of a size have captions
FIELDS, ENLARGED = 0.1, 0.15  # of the coded pictures


@dataclass(frozen=True)
class Kind:
    """One of the networks: its name, how large it is, and for how many steps it learns."""

    name: str
    channels: int
    layers: int
    steps: int


FULL, QUICK = Kind("network", 48, 6, STEPS_FULL), Kind("quick", 20, 5, STEPS_QUICK)


class Network(torch.nn.Module):  # type: ignore[misc]
    """Half size, four pixels in one place: a wide sight for few sums."""

    def __init__(self, kind: Kind) -> None:
        super().__init__()
        sizes = [12, *([kind.channels] * kind.layers), 4]
        self.layers = torch.nn.ModuleList(
            torch.nn.Conv2d(before, behind, 3, padding=1) for before, behind in pairwise(sizes)
        )
        for layer in self.layers:
            torch.nn.init.kaiming_normal_(layer.weight, nonlinearity="relu")
            torch.nn.init.zeros_(layer.bias)
        first = self.layers[0].weight.data  # what is even tells nothing of residue
        first[:, :4] -= first[:, :4].mean(dim=(1, 2, 3), keepdim=True)
        self.layers[-1].weight.data *= SMALL

    def forward(self, given: torch.Tensor) -> torch.Tensor:
        """(N, 3, H, W) luma 0..1 and the two planes of the grid; gives what is to be added, 0..1."""
        luma = (given[:, :1] - 0.5) * (255.0 / UNIT)
        state = torch.nn.functional.pixel_unshuffle(torch.cat([luma, given[:, 1:]], dim=1), 2)
        for layer in self.layers[:-1]:
            state = torch.nn.functional.leaky_relu(layer(state), LEAK)
        return torch.nn.functional.pixel_shuffle(self.layers[-1](state), 2) * (UNIT / 255.0)


def pairs_of(photograph: Photograph, rng: np.random.Generator) -> Iterator[Pair]:
    """A photograph at several sizes, worn by codecs."""
    for height in HEIGHTS:
        luma, *colours = planes_of(photograph, height)
        for place in range(STILLS):
            yield _enlarged(*_still(written_on(luma, rng) if place < WRITTEN_ON else luma, rng), rng)
        for _ in range(MOVIES):
            for coded, clean in _movie(luma, rng):
                yield _enlarged(coded, clean, rng)
        for colour in colours:
            yield _enlarged(*_still(colour, rng), rng)


def _still(clean: npt.NDArray[np.float32], rng: np.random.Generator) -> tuple[Luma, npt.NDArray[np.float32]]:
    heavy = rng.random() < HEAVY
    quality = float(np.exp(rng.uniform(*np.log(COARSE)))) if heavy else float(rng.uniform(*FINE))
    grainy = np.clip(clean + rng.normal(0, rng.choice(GRAIN), clean.shape), 0, 255).astype(np.float32)
    rounded = np.rint(grainy).astype(np.uint8)
    packed = cv2.imencode(".jpg", rounded, [cv2.IMWRITE_JPEG_QUALITY, round(quality)])[1]
    return np.asarray(cv2.imdecode(packed, cv2.IMREAD_GRAYSCALE), np.uint8), grainy


def _movie(clean: npt.NDArray[np.float32], rng: np.random.Generator) -> list[tuple[Luma, npt.NDArray[np.float32]]]:
    """Every other frame of a camera move, coded as a run."""
    height, width = (size // 16 * 16 - 48 for size in clean.shape)
    speed = rng.uniform(-4, 4, 2) * rng.choice([0.0, 0.3, 1.0])
    frames = []
    for number in range(RUN):
        x, y = 24 + speed * (number - RUN / 2)
        move = np.array([[1.0, 0.0, -x], [0.0, 1.0, -y]])
        frames.append(np.clip(cv2.warpAffine(clean, move, (width, height), flags=cv2.INTER_CUBIC), 0, 255))
    codec = str(rng.choice(["mpeg2video", "mpeg4", "mjpeg", "mpeg2video", "mpeg1video"]))
    strength = round(float(np.exp(rng.uniform(np.log(2), np.log(29)))))
    grain = rng.choice(GRAIN)
    grainy = [np.clip(one + rng.normal(0, grain, one.shape), 0, 255).astype(np.float32) for one in frames]
    worn = [np.rint(one).astype(np.uint8) for one in grainy]
    coded = coded_run(worn, codec, {"qmin": str(strength), "qmax": str(strength), "g": "12", "bf": "0"
                                    if codec == "mjpeg" else "2"})  # fmt: skip
    return list(zip(coded[::2], grainy[::2], strict=True))


def _enlarged(coded: Luma, clean: npt.NDArray[np.float32], rng: np.random.Generator) -> Pair:
    """As coded, or one field of it, or enlarged."""
    kind = rng.random()
    if kind < FIELDS:
        return coded[::2], clean[::2], 8.0, 4.0
    if kind > FIELDS + ENLARGED:
        return coded, clean, 8.0, 8.0
    factor = float(rng.uniform(0.8, 1.6))
    way = int(rng.choice([cv2.INTER_LINEAR, cv2.INTER_CUBIC, cv2.INTER_LANCZOS4]))
    size = round(coded.shape[1] * factor), round(coded.shape[0] * factor)
    large = (cv2.resize(one, size, interpolation=way) for one in (coded, clean))
    return *large, 8.0 * factor, 8.0 * factor  # type: ignore[return-value]


def patches(pairs: list[Pair], rng: np.random.Generator) -> tuple[torch.Tensor, torch.Tensor]:
    """A batch: what the network is given, and what is to be added."""
    given = np.zeros((BATCH, 3, PATCH, PATCH), np.float32)
    wanted = np.zeros((BATCH, 1, PATCH, PATCH), np.float32)
    for place in range(BATCH):
        coded, clean, period, lines = pairs[int(rng.integers(len(pairs)))]
        y, x = (int(rng.integers(size - PATCH)) for size in coded.shape)
        part = coded[y : y + PATCH, x : x + PATCH].astype(np.float32)
        own = clean[y : y + PATCH, x : x + PATCH]
        across = down = np.full(PATCH, -1.0, np.float32)
        if rng.random() > UNKNOWN:
            across = nearness(coded.shape[1], 0.0, period)[x : x + PATCH]
        if rng.random() > UNKNOWN:
            down = nearness(coded.shape[0], 0.0, lines)[y : y + PATCH]
        planes = np.stack([part / 255, np.tile(across, (PATCH, 1)), np.tile(down[:, None], (1, PATCH))])
        both = np.concatenate([planes, own[None] / 255 - planes[:1]])
        both = both[:, :, ::-1] if rng.random() < 0.5 else both
        both = both[:, ::-1] if rng.random() < 0.5 else both
        given[place], wanted[place] = both[:3], both[3:]
    return torch.from_numpy(given), torch.from_numpy(wanted)


def main() -> None:
    """Train and write."""
    words = sys.argv[1:]
    kind = QUICK if "quick" in words else FULL
    steps = next((int(word) for word in words if word.isdigit()), kind.steps)
    torch.manual_seed(SEED)
    torch.set_num_threads(THREADS)
    rng = np.random.default_rng(SEED)
    pairs = [pair for photograph in TRAINING for pair in pairs_of(photograph, rng)]
    sys.stdout.write(f"{len(pairs)} coded pictures of {len(TRAINING)} photographs\n")
    network = Network(kind)
    optimiser = torch.optim.Adam(network.parameters(), lr=RATE)
    gains: list[float] = []
    for count in range(steps):
        share = count / steps
        optimiser.param_groups[0]["lr"] = LAST_RATE + (RATE - LAST_RATE) * (1 + np.cos(np.pi * share)) / 2
        given, wanted = patches(pairs, rng)
        made = network(given)
        before = wanted.square().mean(dim=(1, 2, 3)) * 255**2 + FLOOR
        behind = (made - wanted).square().mean(dim=(1, 2, 3)) * 255**2 + FLOOR
        # by its size first, so that heavy residue is learned; in the end each picture by the share that is left
        loss = (behind / (before.sqrt() if share < ROUGH else before)).mean()
        optimiser.zero_grad()
        loss.backward()
        torch.nn.utils.clip_grad_norm_(network.parameters(), STEEPEST)
        optimiser.step()
        gains.append(float(10 * torch.log10(before / behind).mean().detach()))
        if (count + 1) % TOLD_EVERY == 0:
            sys.stdout.write(f"{count + 1} steps, {share:.2f}, gain {np.mean(gains[-TOLD_EVERY:]):.3f} dB\n")
            sys.stdout.flush()
    written(
        network, {"given": torch.zeros(1, 3, PATCH, PATCH)}, FOLDER / f"{kind.name}.onnx",
        {"made by": "python -m bench.train_compression" + " quick" * (kind is QUICK), "seed": SEED, "steps": steps,
         "batch": BATCH, "patch_px": PATCH},
    )  # fmt: skip


if __name__ == "__main__":
    main()
