"""What is said of Print."""

from __future__ import annotations

from ...about import About
from .words import print_words

ABOUT = About(reading=print_words)
