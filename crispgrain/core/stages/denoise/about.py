"""What is said of Denoise, and when a shot needs it."""

from __future__ import annotations

from ...about import About, Facts
from ...files.source import RawSource
from ...meter import words
from ...meter.reading import Reading
from ..enlarge import restore_net

# Below these it would do more harm than good.
LEAST_NOISE = 0.7  # 8-bit units
LEAST_COMPRESSION = 15.0  # percent; JPEG of quality 85


def needed(reading: Reading) -> bool:
    noisy = max(reading.noise.luminance, reading.noise.colour) >= LEAST_NOISE
    return noisy or reading.jpeg.strength >= LEAST_COMPRESSION


def _reading(facts: Facts) -> list[str]:
    compression = words.compression_words(facts.reading)
    said = words.noise_words(facts.reading.noise) + ([compression] if compression else [])
    known = facts.source.defects if isinstance(facts.source, RawSource) else None
    if known is not None:
        said.append(f"{len(known)} hot or dead pixels, known from other shots of the camera")
    if restore_net.needed(facts.reading) and facts.factor <= 1:
        said.append("small and worn: try Restore net as well, in Enlarge with a factor of 1")
    return said if needed(facts.reading) else [*said, "clean enough: metered off"]


ABOUT = About(needed, metered=True, compared=True, reading=_reading)
