"""A stand-in for a print lab: takes files as its specification says, or says why not."""

from .counter import refused
from .spec import Spec, load_spec

__all__ = ["Spec", "load_spec", "refused"]
