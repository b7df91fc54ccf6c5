"""What is said of Develop."""

from __future__ import annotations

from ...about import About, Facts
from ...meter import words
from . import white


def _reading(facts: Facts) -> list[str]:
    source, reading = facts.source, facts.reading
    said = [f"{reading.size.width} × {reading.size.height} px" + (", RAW" if source.is_raw else "")]
    said += [source.facts.camera] if source.facts.camera else []
    said += [f"ISO {source.facts.iso}"] if source.facts.iso else []
    light = white.light_as_shot(source)
    said += [f"light as shot {white.words(light)}"] if light is not None else []
    return [*said, *words.tone_words(reading), *words.history_words(reading)]


def _remarks(facts: Facts) -> list[str]:
    drawn = ["It is a drawing or letters: “Drawing” cleans its flat colours."] if facts.reading.drawn else []
    return [*facts.source.facts.remarks, *drawn]


ABOUT = About(metered=True, compared=True, reading=_reading, remarks=_remarks)
