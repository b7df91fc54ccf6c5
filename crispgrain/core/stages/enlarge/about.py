"""What is said of Enlarge."""

from __future__ import annotations

from ...about import About, Facts
from ..print.words import print_words

# Common practice, no source: what is smaller, in px of a side, does not enlarge well; x6 comes out well, x20 smeared.
SMALL = 500
LARGE, SMEARED = 8.0, 16.0


def _remarks(facts: Facts) -> list[str]:
    size, factor = facts.cropped, facts.factor
    what = "The source" if size == facts.source.size else "The crop"
    small = min(size.width, size.height) < SMALL
    said = [f"{what} is under {SMALL} pixels on a side: too small to enlarge well."] if small else []
    if factor >= SMEARED:
        said.append(f"Enlarged ×{factor:.0f}: will look smeared.")
    elif factor > LARGE:
        said.append(f"Enlarged ×{factor:.1f}: detail as fine as that is guessed. Look at it closely.")
    return said


ABOUT = About(lambda reading: False, compared=True, reading=print_words, remarks=_remarks)
