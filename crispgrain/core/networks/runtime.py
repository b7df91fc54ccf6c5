"""ONNX Runtime sessions: one for each network, loaded on first use and shared by all threads."""

from __future__ import annotations

from functools import cache
from pathlib import Path

import numpy as np
import onnxruntime
from numpy.typing import NDArray

HERE = Path(__file__).parent


class NetworkUnavailableError(Exception):
    """A network's file is missing or damaged."""


@cache
def _session(name: str) -> onnxruntime.InferenceSession:
    options = onnxruntime.SessionOptions()
    # Tiles are the parallel unit, as everywhere; a session must not start threads of its own.
    options.intra_op_num_threads = options.inter_op_num_threads = 1
    options.log_severity_level = 4
    return onnxruntime.InferenceSession(
        (HERE / f"{name}.onnx").read_bytes(), options, providers=["CPUExecutionProvider"]
    )


def run(name: str, inputs: dict[str, NDArray]) -> NDArray[np.float32]:
    """Run a network on arrays (batch x channels x rows x columns).

    Raises
    ------
    NetworkUnavailableError
        If its file is missing or damaged.
    """
    try:
        session = _session(name)
    except Exception as error:  # ONNX Runtime has no common base class for what can go wrong here
        raise NetworkUnavailableError(f"the file of {name} cannot be used ({error})") from error
    (output,) = session.run(None, {n: np.ascontiguousarray(a, np.float32) for n, a in inputs.items()})
    return output


@cache
def problem(name: str) -> str:
    """What is wrong with a network's file; empty if it can be used."""
    try:
        _session(name)
    except FileNotFoundError:
        return f"The network {name} is not installed."
    except Exception as error:
        return f"The file of the network {name} is damaged ({type(error).__name__})."
    return ""
