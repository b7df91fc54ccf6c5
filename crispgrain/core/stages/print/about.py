"""What is said of Print."""

from __future__ import annotations

from ...about import About, print_words

ABOUT = About(reading=print_words)
