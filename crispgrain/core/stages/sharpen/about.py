"""What is said of Sharpen, and when a shot needs it."""

from __future__ import annotations

from ...about import About, Facts
from ...meter import words
from ...meter.blur import LEAST_SOFTNESS
from ...meter.reading import Reading


def needed(reading: Reading) -> bool:
    return reading.blur.softness > LEAST_SOFTNESS


def _reading(facts: Facts) -> list[str]:
    said = [words.blur_words(facts.reading.blur)]
    return said if needed(facts.reading) else [*said, "sharp enough: metered off"]


ABOUT = About(needed, metered=True, compared=True, reading=_reading)
