"""ONNX Runtime sessions: one for each network, loaded on first use and shared by all threads."""

from __future__ import annotations

from functools import cache
from pathlib import Path
from threading import Lock

import numpy as np
import onnxruntime
from numpy.typing import NDArray

from crispgrain.cancel import check
from crispgrain.geometry import Place
from crispgrain.threads import worker_count

from . import providers

HERE = Path(__file__).parent
EDGE = 16  # px of mirrored surroundings at the picture's edge, where a network would see nothing
# By how much values may differ with another tile around them, for networks that compute with floats: kernels round
# differently at the end of a row, and margins end where hardly anything is felt. With 8 bits one of 256 steps may then
# be another, which changes a few values by some thousandths.
ROUNDING = 5e-5


class NetworkUnavailableError(Exception):
    """A network's file is missing or damaged."""


_chosen = [providers.PROCESSOR]
_starting = Lock()


def use_provider(provider: str) -> str:
    """Run networks on a provider (see :mod:`.providers`) from now on; says in words what went wrong, if anything.

    A provider that is not there or fails to start is replaced by the processor.
    """
    wanted = provider if provider in providers.present() else providers.PROCESSOR
    trouble = ""
    if wanted == provider and wanted != providers.PROCESSOR:
        try:
            used = _started(next(HERE.glob("*-net.onnx")), wanted, worker_count()).get_providers()[0]
        except Exception as error:  # drivers fail in ways of their own
            trouble = f" ({type(error).__name__})"
            used = providers.PROCESSOR
        wanted = used if used in providers.LOCAL else providers.PROCESSOR
    if wanted != _chosen[0]:
        _chosen[0] = wanted
        _started.cache_clear()
    if wanted == provider:
        return ""
    return f"Networks cannot run on {providers.words(provider)} here{trouble}; they run on {providers.words(wanted)}."


def rounded(name: str) -> str:
    """The same network, its blocks computing with 8 bits."""
    return f"{name}-8-bits"


def _files(name: str) -> tuple[Path, Path]:
    """Where a network lies, and the same with 8 bits."""
    return HERE / f"{name}.onnx", HERE / f"{rounded(name)}.onnx"


def provider() -> str:
    """What networks run on now."""
    return _chosen[0]


def _session(name: str, exact: bool = False) -> onnxruntime.InferenceSession:
    file, quick = _files(name)
    takes_quick = not exact and file.exists() and quick.exists() and providers.gains_by_8_bits(_chosen[0])
    with _starting:  # tiles that begin at once are to share it
        return _started(quick if takes_quick else file, _chosen[0], worker_count())


@cache
def _started(file: Path, provider: str, threads: int) -> onnxruntime.InferenceSession:
    return onnxruntime.InferenceSession(file.read_bytes(), _options(), providers=providers.in_order(provider, threads))


def _options() -> onnxruntime.SessionOptions:
    options = onnxruntime.SessionOptions()
    # Tiles are the parallel unit, as everywhere; a session must not start threads of its own.
    options.intra_op_num_threads = options.inter_op_num_threads = 1
    options.log_severity_level = 4
    return options


def framed(pixels: NDArray[np.float32], place: Place, multiple: int) -> tuple[NDArray, tuple[int, int]]:
    """Pixels (H x W x C) with mirrored surroundings, as a network wants them (1 x C x rows x columns).

    The frame is such that coarse levels of the network always fall on the same pixels of the whole. Also returns the
    row and column at which the pixels begin in it.
    """
    starts = place.rect.top, place.rect.left
    rows, columns = (
        surroundings(n, start % multiple, ends, multiple)
        for n, start, ends in zip(pixels.shape, starts, place.ends, strict=False)
    )
    frame = np.pad(pixels, (rows, columns, (0, 0)), mode="reflect" if min(pixels.shape[:2]) > 1 else "edge")
    return frame.transpose(2, 0, 1)[None], (rows[0], columns[0])


def surroundings(number: int, at_least: int, ends: tuple[bool, bool], multiple: int) -> tuple[int, int]:
    """How many px to add before and after ``number`` of them: ``EDGE`` where the picture ends, and to a multiple.

    Elsewhere the margin is surrounding enough. ``at_least`` so many before, beyond ``EDGE``.
    """
    before, after = (EDGE * end for end in ends)
    before += at_least
    return before, after + -(number + before + after) % multiple


def run(name: str, inputs: dict[str, NDArray], exact: bool = False) -> NDArray[np.float32]:
    """Run a network on arrays (batch x channels x rows x columns).

    ``exact``: with floats throughout; else most of it with 8 bits, where there is such a file and it is faster.

    Raises
    ------
    NetworkUnavailableError
        If its file is missing or damaged.
    Cancelled
        If nobody wants the answer any more.
    """
    check()
    try:
        session = _session(name, exact)
    except Exception as error:  # ONNX Runtime has no common base class for what can go wrong here
        raise NetworkUnavailableError(f"the file of {name} cannot be used ({error})") from error
    (output,) = session.run(None, {n: np.ascontiguousarray(a, np.float32) for n, a in inputs.items()})
    return output


@cache
def unavailable(name: str) -> str:
    """What is wrong with a network's files; empty if it can be used.

    They are read, but not made ready to run, which takes ten times as long and is done for those that are used.
    """
    options = _options()
    options.graph_optimization_level = onnxruntime.GraphOptimizationLevel.ORT_DISABLE_ALL
    file, quick = _files(name)
    try:
        for part in [file, *([quick] if quick.exists() else [])]:
            onnxruntime.InferenceSession(part.read_bytes(), options, providers=[(providers.PROCESSOR, {})])
    except FileNotFoundError:
        return f"The network {name} is not installed."
    except Exception as error:
        return f"The file of the network {name} is damaged ({type(error).__name__})."
    return ""
