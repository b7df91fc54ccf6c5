"""What pixels are kept in."""

from typing import Any

from numpy.typing import NDArray

Array = NDArray[Any]  # float32, H x W or H x W x C; scene-linear unless it says otherwise
