"""What is said of a stage, whichever of its models is at work."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from crispgrain.geometry import Size

from .files.source import Source
from .meter.reading import Reading
from .model import Values


@dataclass(frozen=True)
class Facts:
    """A shot, and of its result the size, the Print stage's values, and the blur that is left in it (sigma in px).

    ``cropped`` is the size of what is left of the source.
    """

    source: Source
    reading: Reading
    size: Size
    printing: Values
    softness: float
    cropped: Size

    @property
    def ppi(self) -> float:
        return float(self.printing["ppi"])

    @property
    def factor(self) -> float:
        """How many times wider and higher the result is than what is left of the source."""
        return self.size.width / self.cropped.width


@dataclass(frozen=True)
class About:
    """What the interface says of a stage.

    ``needed`` is whether a shot of some reading needs it at all, if nothing is chosen.
    ``metered`` is whether any of its settings follow the reading.
    ``compared`` is whether its models are worth a test strip.
    ``reading`` is what was found that matters to it, ``remarks`` what should be known before trusting the result, each
    as sentences.
    """

    needed: Callable[[Reading], bool] = lambda reading: True
    metered: bool = False
    compared: bool = False
    reading: Callable[[Facts], list[str]] = lambda facts: []
    remarks: Callable[[Facts], list[str]] = lambda facts: []
