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


def opened(paths: Sequence[Path], deep: bool = True, rescue: bool = False) -> Iterator[Shot | ShotError]:
    """Each file when its turn comes; with ``rescue``, what is left of damaged ones.

    All RAW is measured first if there are several, for it tells of its camera.
    """
    files, problems = find_shots(paths, deep)
    yield from problems
    store = Store(store_file())
    if len(files) > 1:
        learn(files, store)
    try:
        for path in files:
            try:
                yield _one(path, store, rescue)
            except ShotError as error:
                yield error
    finally:
        store.close()


def _one(path: Path, store: Store, rescue: bool) -> Shot:
    try:
        return known_shot(path, store)
    except ShotError:
        if not rescue or not path.is_file():
            raise
        return known_shot(path, store, rescue=True)
