"""What is said of Finish: nothing, and no shot needs it."""

from __future__ import annotations

from ...about import About

ABOUT = About(lambda reading: False)
