"""Files and folders of a call as shots, those that cannot be opened as what is wrong with them."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from pathlib import Path

from crispgrain.core.errors import ShotError
from crispgrain.core.files import find_shots
from crispgrain.core.shot import Shot
from crispgrain.paths import store_file
from crispgrain.store import Store
from crispgrain.store.sensors import known_shot, learn


def opened(paths: Sequence[Path], deep: bool = True) -> Iterator[Shot | ShotError]:
    """Each file when its turn comes; all RAW is measured first if there are several, for it tells of its camera."""
    files, problems = find_shots(paths, deep)
    yield from problems
    store = Store(store_file())
    if len(files) > 1:
        learn(files, store)
    try:
        for path in files:
            try:
                yield known_shot(path, store)
            except ShotError as error:
                yield error
    finally:
        store.close()
