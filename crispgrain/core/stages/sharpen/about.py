"""What is said of Sharpen, and when a shot needs it."""

from __future__ import annotations

from ...about import About, Facts
from ...meter import words
from ...meter.reading import Reading

# px. As soft as that read 6 of 72 clean sharp photographs of the training set as files, and 6 of 65 as RAW; a real RAW
# is never as sharp, for a lens and the sensor's cells soften it (common practice, no source).
LEAST_BLUR, LEAST_RAW_BLUR = 0.4, 0.3


def needed(reading: Reading) -> bool:
    return reading.blur.softness >= (LEAST_RAW_BLUR if reading.raw else LEAST_BLUR)


def _reading(facts: Facts) -> list[str]:
    said = [words.blur_words(facts.reading.blur)]
    why = "sharp enough" if facts.reading.blur.kind == "none" else "too little to be sure of"
    return said if needed(facts.reading) else [*said, f"{why}: metered off"]


ABOUT = About(needed, metered=True, compared=True, reading=_reading)
