"""What networks run on: the processor, or a graphics card that ONNX Runtime can use."""

from __future__ import annotations

import json

import onnxruntime

PROCESSOR = "CPUExecutionProvider"
# Other kernels for the processor, faster than ONNX Runtime's own where there are any; results agree within 3e-6.
KERNELS = "OpenVINOExecutionProvider"
# Those that compute on this machine; others (Azure) would send pictures away.
LOCAL = {
    PROCESSOR: "the processor", "CUDAExecutionProvider": "the graphics card (CUDA)",
    "ROCMExecutionProvider": "the graphics card (ROCm)", "MIGraphXExecutionProvider": "the graphics card (MIGraphX)",
    "DmlExecutionProvider": "the graphics card (DirectML)", "CoreMLExecutionProvider": "Apple devices (Core ML)",
}  # fmt: skip


def present() -> list[str]:
    """Identifiers of the providers that can be chosen here, the processor first."""
    found = [p for p in onnxruntime.get_available_providers() if p in LOCAL]
    return sorted(found, key=lambda p: p != PROCESSOR)


def gains_by_8_bits(provider: str) -> bool:
    """Whether networks that compute with 8 bits are faster there: ONNX Runtime's own kernels take longer with them."""
    return provider == PROCESSOR and KERNELS in onnxruntime.get_available_providers()


def words(provider: str) -> str:
    """What a provider runs on, in words."""
    return LOCAL.get(provider, provider)


def in_order(provider: str, threads: int) -> list[tuple[str, dict[str, str]]]:
    """What ONNX Runtime is to try for a provider, best first, each with its options.

    ``threads``: runs of a network at the same time, each of which works on one processor.
    """
    # Pinned to processors, two networks at work would share one of them, and several processes, too.
    settings = {"INFERENCE_NUM_THREADS": str(threads), "NUM_STREAMS": str(threads), "ENABLE_CPU_PINNING": "NO"}
    options = {"device_type": "CPU", "precision": "FP32", "load_config": json.dumps({"CPU": settings})}
    kernels = [(KERNELS, options)] if KERNELS in onnxruntime.get_available_providers() else []
    chosen: list[tuple[str, dict[str, str]]] = [(provider, {})] if provider != PROCESSOR else []
    return [*chosen, *kernels, (PROCESSOR, {})]
