"""One place that decides how many threads work, so that they don't get in each other's way."""

from __future__ import annotations

import os
from contextlib import AbstractContextManager

import cv2
from threadpoolctl import threadpool_limits

_most = 0  # threads, if not as many as there are processors


def cores() -> int:
    """Processors this process may use."""
    return len(os.sched_getaffinity(0))


def worker_count() -> int:
    """Threads that render tiles: one for each processor, or fewer if it was told so."""
    return _most or cores()


def limit_workers(most: int) -> None:
    """Use no more threads than that in this process, one of several; 0 is as many as there are processors."""
    global _most
    _most = most


def single_threaded_libraries() -> AbstractContextManager:
    """Tiles are the parallel unit: keep OpenCV and BLAS from starting threads inside them."""
    cv2.setNumThreads(1)
    return threadpool_limits(1, user_api="blas")
