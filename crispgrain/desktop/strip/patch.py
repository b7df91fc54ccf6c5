"""A place that means the same in shots of any size."""

from __future__ import annotations

from dataclasses import dataclass

from crispgrain.geometry import Rect, Size

LEAST = 8  # px of the source


@dataclass(frozen=True)
class Patch:
    """A rectangle in shares of a source's height and width."""

    top: float
    left: float
    height: float
    width: float

    @classmethod
    def of(cls, rect: Rect, size: Size) -> Patch:
        return cls(rect.top / size.height, rect.left / size.width, rect.height / size.height, rect.width / size.width)

    def within(self, size: Size) -> Rect:
        top, left = int(self.top * size.height + 0.5), int(self.left * size.width + 0.5)
        height, width = int(self.height * size.height + 0.5), int(self.width * size.width + 0.5)
        return Rect(top, left, max(LEAST, height), max(LEAST, width)).intersect(size.rect)
