"""What is worked out once from a whole shot: shared by all tiles, and kept while its file is as it is."""

from __future__ import annotations

import hashlib
import json

from crispgrain.arrays import Array

from ..files.source import Source
from ..meter.reading import Reading
from ..model import Product, Values
from .cache import KeptProducts, TileCache


def product_of(
    product: Product, source: Source, reading: Reading, values: Values, cache: TileCache, kept: KeptProducts | None
) -> Array:  # fmt: skip
    """A product of a shot: from the cache, from what is kept, or computed; once, however many threads ask."""
    used = tuple((name, values[name]) for name in product.uses)

    def found() -> Array:
        name = f"{product.id} {product.version} {used} {_fingerprint(reading)}"
        before = kept.product(source.path, name) if kept is not None else None
        if before is not None:
            return before
        computed = product.compute(source, reading, values)
        if kept is not None:
            kept.keep_product(source.path, name, computed)
        return computed

    return cache.get((source.serial, product.id, product.version, used, reading), found)


def _fingerprint(reading: Reading) -> str:
    return hashlib.sha256(json.dumps(reading.as_json(), sort_keys=True).encode()).hexdigest()[:16]
