"""What is said of a stage, whichever of its models is at work."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from crispgrain.geometry import Size

from .files.source import Source
from .meter.reading import Reading

LEAST_SEEN = 0.3  # px of blur


@dataclass(frozen=True)
class Facts:
    """A shot, and of its result the size, the resolution, and the blur that is left in it (sigma in px)."""

    source: Source
    reading: Reading
    size: Size
    ppi: float
    softness: float


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


def print_words(facts: Facts) -> list[str]:
    """Size of the result, in pixels and on paper, and how soft it will be."""
    size, ppi = facts.size, facts.ppi
    left = [f"blur left: about {facts.softness:.1f} px"] if facts.softness >= LEAST_SEEN else []
    return [
        f"Result: {size.width} × {size.height} px",
        f"{size.width / ppi * 2.54:.1f} × {size.height / ppi * 2.54:.1f} cm at {ppi:g} ppi",
        *left,
    ]
