"""Train the networks that enlarge: `python -m bench.train_enlarge [quick] [STEPS]`; writes `network` or `quick.onnx`.

Needs PyTorch (`pip install torch onnx`, CPU builds serve), which the application itself does not. Photographs of
registry packages (`bench.photographs`), none of them the bench's own, are brought down to half of their size and worn
as film and tape are: softened, with noise or grain, through a codec. The network is told how much of each, and learns
what is to be added to a plain enlargement. What it learns is one thing for every kind of material, told by figures.
"""

from __future__ import annotations

import sys
from dataclasses import dataclass
from itertools import pairwise
from pathlib import Path

import cv2
import numpy as np
import numpy.typing as npt
import torch

from bench.photographs import TRAINING, planes_of
from bench.training import written, written_on
from grevin.core.picture.resampling import halving_taps

Luma = npt.NDArray[np.float32]

FOLDER = Path(__file__).resolve().parent.parent / "src/grevin/core/steps/enlarge"
SEED = 2027
HEIGHTS = (1080, 640, 400)  # px to which photographs are brought down: fine texture, and pictures that are all edges
CAPTIONED = 1  # of each three pictures has captions
SMALL, MARGIN = 48, 8  # px of a patch that is learned from, and round it
BATCH = 32
STEPS, TOLD_EVERY = 24_800, 500  # an hour on one core with 16-bit matrices (AMX)
THREADS = 1
RATE, LAST_RATE = 1.5e-3, 1e-5  # of learning
UNIT = 20.0  # levels that are 1 inside the network
LEAK = 0.1  # of what is below 0
FIRST = 0.1
STEEPEST = 5.0  # norm of a gradient
FLOOR = 0.25  # squared levels: below it nothing is to be gained
ROUGH = 0.5  # of the time, in which large errors count more
CLEAN = 0.45  # of the patches are as they were photographed
NOISY, BLURRED, WORN = 0.6, 0.5, 0.3  # of the others
LOUDEST, SOFTEST = 14.0, 1.4  # standard deviations: 8-bit levels, px of the small picture
GRAINY = 0.5  # of the noise is grain of film, which is soft
MISTOLD = 0.15  # relative error of what the network is told, as measures have
UNTOLD = 0.5  # of the blurred ones are not said to be: nobody says it of most material, and worn material often is
BLUR_REACH = 9  # px of the large picture
NOISE_UNIT = 10.0  # levels that are told as 1


@dataclass(frozen=True)
class Kind:
    """One of the networks: its name, and how large it is."""

    name: str
    channels: int
    layers: int


FULL, QUICK = Kind("network", 32, 6), Kind("quick", 16, 5)


class Network(torch.nn.Module):  # type: ignore[misc]
    """Works at the small size; what it is told is added behind the first layer."""

    def __init__(self, kind: Kind) -> None:
        super().__init__()
        sizes = [1, *([kind.channels] * kind.layers), 4]
        sides = [5, *([3] * kind.layers)]
        self.layers = torch.nn.ModuleList(
            torch.nn.Conv2d(before, behind, side, padding=side // 2)
            for (before, behind), side in zip(pairwise(sizes), sides, strict=True)
        )
        self.told = torch.nn.Linear(3, kind.channels, bias=False)
        for layer in self.layers:
            torch.nn.init.kaiming_normal_(layer.weight, nonlinearity="relu")
            torch.nn.init.zeros_(layer.bias)
        first = self.layers[0].weight.data  # what is even tells nothing
        first -= first.mean(dim=(1, 2, 3), keepdim=True)
        self.layers[-1].weight.data *= FIRST

    def forward(self, given: torch.Tensor, known: torch.Tensor) -> torch.Tensor:
        """(N, 1, H, W) luma 0..1 and (N, 3) noise, blur, wear; gives (N, 1, 2 H, 2 W), what is to be added, 0..1."""
        state = (given - 0.5) * (255.0 / UNIT)
        for place, layer in enumerate(self.layers[:-1]):
            state = layer(state)
            if place == 0:
                state = state + self.told(known)[:, :, None, None]
            state = torch.nn.functional.leaky_relu(state, LEAK)
        return torch.nn.functional.pixel_shuffle(self.layers[-1](state), 2) * (UNIT / 255.0)


@dataclass(frozen=True)
class Wear:
    """How a patch was worn: standard deviations of noise (levels) and blur (px of the small one), quality of JPEG."""

    noise: float = 0.0
    blur: float = 0.0
    quality: int | None = None


def wear(rng: np.random.Generator) -> Wear:
    """Drawn."""
    if rng.random() < CLEAN:
        return Wear()
    return Wear(
        float(rng.uniform(0, LOUDEST)) if rng.random() < NOISY else 0.0,
        float(rng.uniform(0, SOFTEST)) if rng.random() < BLURRED else 0.0,
        int(rng.integers(25, 95)) if rng.random() < WORN else None,
    )


def worn(large: Luma, how: Wear, rng: np.random.Generator) -> Luma:
    """The small picture: softened, brought down, noisy, coded."""
    sigma = 2 * how.blur
    if sigma > 0:
        large = np.asarray(cv2.GaussianBlur(large, (2 * BLUR_REACH - 1,) * 2, sigma), np.float32)
    taps = halving_taps()
    reach = len(taps) // 2 - 1
    small = cv2.sepFilter2D(large, cv2.CV_32F, taps, taps, anchor=(reach, reach))
    small = small[reach:-reach:2, reach:-reach:2]
    if how.noise > 0:
        noise = np.asarray(rng.standard_normal(small.shape), np.float32)
        if rng.random() < GRAINY:
            noise = np.asarray(cv2.GaussianBlur(noise, (0, 0), float(rng.uniform(0.4, 0.9))), np.float32)
            noise /= noise.std()
        small = np.asarray(small + how.noise * noise, np.float32)
    small = np.clip(np.rint(small), 0, 255).astype(np.float32)
    if how.quality is not None:
        packed = cv2.imencode(".jpg", small.astype(np.uint8), [cv2.IMWRITE_JPEG_QUALITY, how.quality])[1]
        small = np.asarray(cv2.imdecode(packed, cv2.IMREAD_GRAYSCALE), np.float32)
    return np.asarray(small, np.float32)


def told(how: Wear, rng: np.random.Generator) -> tuple[float, float, float]:
    """What the network is told of it."""
    wrong = 1 + MISTOLD * rng.standard_normal(2)
    blur = 0.0 if rng.random() < UNTOLD else how.blur * wrong[1]
    return how.noise / NOISE_UNIT * wrong[0], blur, float(how.quality is not None)


def patch(pictures: list[Luma], how: Wear, rng: np.random.Generator) -> tuple[Luma, Luma]:
    """A small patch with its margin, and what is to be added to its plain enlargement."""
    # as large as its margins, the phase of a codec's blocks and the reach of both filters ask for
    phase, reach = 8, len(halving_taps()) // 2 - 1
    side = SMALL + 2 * MARGIN
    whole = 2 * (side + phase) + 2 * reach
    picture = pictures[int(rng.integers(len(pictures)))]
    y, x = (int(rng.integers(size - whole)) for size in picture.shape)
    large = picture[y : y + whole, x : x + whole].astype(np.float32)
    large = large.T if rng.random() < 0.5 else large
    large = np.ascontiguousarray(large[:: rng.choice([1, -1]), :: rng.choice([1, -1])])
    small = worn(large, how, rng)
    y, x = (int(number) for number in rng.integers(0, phase, 2))
    small = np.ascontiguousarray(small[y : y + side, x : x + side])
    plain = cv2.resize(small, (2 * side, 2 * side), interpolation=cv2.INTER_LANCZOS4)
    right = large[reach + 2 * y :, reach + 2 * x :][: 2 * side, : 2 * side]
    return small, np.asarray(right - plain, np.float32)


def batch(pictures: list[Luma], rng: np.random.Generator) -> tuple[torch.Tensor, torch.Tensor, torch.Tensor]:
    """What the network is given, what it is told, and what is to be added."""
    hows = [wear(rng) for _ in range(BATCH)]
    pairs = [patch(pictures, how, rng) for how in hows]
    given = np.stack([small[None] / 255 for small, _ in pairs]).astype(np.float32)
    wanted = np.stack([added[None] / 255 for _, added in pairs]).astype(np.float32)
    known = np.array([told(how, rng) for how in hows], np.float32)
    return torch.from_numpy(given), torch.from_numpy(known), torch.from_numpy(wanted)


def pictures_of(rng: np.random.Generator) -> list[Luma]:
    """Every photograph at several sizes; each third one with captions."""
    found: list[Luma] = []
    for photograph in TRAINING:
        for height in HEIGHTS:
            luma = planes_of(photograph, height)[0]
            found.append(written_on(luma, rng) if len(found) % 3 < CAPTIONED else luma)
    least = 2 * (SMALL + 2 * MARGIN + 8) + 8
    return [one.astype(np.uint8).astype(np.float32) for one in found if min(one.shape) > least]


def main() -> None:
    """Train and write."""
    words = sys.argv[1:]
    kind = QUICK if "quick" in words else FULL
    steps = next((int(word) for word in words if word.isdigit()), STEPS)
    torch.manual_seed(SEED)
    torch.set_num_threads(THREADS)
    rng = np.random.default_rng(SEED)
    pictures = pictures_of(rng)
    sys.stdout.write(f"{len(pictures)} pictures of {len(TRAINING)} photographs\n")
    network = Network(kind).to(memory_format=torch.channels_last)
    optimiser = torch.optim.Adam(network.parameters(), lr=RATE)
    gains: list[tuple[float, float]] = []
    inner = slice(2 * MARGIN, -2 * MARGIN)
    for count in range(steps):
        share = count / steps
        optimiser.param_groups[0]["lr"] = LAST_RATE + (RATE - LAST_RATE) * (1 + np.cos(np.pi * share)) / 2
        given, known, wanted = batch(pictures, rng)
        given = given.to(memory_format=torch.channels_last)
        with torch.autocast("cpu", dtype=torch.bfloat16):
            made = network(given, known)
        apart = ((made.float() - wanted) * 255)[..., inner, inner].square().mean(dim=(1, 2, 3)) + FLOOR
        before = (wanted * 255)[..., inner, inner].square().mean(dim=(1, 2, 3)) + FLOOR
        # by its size first, so that large errors are learned; in the end each patch by the share that is left
        loss = (apart / (before.sqrt() if share < ROUGH else before)).mean()
        optimiser.zero_grad()
        loss.backward()
        torch.nn.utils.clip_grad_norm_(network.parameters(), STEEPEST)
        optimiser.step()
        silent, gain = known.sum(dim=1) == 0, 10 * torch.log10(before / apart)
        gains.append((float(gain[silent].mean().detach()), float(gain[~silent].mean().detach())))
        if (count + 1) % TOLD_EVERY == 0:
            silent_db, told_db = np.nanmean(gains[-TOLD_EVERY:], axis=0)
            sys.stdout.write(
                f"{count + 1} steps, {share:.2f}, told nothing {silent_db:.3f} dB, told {told_db:.3f} dB\n"
            )
            sys.stdout.flush()
    side = SMALL + 2 * MARGIN
    written(
        network, {"given": torch.zeros(1, 1, side, side), "known": torch.zeros(1, 3)}, FOLDER / f"{kind.name}.onnx",
        {"made by": "python -m bench.train_enlarge" + " quick" * (kind is QUICK), "seed": SEED, "steps": steps,
         "batch": BATCH, "patch_px": SMALL},
    )  # fmt: skip


if __name__ == "__main__":
    main()
