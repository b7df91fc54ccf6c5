"""Training pictures: photographs from Debian packages, and drawn ones; none is kept in the repository."""

from __future__ import annotations

import subprocess
from collections.abc import Iterator, Sequence
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QDirIterator, QFile, QIODevice, QResource

from . import drawings

PACKAGES = ("lomiri-wallpapers-16.04", "lomiri-wallpapers-20.04", "mate-backgrounds", "plasma-workspace-wallpapers",
            "gcompris-qt-data", "supertuxkart-data")  # fmt: skip

# Looked at one by one: photographs only, nothing drawn.
PHOTOGRAPHS = tuple(
    f"backgrounds/{name}.jpg"
    for name in (
        "Fossa_by_Jasper_Roks", "Picture_1A_by_freespace", "Wine_by_Jakkub_Mede", "greentock_by_Peter_Nerlich",
        "seeding_by_Clements_Engelhardt", "aitzgorri_by_Aitzol_Berasategi", "Kleiber_by_Lukas_Baubkus",
        "Dragonfly_by_Bolly", "friends_by_Aitzol_Berasategi", "sunset_by_Aitzol_Berasategi", "free_by_Peter_Nerlich",
        "picosdeeuropa_by_Aitzol_Berasategi", "umang_by_Abhishek_Mudgal", "Picture_0B_by_freespace",
        "analogpattern_by_Peter_Nerlich", "Bridge_by_Sander_Klootwijk",
    )
) + tuple(
    f"backgrounds/mate/nature/{name}.jpg"
    for name in ("Aqua", "Blinds", "Dune", "FreshFlower", "GreenMeadow", "LadyBird", "RainDrops", "Storm", "TwoWings",
                 "Wood", "YellowFlower")
) + tuple(
    f"wallpapers/{name}/contents/images/2560x1600.jpg"
    for name in ("BytheWater", "ColdRipple", "ColorfulCups", "DarkestHour", "FallenLeaf", "Grey", "Kite", "Path",
                 "summer_1am")
) + ("wallpapers/Volna/contents/images/5120x2880.jpg",)  # fmt: skip

# More, in archives of Qt resources: buildings and animals, for walls, lattices and fur. All but those left out, which
# are grainy or framed.
COLLECTIONS = ("explore_monuments", "explore_world_animals", "explore_farm_animals", "erase")
LEFT_OUT = ("greatPyramidOfGiza", "georgeWashingtonBirthplace", "castleClinton")

# Surfaces that fill the frame: stone, earth, grass, bark. The middle of each was looked at; left out are plainly
# painted ones and those whose spectrum is nearly flat, as if noise had been laid over them.
SURFACES = tuple(
    f"games/supertuxkart/data/textures/{name}"
    for name in (
        "HortonRockWall.jpg", "HortonRockWall2.jpg", "Paving_stones_2.jpg", "black_rockMountain.jpg", "blackrock.jpg",
        "canyon.jpg", "castelwall.jpg", "city_rock.jpg", "city_ground.jpg", "cracked-earth-texture.jpg",
        "dark-wall-wood.png", "dirt.jpg", "grass2.jpg", "hacienda_ground.jpg", "hd_beach_01_d.png",
        "hd_palmTreeBark_a_Albedo.png", "hd_rock_01_d.png", "racetrack_grass.jpg", "rock.jpg", "rock1.jpg",
        "rockMountain.jpg", "rock_mountain.jpg", "rockwall.jpg", "stk_generic_bedRock_a.png",
        "stk_generic_brickRoad_a.png", "stk_generic_dirtGrassA.png", "stk_generic_gravalSnow_a.png",
        "stk_generic_hexaBasaltRoad_a.png", "stk_generic_oldbricks_a.png", "stk_generic_plaster_a.png",
        "stk_generic_plasticFabric_a.png", "stk_generic_rock_b.png", "stk_generic_sandRoad_a.png",
        "stk_generic_wallRock_a.png", "stk_generic_wickerA.png", "stk_karstRock_a.png", "stk_plasticPanel_a.png",
        "stk_wallpaperOld_a.png", "stklama_gravelSide_a.png", "stklama_road_a.png", "stktex_cliff_a.png",
        "stktex_generic_chocolateChunk_a.png", "stktex_generic_concreteA.png", "stktex_generic_earth_a.png",
        "stktex_generic_gravelA.png", "stktex_generic_rockA.png", "stktex_generic_roots_a.png",
        "stktex_generic_stoneWallA.png", "stktex_generic_underwaterRock_a.png", "stktex_palmTreeBark_a.png",
        "stktex_snowRock_a.png", "stktex_treeBark_a.png", "stktex_treeBark_b.png", "wood_planks1.jpg", "woodBridge.jpg",
    )
)  # fmt: skip

# For tests and benchmarks only.
RESERVED = (
    "backgrounds/life_by_Aitzol_Berasategi.jpg", "backgrounds/mate/nature/Garden.jpg",
    "wallpapers/EveningGlow/contents/images/2560x1600.jpg", "wallpapers/OneStandsOut/contents/images/2560x1600.jpg",
)  # fmt: skip

DRAWINGS = 16  # made-up pictures, about one in ten of the patches drawn
STRANGE_COLOURS = 0.2  # share of patches whose channels are exchanged
SCALES = (2, 3, 4, 6, 8)  # by which photographs are shrunk; smaller copies have more detail
LEAST_SIDE = 256  # px after shrinking
AS_THEY_COME = 0.2  # share of patches taken without a look: skies are where people look for noise
LOOKS = 6  # patches looked at for each that is taken
FLAT = 0.3  # 8-bit steps; what a patch without any detail counts


def fetch(folder: Path) -> None:
    """Download the packages, unpack them, and store shrunk photographs as arrays in ``folder``.

    Shrinking by two or more with area averaging makes JPEG traces and sensor noise vanish.
    """
    packages, unpacked = folder / "packages", folder / "unpacked"
    packages.mkdir(parents=True, exist_ok=True)
    for package in PACKAGES:
        if not list(packages.glob(f"{package}_*.deb")):
            subprocess.run(["apt-get", "download", "-qq", package], cwd=packages, check=True)
    for archive in packages.glob("*.deb"):
        subprocess.run(["dpkg", "-x", str(archive), str(unpacked)], check=True)
    share = unpacked / "usr/share"
    for names, group in ((PHOTOGRAPHS, "train"), (SURFACES, "surfaces"), (RESERVED, "reserved")):
        (folder / group).mkdir(exist_ok=True)
        for path in (share / name for name in names):
            stem = path.stem if path.stem[0].isalpha() else path.parents[2].name
            _store(path.read_bytes(), stem, folder / group)
    for collection in COLLECTIONS:
        for path, data in _resources(share / "gcompris-qt/rcc" / f"{collection}.rcc"):
            if path.suffix == ".webp" and path.stem not in LEFT_OUT:
                _store(data, f"{collection}-{path.stem}", folder / "train")  # two have a giraffe
    for seed in range(DRAWINGS):
        np.save(folder / "train" / f"drawing-{seed}.npy", drawings.draw(seed))


def _resources(archive: Path) -> Iterator[tuple[Path, bytes]]:
    """Names and contents of the files in an archive of Qt resources."""
    if not QResource.registerResource(str(archive)):
        raise FileNotFoundError(archive)
    files = QDirIterator(":/", QDirIterator.IteratorFlag.Subdirectories)
    while files.hasNext():
        file = QFile(files.next())
        if file.open(QIODevice.OpenModeFlag.ReadOnly):
            yield Path(file.fileName()), bytes(file.readAll().data())
    QResource.unregisterResource(str(archive))


def _store(data: bytes, stem: str, folder: Path) -> None:
    picture = cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_COLOR)
    if picture is None:
        raise ValueError(f"{stem} is no picture")
    picture = picture[..., ::-1]
    for scale in SCALES:
        height, width = (n // scale for n in picture.shape[:2])
        if min(height, width) < LEAST_SIDE:
            break
        small = cv2.resize(picture[: height * scale, : width * scale], (width, height), interpolation=cv2.INTER_AREA)
        np.save(folder / f"{stem}-{scale}.npy", small)


def stored(folder: Path) -> list[Path]:
    """The files of stored photographs in name order.

    Raises
    ------
    FileNotFoundError
        Without any.
    """
    files = sorted(folder.glob("*.npy"))
    if not files:
        raise FileNotFoundError(f"no photographs in {folder}; run: ./run train data")
    return files


def load(folder: Path) -> list[NDArray[np.uint8]]:
    """The stored photographs (uint8, H x W x 3, sRGB) in name order."""
    return [np.load(f, mmap_mode="r") for f in stored(folder)]


def detail(patch: NDArray[np.uint8]) -> float:
    """Mean step from pixel to pixel, along rows and columns, of green in 8-bit steps."""
    green = patch[..., 1].astype(np.int16)
    return float(np.abs(np.diff(green[::2], axis=1)).mean() + np.abs(np.diff(green[:, ::2], axis=0)).mean())


def pick(patches: Sequence[NDArray[np.uint8]], rng: np.random.Generator) -> int:
    """One of several patches, more likely one with much detail.

    Half of what is in a photograph is sky, haze or out of focus. A network that
    sees patches as they come learns little of leaves, hair and cloth.
    """
    weights = np.array([detail(p) for p in patches]) + FLAT
    return int(rng.choice(len(patches), p=weights / weights.sum()))


class PatchSampler:
    """Draws random square patches: larger photographs more often, flat patches less often, turned and mirrored."""

    def __init__(self, photographs: list[NDArray[np.uint8]], edge: int, rng: np.random.Generator) -> None:
        self.photographs, self.edge, self.rng = photographs, edge, rng
        area = np.array([p.shape[0] * p.shape[1] for p in photographs], float) ** 0.5
        self.chance = area / area.sum()

    def __call__(self) -> NDArray[np.uint8]:
        """One patch, uint8, edge x edge x 3."""
        rng = self.rng
        seen = [self._any() for _ in range(1 if rng.random() < AS_THEY_COME else LOOKS)]
        patch = np.rot90(seen[pick(seen, rng)], int(rng.integers(4)))
        if rng.random() < STRANGE_COLOURS:  # brass and velvet are rarer in nature than foliage and sky
            patch = patch[..., rng.permutation(3)]
        return patch[:, ::-1] if rng.random() < 0.5 else patch

    def _any(self) -> NDArray[np.uint8]:
        picture = self.photographs[self.rng.choice(len(self.photographs), p=self.chance)]
        top, left = (int(self.rng.integers(n - self.edge + 1)) for n in picture.shape[:2])
        return np.asarray(picture[top : top + self.edge, left : left + self.edge])
