"""One place that decides how many threads work, so that they don't get in each other's way."""

from __future__ import annotations

import os
from contextlib import AbstractContextManager

import cv2
from threadpoolctl import threadpool_limits


def worker_count() -> int:
    """Threads that render tiles: one for each processor this process may use."""
    return len(os.sched_getaffinity(0))


def single_threaded_libraries() -> AbstractContextManager:
    """Tiles are the parallel unit: keep OpenCV and BLAS from starting threads inside them."""
    cv2.setNumThreads(1)
    return threadpool_limits(1, user_api="blas")
