"""From trained weights to an ONNX file that gives the same numbers."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import onnx
import onnx.numpy_helper
import onnxruntime
import torch
from torch import nn

TOLERANCE = 1e-4


def export(
    network: nn.Module, inputs: dict[str, torch.Tensor], target: Path, notes: str, tolerance: float = TOLERANCE
) -> float:
    """Write a network as ONNX with free picture size, and check it against torch.

    Returns
    -------
    float
        Largest difference between the two on a picture of another size.

    Raises
    ------
    ValueError
        If that exceeds ``tolerance``; nothing is written then.
    """
    network.eval()
    unfinished = target.with_suffix(".unfinished.onnx")
    axes = {name: {0: "batch", 2: f"rows_{name}", 3: f"columns_{name}"} for name in [*inputs, "output"]}
    torch.onnx.export(
        network, tuple(inputs.values()), str(unfinished), input_names=list(inputs), output_names=["output"],
        dynamic_axes=axes, opset_version=17, dynamo=False,
    )  # fmt: skip
    model = onnx.load(unfinished)
    _round_weights(model.graph)
    model.doc_string = notes
    onnx.save(model, unfinished)
    other = {n: torch.rand(1, t.shape[1], t.shape[2] * 2, t.shape[3] * 3) for n, t in inputs.items()}
    with torch.no_grad():
        expected = network(*other.values()).numpy()
    session = onnxruntime.InferenceSession(str(unfinished), providers=["CPUExecutionProvider"])
    (got,) = session.run(None, {n: t.numpy() for n, t in other.items()})
    difference = float(np.abs(got - expected).max())
    if difference > tolerance:
        unfinished.unlink()
        raise ValueError(f"ONNX differs from torch by {difference:g}")
    unfinished.replace(target)
    return difference


def _round_weights(graph: onnx.GraphProto) -> None:
    """Store weights that are rounded to 8 bits as such, by channel of their output, not as floats and how to round."""
    stored = {v.name: v for v in graph.initializer}
    constants = {n.output[0]: n.attribute[0].t for n in graph.node if n.op_type == "Constant"}
    for node in [n for n in graph.node if n.op_type == "QuantizeLinear" and n.input[0] in stored]:
        weight, scale = (onnx.numpy_helper.to_array(stored.get(n) or constants[n]) for n in node.input[:2])
        rounded = np.clip(np.round(weight / scale[:, None, None, None]), -128, 127).astype(np.int8)
        graph.initializer.remove(stored[node.input[0]])
        graph.initializer.append(onnx.numpy_helper.from_array(rounded, node.output[0]))
        graph.node.remove(node)


def shipped_weights(source: Path) -> dict[str, torch.Tensor]:
    """The values in an ONNX file that :func:`export` wrote, by the names the network gives them.

    What can be computed from the network's form alone is not among them, or has another name.

    Raises
    ------
    FileNotFoundError
        Without such a file.
    """
    return {v.name: torch.from_numpy(onnx.numpy_helper.to_array(v).copy()) for v in onnx.load(source).graph.initializer}
