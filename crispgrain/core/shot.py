"""Opening a shot for work: reading it, measuring it, finding its treatment, chaining its stages."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from .errors import ShotError
from .files.read import read_shot
from .files.source import Source
from .meter import Reading, measure
from .render.cache import TileCache
from .render.pipeline import TILE, Pipeline
from .resolve import resolve
from .treatment import Treatment, sidecar_path


@dataclass(frozen=True, eq=False)
class Shot:
    """A shot in memory: its pixels as stored, and what the meter found."""

    source: Source
    reading: Reading

    @property
    def path(self) -> Path:
        return self.source.path

    def pipeline(self, treatment: Treatment, cache: TileCache | None = None, tile: int = TILE) -> Pipeline:
        """The shot's stages under a treatment."""
        return Pipeline(self.source, self.reading, resolve(treatment, self.source, self.reading), cache, tile)


def open_shot(path: Path, meter: Callable[[Source], Reading] | None = None, rescue: bool = False) -> Shot:
    """Read and measure a shot; with ``rescue``, what is left of a damaged one.

    Raises
    ------
    ShotError
        As :func:`crispgrain.core.files.read_shot`; also if memory runs out, or anything else goes wrong: whatever is
        the matter with one file must not end the work on others.
    """
    try:
        source = read_shot(path, rescue)
        return Shot(source, (meter or measure)(source))
    except ShotError:
        raise
    except MemoryError as error:
        raise ShotError(path, "the picture does not fit into memory") from error
    except Exception as error:
        raise ShotError(path, f"the shot cannot be measured ({type(error).__name__}: {error})") from error


def saved_treatment(path: Path, folder: Path | None = None) -> Treatment | None:
    """The treatment kept for a shot, if there is one; raises ShotError if it cannot be read."""
    sidecar = sidecar_path(path, folder)
    return Treatment.load(sidecar) if sidecar.exists() else None
