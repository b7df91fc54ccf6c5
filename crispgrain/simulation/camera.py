"""A simulated camera: from a clean linear scene to what a sensor would have recorded.

It stands in for a photographer's camera in the demo roll, in tests and in
training, so that the truth behind a noisy shot is known.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from crispgrain.arrays import Array
from crispgrain.core.files.raw import camera_matrix
from crispgrain.restoration.cells import SIX_BY_SIX
from crispgrain.restoration.point_spread import line, path

from .defects import Defects, read_noise, unequal, with_dots
from .in_camera import shading

BAYER = {
    "RGGB": np.array([[0, 1], [1, 2]], np.int8), "BGGR": np.array([[2, 1], [1, 0]], np.int8),
    "GRBG": np.array([[1, 0], [2, 1]], np.int8), "GBRG": np.array([[1, 2], [0, 1]], np.int8),
}  # fmt: skip
PATTERNS = BAYER | {"six by six": SIX_BY_SIX}


def noise_at(iso: float) -> tuple[float, float]:
    """Poisson-Gaussian noise (a, b) of a small sensor: variance = a x signal + b, signal 0..1.

    The form is that of A. Foi et al., "Practical Poissonian-Gaussian noise
    modeling and fitting for single-image raw-data", IEEE Trans. Image
    Processing 17(10), 2008: shot noise grows with gain, read noise with its
    square, above a floor that gain does not touch.
    """
    return 2.5e-7 * iso, 2.5e-13 * iso**2 + 4e-8


@dataclass(frozen=True)
class Camera:
    """Constants of a made-up camera.

    ``colour_matrix`` takes XYZ to camera RGB under D65 (DNG ColorMatrix1);
    ``balance`` are the gains as shot, for a light of about 4970 K; ``black`` and
    ``white`` are sensor values. ``masked`` are rows above and columns left of the picture that see no light, even
    numbers of them. ``shading`` is by how much its files ask for the corners to be brightened, which its lens darkens.
    """

    make: str = "Lumen & Daughter"
    model: str = "Field Two"
    colour_matrix: tuple[float, ...] = (0.88, -0.29, -0.09, -0.42, 1.25, 0.18, -0.06, 0.18, 0.55)
    balance: tuple[float, float, float] = (1.95, 1.0, 1.62)
    black: int = 512
    white: int = 15871
    pattern: str = "RGGB"
    masked: tuple[int, int] = (0, 0)
    shading: float = 1.0

    @property
    def to_working(self) -> NDArray[np.float32]:
        return camera_matrix(np.array(self.colour_matrix).reshape(3, 3))


FIELD_TWO = Camera()


def sensor_signal(scene: Array, camera: Camera, exposure: float = 1.0) -> Array:
    """Clean linear scene (H x W x 3, working space) to clean sensor RGB, 1 = saturation.

    Term by term, which rounds alike on every machine: the last bit of a signal moves all shot noise drawn after it.
    """
    m = np.linalg.inv(camera.to_working).astype(np.float32)
    r, g, b = np.moveaxis(scene, -1, 0)
    rgb = np.stack([r * m[i, 0] + g * m[i, 1] + b * m[i, 2] for i in range(3)], axis=-1)
    return np.maximum(rgb * np.float32(exposure) / np.array(camera.balance, np.float32), 0)


def mosaic_of(rgb: Array, pattern: NDArray[np.int8]) -> Array:
    """Keep, at each place, the one colour the sensor's pattern measures there."""
    out = np.empty(rgb.shape[:2], np.float32)
    rows, columns = pattern.shape
    for y in range(rows):
        for x in range(columns):
            out[y::rows, x::columns] = rgb[y::rows, x::columns, pattern[y, x]]
    return out


def shot_noise(mosaic: Array, a: float, rng: np.random.Generator) -> Array:
    """A clean mosaic as Poisson counts of 1/a electrons at saturation."""
    return rng.poisson(np.maximum(mosaic, 0) / a).astype(np.float32) * np.float32(a)


def add_noise(mosaic: Array, a: float, b: float, rng: np.random.Generator, defects: Defects | None = None) -> Array:
    """Shot noise, and Gaussian read noise or that of a sensor with defects, whose cells begin with red."""
    if defects is None:
        return shot_noise(mosaic, a, rng) + rng.standard_normal(mosaic.shape, np.float32) * np.float32(b**0.5)
    noisy = shot_noise(unequal(mosaic, defects), a, rng) + read_noise(mosaic.shape, b, defects, rng)
    return with_dots(noisy, b, defects, rng)


def expose(
    scene: Array, iso: float, seed: int, camera: Camera = FIELD_TWO, exposure: float = 1.0,
    defects: Defects | None = None,
) -> NDArray[np.uint16]:  # fmt: skip
    """Sensor values (uint16, H x W) of a clean scene at an ISO.

    Noise, black level, clipping and 14-bit quantisation are in, and the camera's
    masked pixels, if it has any; optical blur is up to the caller
    (:func:`lens_softness`, :func:`defocus`, :func:`shake`).
    """
    a, b = noise_at(iso)
    signal = np.minimum(mosaic_of(sensor_signal(scene, camera, exposure), PATTERNS[camera.pattern]), 1.5)
    if camera.shading != 1:
        signal /= shading(signal.shape[0], signal.shape[1], camera.shading)
    above, left = camera.masked
    signal = np.pad(signal, ((above, 0), (left, 0)))
    noisy = add_noise(signal, a, b, np.random.default_rng(seed), defects)
    values = np.rint(noisy * (camera.white - camera.black) + camera.black)
    return np.clip(values, 0, camera.white).astype(np.uint16)


def lens_softness(scene: Array, sigma: float) -> Array:
    """The small even blur of a good lens and an anti-alias filter."""
    return cv2.GaussianBlur(scene, (0, 0), sigma, borderType=cv2.BORDER_REFLECT)


def disc(radius: float) -> Array:
    """Point spread of defocus: a disc with a soft, area-sampled rim, summing to 1."""
    reach = int(np.ceil(radius + 0.5))
    y, x = np.mgrid[-reach : reach + 1, -reach : reach + 1]
    kernel = np.clip(radius + 0.5 - np.hypot(x, y), 0, 1).astype(np.float32)
    return kernel / kernel.sum()


def motion(length: float, angle: float) -> Array:
    """Point spread of an even motion: a line of ``length`` px, ``angle`` degrees counter-clockwise from level."""
    return line(length, angle)


def shake_path(length: float, seed: int) -> Array:
    """Point spread of an unsteady hand: a smooth random path of about ``length`` px, summing to 1.

    A heavily damped random walk in velocity, after G. Boracchi, A. Foi,
    "Modeling the performance of image restoration from motion blur", IEEE
    Trans. Image Processing 21(8), 2012.
    """
    rng = np.random.default_rng(seed)
    velocity = np.exp(1j * rng.uniform(0, 2 * np.pi))
    position, places = 0j, []
    for _ in range(400):
        velocity += 0.12 * (rng.standard_normal() + 1j * rng.standard_normal()) - 0.004 * position
        velocity /= max(abs(velocity), 1e-6)
        position += velocity
        places.append(position)
    points = np.array(places) - np.mean(places)
    points *= length / max(np.ptp(points.real), np.ptp(points.imag))
    return path(np.stack([points.real, points.imag], axis=1))


def blur_with(scene: Array, kernel: Array) -> Array:
    """Convolve a linear scene with a point spread."""
    return cv2.filter2D(scene, cv2.CV_32F, kernel[::-1, ::-1].copy(), borderType=cv2.BORDER_REFLECT)
