"""What is said of Enlarge."""

from __future__ import annotations

from ...about import About, Facts, print_words

SMALL = 500  # px of a side; less is too small to enlarge well (common practice, no source)


def _remarks(facts: Facts) -> list[str]:
    size = facts.reading.size
    small = min(size.width, size.height) < SMALL
    return [f"The source is under {SMALL} pixels on a side: too small to enlarge well."] if small else []


ABOUT = About(lambda reading: False, compared=True, reading=print_words, remarks=_remarks)
