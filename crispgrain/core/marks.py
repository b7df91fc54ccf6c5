"""What a photographer thinks of a shot: kept, rejected, to be looked at again."""

from __future__ import annotations

from enum import StrEnum


class Mark(StrEnum):
    """A mark and its word."""

    NONE = ""
    KEEP = "keep"
    LOOK_AGAIN = "look again"
    REJECT = "reject"

    @property
    def rating(self) -> int:
        """The rating that other programs read (xmp:Rating; XMP specification part 1, ISO 16684-1: -1 is rejected)."""
        return {Mark.NONE: 0, Mark.KEEP: 5, Mark.LOOK_AGAIN: 1, Mark.REJECT: -1}[self]


def mark_of(rating: int) -> Mark:
    """The mark that a rating of another program comes nearest to."""
    if rating < 0:
        return Mark.REJECT
    return Mark.KEEP if rating >= 3 else Mark.LOOK_AGAIN if rating else Mark.NONE
