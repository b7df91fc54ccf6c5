"""What is left of damaged files; decoded in a process with limits of time and memory."""

from .found import GONE, Found
from .limited import rescued

__all__ = ["GONE", "Found", "rescued"]
