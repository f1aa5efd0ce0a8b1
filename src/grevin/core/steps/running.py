"""Trained networks of steps, run by onnxruntime: weights lie as `network.onnx` beside the step that uses them."""

from __future__ import annotations

from functools import cache
from pathlib import Path
from typing import Any

from grevin.core.errors import GrevinError


@cache
def session_of(weights: Path, what: str, way_out: str) -> Any:
    """One for the process; frames are worked on side by side, so each run has one thread (decision 004).

    Args:
        weights: file of the network.
        what: is done by it, for people.
        way_out: what to do where it cannot be had.

    Raises:
        GrevinError: if the library or the weights are not to be had.
    """
    try:
        import onnxruntime  # half a second to load: only where a network is used
    except ImportError as fault:
        raise GrevinError(
            f"{what[0].upper()}{what[1:]} needs the library onnxruntime, which cannot be loaded.", way_out
        ) from fault
    options = onnxruntime.SessionOptions()
    options.intra_op_num_threads = 1
    options.inter_op_num_threads = 1
    options.log_severity_level = 3
    try:
        return onnxruntime.InferenceSession(str(weights), options, providers=["CPUExecutionProvider"])
    except Exception as fault:
        raise GrevinError(f"The weights of {what} cannot be read: {weights.name}.", way_out) from fault
