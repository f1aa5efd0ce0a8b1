"""What the trainings of networks share: captions on photographs, and a network written with its provenance."""

from __future__ import annotations

import hashlib
import json
from pathlib import Path
from typing import Any

import cv2
import numpy as np
import numpy.typing as npt
import torch

from bench.photographs import TRAINING

CAPTIONS = 8  # on a picture


def written_on(clean: npt.NDArray[np.float32], rng: np.random.Generator) -> npt.NDArray[np.float32]:
    """With captions: thin bright and dark strokes, such as no photograph has."""
    picture = np.clip(np.rint(clean), 0, 255).astype(np.uint8)
    for _ in range(CAPTIONS):
        letters = "".join(chr(int(code)) for code in rng.integers(48, 122, 14))
        place = int(rng.integers(0, picture.shape[1] // 2)), int(rng.integers(20, picture.shape[0]))
        size, level = float(rng.uniform(0.4, 1.4)), float(rng.choice([16, 235]))
        thick = int(rng.integers(1, 3))
        cv2.putText(picture, letters, place, cv2.FONT_HERSHEY_SIMPLEX, size, level, thick, cv2.LINE_AA)
    return picture.astype(np.float32)


def written(network: torch.nn.Module, given: dict[str, torch.Tensor], target: Path, said: dict[str, Any]) -> None:
    """Write a network as ONNX, and beside it where it comes from.

    Args:
        network: trained.
        given: an example of what it is given, by name; pictures, height and width may differ later.
        target: of the weights; the provenance has the ending `.json`.
        said: of the training.
    """
    network.eval()
    axes = {0: "pictures", 2: "height", 3: "width"}
    open_axes = {name: axes if value.ndim == 4 else {0: "pictures"} for name, value in given.items()}
    torch.onnx.export(
        network, tuple(given.values()), str(target), dynamo=False, input_names=list(given), output_names=["added"],
        dynamic_axes={**open_axes, "added": {place: f"{name}_made" for place, name in axes.items()}}, opset_version=17,
    )  # fmt: skip
    provenance = {
        **said, "sha256": hashlib.sha256(target.read_bytes()).hexdigest(),
        "photographs": [
            {"package": one.package, "file": one.file, "author": one.author, "licence": one.licence}
            for one in TRAINING
        ],
    }  # fmt: skip
    target.with_suffix(".json").write_text(json.dumps(provenance, indent=1) + "\n")
