"""Crisp Grain: removes noise, recovers sharpness and enlarges photographs, offline."""

__version__ = "0.1.0"
