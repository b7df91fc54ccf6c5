"""Tiles and reduced shots already computed, kept within a budget of memory."""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Callable, Hashable
from pathlib import Path
from typing import Any, Protocol, TypeVar

import numpy as np

from crispgrain.arrays import Array


class Sized(Protocol):
    """Anything that says how much memory it takes."""

    @property
    def nbytes(self) -> int: ...


class KeptProducts(Protocol):
    """Where products outlast the program."""

    def product(self, path: Path, name: str) -> Array | None:
        """What is kept under a name of a file as it is now."""
        ...

    def keep_product(self, path: Path, name: str, product: Array) -> None: ...


T = TypeVar("T", bound=Sized)


class TileCache:
    """A least-recently-used store of tiles, safe to share between threads.

    A tile that one thread is computing is waited for by the others, not
    computed twice.
    """

    def __init__(self, budget: int = 1_200_000_000, kept: KeptProducts | None = None) -> None:
        self.budget = budget
        self.kept = kept
        self._tiles: OrderedDict[Hashable, Any] = OrderedDict()
        self._bytes = 0
        self._lock = threading.Lock()
        self._pending: dict[Hashable, threading.Event] = {}

    @property
    def bytes_held(self) -> int:
        return self._bytes

    def __contains__(self, key: Hashable) -> bool:
        with self._lock:
            return key in self._tiles

    def is_coming(self, key: Hashable) -> bool:
        """Whether a thread is computing the tile under ``key``."""
        return key in self._pending

    def get(self, key: Hashable, compute: Callable[[], T]) -> T:
        """The tile under ``key``, computed if it is not there."""
        while True:
            with self._lock:
                if key in self._tiles:
                    self._tiles.move_to_end(key)
                    return self._tiles[key]
                pending = self._pending.get(key)
                if pending is None:
                    done = self._pending[key] = threading.Event()
                    break
            pending.wait()
        try:
            tile = compute()
            if isinstance(tile, np.ndarray):
                tile.setflags(write=False)
            with self._lock:
                self._tiles[key] = tile
                self._bytes += tile.nbytes
                while self._bytes > self.budget and len(self._tiles) > 1:
                    _, old = self._tiles.popitem(last=False)
                    self._bytes -= old.nbytes
            return tile
        finally:
            with self._lock:
                del self._pending[key]
            done.set()

    def clear(self) -> None:
        with self._lock:
            self._tiles.clear()
            self._bytes = 0
