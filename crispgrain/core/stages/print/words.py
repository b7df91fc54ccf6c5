"""What is said of a result's size."""

from __future__ import annotations

from crispgrain.geometry import Size

from ...about import Facts
from .paper import NONE, paper_words

LEAST_SEEN = 0.3  # px of blur
GOOD = 6.0  # times wider and higher: what still comes out well (common practice, no source)


def print_words(facts: Facts) -> list[str]:
    """Size of the result, in pixels and on paper, and how soft it will be."""
    size, ppi = facts.size, facts.ppi
    paper = [f"for {paper_words(facts.printing)}"] if facts.printing["paper"] != NONE else []
    left = [f"blur left: about {facts.softness:.1f} px"] if facts.softness >= LEAST_SEEN else []
    return [
        f"Result: {size.width} × {size.height} px",
        *paper,
        f"{_on_paper(facts, size)} at {ppi:.0f} ppi",
        f"{facts.ppi / facts.factor:.0f} ppi without enlarging",
        f"a good print goes up to {_on_paper(facts, facts.cropped, GOOD)}",
        *left,
    ]


def _on_paper(facts: Facts, size: Size, factor: float = 1.0) -> str:
    """Sides of so many pixels, or so many times as many, in the unit of the paper that was chosen."""
    inches = str(facts.printing["paper"]).endswith("in") or facts.printing["unit"] == "in"
    unit, per_inch = ("in", 1.0) if inches else ("cm", 2.54)
    width, height = (n * factor / facts.ppi * per_inch for n in (size.width, size.height))
    return f"{width:.1f} × {height:.1f} {unit}"
