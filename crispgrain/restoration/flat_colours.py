"""Drawings, letters and logos: a few flat colours with edges between them, freed of what compression put around them.

Every pixel of such a picture is one of a few colours, or a mixture of two that meet there. What lies beyond both
(ringing) or beside them (stains) is neither, and is brought back; how far an edge's pixel is from one colour to the
other (its coverage) stays.

References
----------
The two colours of a place and the share of each are the model of digital matting (A. Levin, D. Lischinski, Y. Weiss,
"A Closed-Form Solution to Natural Image Matting", 2008), the colours of a palette those of colour quantisation
(P. Heckbert, "Color image quantization for frame buffer display", 1982).
"""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from crispgrain.arrays import Array

MOST = 10  # colours
BIN = 8  # 8-bit steps, of the histogram that colours are looked for in
OWN = 18.0  # 8-bit steps around a colour that are its own
LEAST = 0.004  # share of the pixels that a colour has
OTHER = 60.0  # 8-bit steps from all other colours to that of thin strokes: stains are nearer
THIN = 0.0005  # that the middles of thin strokes of a colour have
NEAR = 3  # px, from where two colours meet to where each is alone
REACH = 2 * NEAR + 2  # px on each side that a pixel depends on
STRAY = 40.0  # 8-bit steps from the model from which on a pixel is left as it is
FLAT_STEP = 24  # 8-bit steps within 3 x 3 px that are still flat
CLOSE = 8.0  # 8-bit steps from a colour, of even places that are it
EVEN = 0.4  # share of a drawing that is even
SAMPLED = 8  # one even place of so many tells photographs
FAR_FROM_DRAWN = 0.6  # share of the even places that areas of few colours have at least in any drawing
CREST = 0.12  # coverage that is none yet
LARGEST_STAIN = 6.0  # how much nearer a mixture has to be than one colour alone


def palette_of(picture: NDArray[np.uint8]) -> NDArray[np.float32]:
    """The flat colours of a picture (H x W x 3, 8 bits): n x 3, the commonest first; perhaps none.

    Examples
    --------
    >>> sign = np.full((40, 40, 3), 250, np.uint8)
    >>> sign[10:30, 15:25] = (200, 20, 30)
    >>> palette_of(sign).round().astype(int).tolist()
    [[250, 250, 250], [200, 20, 30]]
    """
    count = picture.shape[0] * picture.shape[1]
    found = _commonest(picture[_span(picture) <= FLAT_STEP].astype(np.float32), LEAST * count, MOST)
    # Thin strokes are nowhere flat: their colour is that of the middle of what no mixture explains.
    _, distance = _modelled(picture.astype(np.float32), _table(found))
    luma, wide = cv2.cvtColor(picture, cv2.COLOR_RGB2GRAY), np.ones((2 * NEAR + 1,) * 2, np.uint8)
    extreme = (luma == cv2.dilate(luma, wide)) | (luma == cv2.erode(luma, wide))
    rest = picture[extreme & (distance > OWN)].astype(np.float32)
    for colour in found:
        rest = rest[_away(rest, colour) > OTHER]
    return _table([*found, *_commonest(rest, THIN * count, MOST - len(found))])


def _away(pixels: NDArray, colour: NDArray[np.float32]) -> Array:
    """How far pixels (... x 3) are from a colour."""
    apart = pixels - colour
    return np.sqrt(np.einsum("...c,...c->...", apart, apart))


def _table(colours: list[NDArray[np.float32]]) -> NDArray[np.float32]:
    return np.array(colours, np.float32).reshape(-1, 3)


def _commonest(pixels: Array, least: float, most: int) -> list[NDArray[np.float32]]:
    """The middles of what pixels (n x 3) gather around, each of so many at least."""
    left, found = pixels, list[NDArray[np.float32]]()
    while len(left) > least and len(found) < most:
        bins = (left * np.float32(1 / BIN)).astype(np.int32)
        keys = (bins[:, 0] * 32 + bins[:, 1]) * 32 + bins[:, 2]
        colour = left[keys == np.argmax(np.bincount(keys))].mean(axis=0)
        for _ in range(3):
            own = _away(left, colour) < OWN
            colour = left[own].mean(axis=0)
        if own.sum() < least:
            break
        found.append(colour)
        left = left[_away(left, colour) >= 1.5 * OWN]
    return found


def _modelled(picture: Array, palette: NDArray[np.float32]) -> tuple[Array, Array]:
    """What pixels are of colours and mixtures of two that are there, and how far each is from that.

    Parameters
    ----------
    picture : float32, H x W x 3
        8-bit steps, 0 to 255.

    Returns
    -------
    H x W x 3 and H x W, in 8-bit steps.
    """
    if not len(palette):
        return picture, np.full(picture.shape[:2], 255.0, np.float32)
    away = np.stack([_away(picture, colour) for colour in palette])
    nearest, kernel = away.argmin(axis=0), np.ones((2 * NEAR + 1,) * 2, np.uint8)
    there = []
    for number in range(len(palette)):
        own = ((nearest == number) & (away[number] < OWN)).astype(np.uint8)
        several = cv2.boxFilter(own, cv2.CV_16S, (3, 3), normalize=False) >= 4  # not a stain
        there.append(cv2.dilate(own & several.astype(np.uint8), kernel).astype(bool))
    apart = np.where(np.stack(there), away, np.inf)
    distance, single = apart.min(axis=0), apart.argmin(axis=0)
    model = palette[single]
    for one in range(len(palette)):
        for other in range(one + 1, len(palette)):
            both = there[one] & there[other]
            if not both.any():
                continue
            way = palette[other] - palette[one]
            pixels = picture[both]
            share = np.clip((pixels - palette[one]) @ way / (way @ way), 0, 1)
            apart = _away(pixels - share[:, None] * way, palette[one])
            better = apart + LARGEST_STAIN < distance[both]
            rows, columns = (n[better] for n in np.nonzero(both))
            crisp = np.clip((share[better] - CREST) / (1 - 2 * CREST), 0, 1)
            distance[rows, columns] = apart[better]
            model[rows, columns] = palette[one] + crisp[:, None] * way
    return model.astype(np.float32), np.minimum(distance, 255).astype(np.float32)


def flattened(picture: Array, palette: NDArray[np.float32], strength: float = 1.0) -> Array:
    """A picture (H x W x 3, encoded, 0 to 1) of flat colours, cleaned; what is nothing of that kind stays as it is.

    Examples
    --------
    >>> sign = np.full((40, 40, 3), 250, np.uint8)
    >>> sign[10:30, 15:25] = (200, 20, 30)
    >>> stained = sign / np.float32(255) + np.random.default_rng(0).normal(0, 0.02, sign.shape).astype(np.float32)
    >>> bool(np.abs(flattened(stained, palette_of(sign)) - sign / 255).max() < 0.01)
    True
    """
    steps = np.clip(picture * np.float32(255), 0, 255)
    model, distance = _modelled(steps, palette)
    weight = np.float32(strength) * np.clip(2 - 2 * distance / np.float32(STRAY), 0, 1)[..., None]
    return np.asarray(picture + weight * (model / np.float32(255) - picture), np.float32)


def flatness(picture: NDArray[np.uint8]) -> float:
    """Share of the even places of a picture (H x W x 3) that are closely one of its flat colours; 0 if few are even.

    Drawings stained by JPEG of quality 15 have 0.91, photographs at most 0.71 (those of the training set).

    Examples
    --------
    >>> sign = np.full((40, 40, 3), 250, np.uint8)
    >>> sign[10:30, 15:25] = (200, 20, 30)
    >>> flatness(sign)
    1.0
    >>> ramp = np.broadcast_to(np.arange(0, 240, 2, dtype=np.uint8)[:, None, None], (120, 120, 3)).copy()
    >>> flatness(ramp) < 0.8
    True
    """
    even = picture[_span(picture) <= FLAT_STEP].astype(np.float32)
    if len(even) < EVEN * picture.shape[0] * picture.shape[1]:
        return 0.0
    sample = even[::SAMPLED]
    share = _close(sample, _table(_commonest(sample, LEAST * len(sample), MOST)))
    if share < FAR_FROM_DRAWN:  # as of most photographs; strokes, which take long to look for, are not even
        return share
    palette = palette_of(picture)
    return _close(even, palette) if len(palette) > 1 else 0.0


def _close(pixels: Array, palette: NDArray[np.float32]) -> float:
    """Share of the pixels (n x 3) that are closely one of some colours."""
    close = np.zeros(len(pixels), bool)
    for colour in palette:
        close |= _away(pixels, colour) < CLOSE
    return float(close.mean())


def _span(picture: NDArray[np.uint8]) -> NDArray[np.int16]:
    """Between the lightest and the darkest of 3 x 3 pixels, in the channel where that is most."""
    kernel = np.ones((3, 3), np.uint8)
    span = cv2.dilate(picture, kernel).astype(np.int16) - cv2.erode(picture, kernel)
    return np.asarray(np.maximum(np.maximum(span[..., 0], span[..., 1]), span[..., 2]), np.int16)
