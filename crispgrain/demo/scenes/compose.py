"""How the committed scenes were made from the ray tracer's output. Run once, by hand.

    python compose.py RENDERS orrery dial planet room

RENDERS holds 16-bit linear PNGs rendered from the .pov files beside this script
(their first comments give the sizes; ``Declare=View=1`` renders the room behind
the objects). The room is blurred as a lens focused on the instrument would blur
it, the objects are laid over it, and the picture is stored sRGB-encoded as a
16-bit JPEG XL, small and without visible loss: the decoded file *is* the truth
the simulator starts from. Where an object is comes from renders at half size with
an alpha channel (``orrery +W2000 +H1500 +UA Declare=View=2``), as RENDERS/orrery-instrument.png and so on.
"""

from __future__ import annotations

import sys
from pathlib import Path

import cv2
import imagecodecs
import numpy as np

from crispgrain.arrays import Array
from crispgrain.core.colour.spaces import srgb_encode

BOKEH_RADIUS = 34  # px at 4000 px width
LAMP_BOOST = 12.0  # lamps are brighter than the renders can hold


def read(path: Path) -> Array:
    stored = cv2.imread(str(path), cv2.IMREAD_UNCHANGED)
    if stored is None:
        raise FileNotFoundError(path)
    order = [2, 1, 0, 3][: stored.shape[2]]
    return stored[..., order].astype(np.float32) / 65535


def defocus(picture: Array, radius: int) -> Array:
    """Blur by a disc, in linear light, lamps at their real brightness."""
    lamps = (picture.min(axis=-1, keepdims=True) > 0.9) * np.float32(LAMP_BOOST - 1) + 1
    y, x = np.mgrid[-radius : radius + 1, -radius : radius + 1]
    disc = (np.hypot(x, y) <= radius).astype(np.float32)
    return np.minimum(cv2.filter2D(picture * lamps, -1, disc / disc.sum(), borderType=cv2.BORDER_REFLECT), 1)


def compose(front: Array, back: Array) -> Array:
    """Objects with alpha (H x W x 4) over the blurred room (half size)."""
    far = defocus(back[..., :3], BOKEH_RADIUS // 2)
    far = cv2.resize(far, front.shape[1::-1], interpolation=cv2.INTER_CUBIC)
    # The ray tracer's colours are already weighted by alpha.
    return front[..., :3] + far * (1 - front[..., 3:])


def store(picture: Array, name: str) -> None:
    encoded = (np.clip(srgb_encode(picture), 0, 1) * 65535 + 0.5).astype(np.uint16)
    data = imagecodecs.jpegxl_encode(encoded, distance=0.6, effort=7)
    Path(__file__).with_name(f"{name}.jxl").write_bytes(data)
    print(name, picture.shape, len(data))


def store_places(folder: Path) -> None:
    """Keep the alpha channel of the 8-bit renders that are named ``SCENE-OBJECT.png``."""
    for path in folder.glob("*-*.png"):
        stored = cv2.imread(str(path), cv2.IMREAD_UNCHANGED)
        if stored is None:
            raise FileNotFoundError(path)
        cv2.imwrite(str(Path(__file__).with_name(path.name)), stored[..., 3])


if __name__ == "__main__":
    folder = Path(sys.argv[1])
    store_places(folder)
    for scene in sys.argv[2:]:
        back = folder / f"{scene}_back.png"
        front = read(folder / f"{scene}.png")
        store(compose(front, read(back)) if back.exists() else front[..., :3], scene)
