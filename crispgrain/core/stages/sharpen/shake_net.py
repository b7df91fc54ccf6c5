"""What deconvolution along a path that may be wrong leaves, cleaned by a network that also sees the picture before it.

References
----------
S. Vasu, V. R. Maligireddy, A. N. Rajagopalan, "Non-blind deblurring: handling kernel uncertainty with CNNs", CVPR
2018: wrong paths leave ghosts, which are not noise and have to be learnt.
"""

from __future__ import annotations

import numpy as np

from crispgrain.arrays import Array

from ...colour.spaces import SRGB_TO_WORKING, WORKING_TO_SRGB, apply_matrix, srgb_decode, srgb_encode
from ...networks.conditioned import restored
from .photo_prior import conditions

NAME = "shake-net"
REACH = 106  # px; what lies farther changes no value by more than 2e-4 (five patches of training photographs)
LEAST, MOST = -0.2, 1.2  # encoded; deconvolution may leave any value, but the network has met these


def clean(start: Array, seen: Array, sigma: float, effort: str = "fast") -> Array:
    """Linear pixels (working space) without what is wrong with a ``start``, both H x W x 3.

    Parameters
    ----------
    start : H x W x 3
        As a deconvolution that takes the error for noise of ``sigma`` left it.
    seen : H x W x 3
        The blurred picture.
    sigma : float
        Linear light, white = 1.
    effort : str
        ``best`` for an average over turned copies.

    Raises
    ------
    NetworkUnavailableError
        If the network's file is missing or damaged.
    """
    within = np.minimum(start, np.float32(1))  # highlights beyond white are nothing the network knows
    encoded, before = (srgb_encode(apply_matrix(p, WORKING_TO_SRGB)) for p in (within, seen))
    shown = np.concatenate([np.clip(encoded, LEAST, MOST), before], axis=-1)
    cleaned = restored(NAME, shown, conditions(encoded, sigma), effort=effort)
    return apply_matrix(srgb_decode(cleaned), SRGB_TO_WORKING) + (start - within)
