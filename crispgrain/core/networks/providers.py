"""What networks run on: the processor, or a graphics card that ONNX Runtime can use."""

from __future__ import annotations

import onnxruntime

PROCESSOR = "CPUExecutionProvider"
# Those that compute on this machine; others (Azure) would send pictures away.
LOCAL = {
    PROCESSOR: "the processor", "CUDAExecutionProvider": "the graphics card (CUDA)",
    "ROCMExecutionProvider": "the graphics card (ROCm)", "MIGraphXExecutionProvider": "the graphics card (MIGraphX)",
    "OpenVINOExecutionProvider": "Intel devices (OpenVINO)", "DmlExecutionProvider": "the graphics card (DirectML)",
    "CoreMLExecutionProvider": "Apple devices (Core ML)",
}  # fmt: skip


def present() -> list[str]:
    """Identifiers of the providers that can be chosen here, the processor first."""
    found = [p for p in onnxruntime.get_available_providers() if p in LOCAL]
    return sorted(found, key=lambda p: p != PROCESSOR)


def words(provider: str) -> str:
    """What a provider runs on, in words."""
    return LOCAL.get(provider, provider)
