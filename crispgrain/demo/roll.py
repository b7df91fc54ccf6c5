"""The demo roll: The Marlowe Orrery, a brass clockwork of the planets in a dim museum store."""

from __future__ import annotations

from collections.abc import Callable
from contextlib import suppress
from dataclasses import dataclass
from fractions import Fraction
from functools import lru_cache
from importlib import resources
from multiprocessing import TimeoutError
from multiprocessing.pool import IMapIterator, ThreadPool
from pathlib import Path
from threading import Lock

import cv2
import imagecodecs
import numpy as np
from PIL import Image

from crispgrain.arrays import Array
from crispgrain.cancel import check
from crispgrain.core.atomic import atomic_write, sweep
from crispgrain.core.colour import icc
from crispgrain.core.colour.spaces import SRGB_TO_WORKING, apply_matrix, luminance, srgb_decode, srgb_encode
from crispgrain.core.files.source import Source
from crispgrain.simulation import camera
from crispgrain.simulation.dng import write_dng
from crispgrain.threads import worker_count

SOFTNESS = 0.6  # px, sigma of the demo lens
TWO_DEPTHS = 3.0  # px, radius of the disc that the plate is out of focus by
PLANET_MOVES = (14.0, 20.0)  # px and degrees, while the rest is still
GREEN_TUBES = (0.86, 1.0, 0.78)  # working-space cast of old fluorescent tubes, made up
AT_ONCE = 2  # shots being made; the second costs 0.35 GB
_opening, _making = Lock(), Lock()


def scene(name: str) -> Array:
    """A clean scene, linear working space: ``orrery``, ``dial`` (3000 x 4000), ``planet`` (half), ``room`` (2:1)."""
    with _opening:  # shots of one scene that are made at once share it
        return _scene(name)


@lru_cache(maxsize=2)
def _scene(name: str) -> Array:
    data = resources.files(__package__).joinpath("scenes", f"{name}.jxl").read_bytes()
    encoded = imagecodecs.jpegxl_decode(data).astype(np.float32) / 65535
    clean = apply_matrix(srgb_decode(encoded), SRGB_TO_WORKING)
    clean.setflags(write=False)
    return clean


@lru_cache(maxsize=2)
def place(name: str) -> Array:
    """Where an object is (1500 x 2000, 0 to 1): ``orrery-instrument``, ``planet-planet`` or ``dial-plate``."""
    data = resources.files(__package__).joinpath("scenes", f"{name}.png").read_bytes()
    return imagecodecs.png_decode(data).astype(np.float32) / 255


def reduced(picture: Array, factor: int) -> Array:
    height, width = picture.shape[:2]
    return cv2.resize(picture, (width // factor, height // factor), interpolation=cv2.INTER_AREA)


@dataclass(frozen=True)
class DemoShot:
    """One shot of the roll: its file name, what is wrong with it, and how it is made."""

    name: str
    about: str
    write: Callable[[Path], None]
    truth: Callable[[], Array] | None = None  # the scene without blur and noise, linear working space


def _raw(name: str, about: str, iso: int, blur: Callable[[Array], Array], **options: object) -> DemoShot:
    scene_name = str(options.get("scene", "orrery"))
    factor = int(options.get("factor", 1))  # type: ignore[call-overload]
    cast = np.array(options.get("cast", (1, 1, 1)), np.float32)

    def seen() -> Array:
        clean = scene(scene_name)
        return reduced(clean, factor) if factor > 1 else clean

    def truth() -> Array:
        return seen() * cast

    def write(path: Path) -> None:
        clean = blur(seen()) * cast
        number = int("".join(c for c in name if c.isdigit())[:4])
        values = camera.expose(clean, iso, seed=number)
        seconds = Fraction(1, max(1, iso // 100))
        write_dng(path, values, camera.FIELD_TWO, iso, seconds, f"2026:03:14 16:{number % 60:02d}:08", about)

    return DemoShot(name, about, write, truth)


def _soft(picture: Array) -> Array:
    return camera.lens_softness(picture, SOFTNESS)


def _shaken(picture: Array) -> Array:
    return camera.blur_with(_soft(picture), camera.shake_path(14, seed=5))


def _missed(picture: Array) -> Array:
    return camera.blur_with(_soft(picture), camera.disc(3.2))


def _apart(picture: Array, where: Array, kernel: Array) -> Array:
    """A picture with one object (a map of it, H x W) blurred by a kernel and the rest still and sharp.

    What comes to light behind its edges is guessed from around it.
    """
    rest = 1 - where[..., None]
    around = [cv2.GaussianBlur(p, (0, 0), 8) for p in (picture * rest, rest)]
    behind = picture * rest + (1 - rest) * around[0] / (around[1][..., None] + np.float32(1e-4))
    object_, share = camera.blur_with(picture * where[..., None], kernel), camera.blur_with(where[..., None], kernel)
    return object_ + (1 - share.reshape(where.shape)[..., None]) * behind


def _two_depths(picture: Array) -> Array:
    """Focused on the instrument: the plate before it is soft."""
    return camera.lens_softness(_apart(picture, place("dial-plate"), camera.disc(TWO_DEPTHS)), SOFTNESS / 2)


def _planet_moves(picture: Array) -> Array:
    return camera.lens_softness(_apart(picture, place("planet-planet"), camera.motion(*PLANET_MOVES)), SOFTNESS / 2)


def _encoded8(picture: Array) -> np.ndarray:
    return icc.from_working(picture, icc.profile("srgb"), 8)


def _write_compact(path: Path) -> None:
    """A small JPEG as an old compact camera leaves it: noisy, smoothed, sharpened, squeezed."""
    rng = np.random.default_rng(11)
    small = _encoded8(reduced(_soft(scene("dial")), 5)).astype(np.float32)
    grain = cv2.GaussianBlur(rng.normal(0, 26, small.shape).astype(np.float32), (0, 0), 0.9)
    soft = cv2.GaussianBlur(small + grain, (0, 0), 0.7)
    harsh = np.clip(soft + 0.9 * (soft - cv2.GaussianBlur(soft, (0, 0), 1.2)), 0, 255).astype(np.uint8)
    exif = Image.Exif()
    exif[0x010F], exif[0x0110] = "Lumen & Daughter", "Pocket One"
    Image.fromarray(harsh).save(path, "JPEG", quality=32, subsampling=2, exif=exif)


def _write_old_print(path: Path) -> None:
    """A greyscale scan of an old print: grain, dust and scratches."""
    rng = np.random.default_rng(12)
    grey = srgb_encode(luminance(reduced(scene("orrery"), 2)))
    height, width = grey.shape
    grain = cv2.GaussianBlur(rng.standard_normal(grey.shape).astype(np.float32), (0, 0), 1.1) * 0.09
    paper = 0.16 + 0.74 * grey**0.9 + grain
    for _ in range(26):
        x, y = rng.uniform(0, width), rng.uniform(0, height)
        dx, dy = rng.normal(0, 14), rng.uniform(60, 500)
        light = float(rng.uniform(0.82, 0.97))
        cv2.line(paper, (int(x), int(y)), (int(x + dx), int(y + dy)), light, int(rng.integers(1, 3)), cv2.LINE_AA)
    for _ in range(160):
        centre = (int(rng.uniform(0, width)), int(rng.uniform(0, height)))
        cv2.circle(paper, centre, int(rng.integers(1, 4)), float(rng.uniform(0.1, 0.95)), -1, cv2.LINE_AA)
    Image.fromarray((np.clip(paper, 0, 1) * 255).astype(np.uint8)).save(path, "TIFF", dpi=(300, 300))


def _write_room(path: Path) -> None:
    """A 2:1 equirectangular view of the store, as a camera with two eyes joins it."""
    rng = np.random.default_rng(13)
    picture = _encoded8(scene("room")).astype(np.float32)
    noisy = np.clip(picture + rng.normal(0, 7, picture.shape), 0, 255).astype(np.uint8)
    Image.fromarray(noisy).save(path, "JPEG", quality=88, subsampling=0, icc_profile=icc.profile("srgb"))


def _write_damaged(path: Path) -> None:
    """A card fault: the file stops after a third."""
    Image.fromarray(_encoded8(reduced(scene("orrery"), 4))).save(path, "JPEG", quality=90)
    data = path.read_bytes()
    path.write_bytes(data[: len(data) // 3])


ROLL: tuple[DemoShot, ...] = (
    _raw("orrery-0400.dng", "The whole instrument, ISO 400", 400, _soft),
    _raw("orrery-1600.dng", "The whole instrument, ISO 1600", 1600, _soft),
    _raw("orrery-6400.dng", "The whole instrument, ISO 6400", 6400, _soft),
    _raw("orrery-25600.dng", "The whole instrument, ISO 25600", 25600, _soft),
    _raw("dial-3200.dng", "The calendar dial, ISO 3200", 3200, _soft, scene="dial"),
    _raw("dial-0801-shaken.dng", "Shaken by hand", 800, _shaken, scene="dial", factor=2),
    _raw("dial-0802-missed-focus.dng", "Focused on the wrong thing", 800, _missed, scene="dial", factor=2),
    _raw(
        "dial-0803-plate-soft.dng",
        "The plate is soft, what is behind it sharp",
        800,
        _two_depths,
        scene="dial",
        factor=2,
    ),
    _raw("planet-0804-moving.dng", "One planet was moving", 800, _planet_moves, scene="planet"),
    _raw("orrery-1201-tubes.dng", "Under greenish tubes", 1200, _soft, factor=2, cast=GREEN_TUBES),
    DemoShot("pocket-dial.jpg", "Small and heavily compressed, from an old compact camera", _write_compact),
    DemoShot("old-print.tif", "Scan of an old print with scratches", _write_old_print),
    DemoShot("store-room.jpg", "The store all round, equirectangular", _write_room),
    DemoShot("orrery-card-fault.jpg", "A damaged file", _write_damaged),
)


@lru_cache(maxsize=1)
def _truth_of(name: str) -> Array | None:
    shot = next((s for s in ROLL if s.name == name and s.truth is not None), None)
    return shot.truth() if shot is not None and shot.truth is not None else None


def known_truth(source: Source) -> Array | None:
    """What a perfect camera would have recorded, for a RAW of this roll; None for any other shot."""
    made_here = source.facts.camera == f"{camera.FIELD_TWO.make} {camera.FIELD_TWO.model}"
    truth = _truth_of(source.path.name) if made_here else None
    size = (source.size.height, source.size.width)
    return truth if truth is not None and truth.shape[:2] == size else None


def write_roll(folder: Path, report: Callable[[int, int, str], None] | None = None) -> list[Path]:
    """Write the shots of the roll that are not there yet; returns all their paths.

    ``report`` is told, in the caller's thread, which shot is being waited for. Who cancels the work need not wait for
    the shots that are being made; they, too, are whole or not there.
    """
    folder.mkdir(parents=True, exist_ok=True)
    sweep(folder)

    def write(shot: DemoShot) -> Path:
        path = folder / shot.name
        if not path.exists():
            atomic_write(path, shot.write)
        return path

    # Who asks while the roll is being made waits for it. These threads, being daemons, end with the program.
    with _making, ThreadPool(min(AT_ONCE, worker_count())) as pool:
        coming = pool.imap(write, ROLL)
        paths = []
        for number, shot in enumerate(ROLL):
            if report is not None:
                report(number, len(ROLL), shot.name)
            paths.append(_next(coming))
        return paths


def _next(coming: IMapIterator[Path]) -> Path:
    while True:
        check()
        with suppress(TimeoutError):
            return coming.next(timeout=0.1)
