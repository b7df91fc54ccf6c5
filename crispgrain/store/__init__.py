"""What need not be found out twice, in one SQLite file: a cache, never the only truth. It may be deleted."""

from .store import Stamp, Store

__all__ = ["Stamp", "Store"]
