"""Reading shots from disk and writing results to it."""

from .read import PICTURE_SUFFIXES, RAW_SUFFIXES, find_shots, read_shot
from .source import Facts, PictureSource, RawSource, Source
from .write import OutputFormat, OutputSettings, write_picture

__all__ = [
    "PICTURE_SUFFIXES", "RAW_SUFFIXES", "Facts", "OutputFormat", "OutputSettings", "PictureSource", "RawSource",
    "Source", "find_shots", "read_shot", "write_picture",
]  # fmt: skip
