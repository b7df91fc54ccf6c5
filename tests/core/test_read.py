"""Reading: formats, profiles, orientation, and files that are not what they seem."""

from pathlib import Path

import cv2
import numpy as np
import pillow_heif
import pytest
import rawpy
import tifffile
from PIL import Image

from crispgrain.core.colour import icc
from crispgrain.core.errors import ShotError
from crispgrain.core.files import PictureSource, RawSource, find_shots, read_shot
from crispgrain.core.files.raster import turn_upright
from crispgrain.core.meter import measure
from crispgrain.core.model import Stage
from crispgrain.core.resolve import resolve
from crispgrain.core.treatment import Treatment
from crispgrain.demo.roll import scene
from crispgrain.restoration import cells
from crispgrain.simulation import camera
from tests.conftest import encoded, psnr, write_raw


def working(path: Path) -> np.ndarray:
    source = read_shot(path)
    return source.region(source.size.rect)


def encoded_picture(path: Path) -> np.ndarray:
    return icc.from_working(working(path), icc.profile("srgb"), 16) / 65535


# ---- formats ---------------------------------------------------------------------


@pytest.mark.parametrize("name", ["p.png", "p.tif", "p.webp"])
def test_lossless_8_bit_formats_give_the_stored_values(tmp_path, clean8, name):
    options = {"lossless": True} if name.endswith("webp") else {}
    Image.fromarray(clean8).save(tmp_path / name, **options)
    source = read_shot(tmp_path / name)
    assert isinstance(source, PictureSource)
    assert np.array_equal(source.stored, clean8)


def test_sixteen_bit_png_and_tiff_keep_their_depth(tmp_path, clean):
    stored = icc.from_working(clean, icc.profile("srgb"), 16)
    cv2.imwrite(str(tmp_path / "p.png"), stored[..., ::-1])
    tifffile.imwrite(tmp_path / "p.tif", stored, photometric="rgb")
    for name in ("p.png", "p.tif"):
        source = read_shot(tmp_path / name)
        assert source.stored.dtype == np.uint16
        assert np.array_equal(source.stored, stored)


def test_float_tiff_is_linear_and_keeps_values_above_white(tmp_path):
    pixels = np.full((8, 8, 3), 1.5, np.float32)
    tifffile.imwrite(tmp_path / "p.tif", pixels, photometric="rgb")
    assert np.allclose(working(tmp_path / "p.tif"), 1.5, atol=1e-3)


def test_float_tiff_with_numbers_that_are_none_is_mended_and_says_so(tmp_path):
    pixels = np.full((8, 8, 3), 0.5, np.float32)
    pixels[0, 0] = np.nan
    tifffile.imwrite(tmp_path / "p.tif", pixels, photometric="rgb")
    source = read_shot(tmp_path / "p.tif")
    assert np.isfinite(source.region(source.size.rect)).all()
    assert any("not numbers" in r for r in source.facts.remarks)


@pytest.mark.parametrize("name", ["p.jpg", "p.heic"])
def test_lossy_formats_come_close(tmp_path, clean8, name):
    if name.endswith("heic"):
        pillow_heif.from_pillow(Image.fromarray(clean8)).save(tmp_path / name, quality=95)
    else:
        Image.fromarray(clean8).save(tmp_path / name, quality=97, subsampling=0)
    assert psnr(encoded_picture(tmp_path / name), clean8 / 255) > 36


def test_an_embedded_profile_is_honoured(tmp_path, clean):
    for space in ("srgb", "display-p3", "adobe-rgb", "prophoto"):
        stored = icc.from_working(clean, icc.profile(space), 8)
        Image.fromarray(stored).save(tmp_path / f"{space}.png", icc_profile=icc.profile(space))
        assert psnr(encoded_picture(tmp_path / f"{space}.png"), encoded_picture(tmp_path / "srgb.png")) > 42


@pytest.mark.parametrize("orientation", range(1, 9))
def test_exif_orientation_is_applied_as_pillow_does_it(tmp_path, clean8, orientation):
    exif = Image.Exif()
    exif[0x0112] = orientation
    Image.fromarray(clean8[:64, :96]).save(tmp_path / "p.png", exif=exif)
    stored = read_shot(tmp_path / "p.png").stored
    assert np.array_equal(turn_upright(clean8[:64, :96], orientation), stored)


def test_transparency_is_kept_beside_the_colours(tmp_path, clean8):
    alpha = np.full((*clean8.shape[:2], 1), 128, np.uint8)
    Image.fromarray(np.concatenate([clean8, alpha], axis=2)).save(tmp_path / "p.png")
    source = read_shot(tmp_path / "p.png")
    assert np.array_equal(source.stored, clean8)
    assert (source.opacity == 128).all()


def test_cmyk_jpeg_without_profile_is_read_with_a_remark(tmp_path, clean8):
    Image.fromarray(clean8).convert("CMYK").save(tmp_path / "p.jpg", quality=95)
    source = read_shot(tmp_path / "p.jpg")
    assert any("CMYK" in r for r in source.facts.remarks)
    assert psnr(encoded_picture(tmp_path / "p.jpg"), clean8 / 255) > 25


@pytest.mark.parametrize("suffix", ["png", "tif"])
def test_sixteen_bit_grey(tmp_path, suffix):
    grey = np.linspace(0, 65535, 64 * 64).reshape(64, 64).astype(np.uint16)
    if suffix == "png":
        cv2.imwrite(str(tmp_path / "p.png"), grey)
    else:
        tifffile.imwrite(tmp_path / "p.tif", grey)
    source = read_shot(tmp_path / f"p.{suffix}")
    assert source.grey
    assert np.array_equal(source.stored[..., 1], grey)


def test_one_pixel_is_a_picture(tmp_path):
    Image.new("RGB", (1, 1), (10, 20, 30)).save(tmp_path / "p.png")
    assert read_shot(tmp_path / "p.png").size.height == 1


# ---- RAW ---------------------------------------------------------------------------


def test_dng_is_read_by_libraw_with_its_constants(raw_file, clean):
    source = read_shot(raw_file)
    assert isinstance(source, RawSource)
    assert np.array_equal(source.mosaic, camera.expose(clean, 6400, seed=3))
    assert source.white == camera.FIELD_TWO.white
    assert np.all(source.black == camera.FIELD_TWO.black)
    assert np.allclose(source.white_balance, camera.FIELD_TWO.balance, rtol=1e-4)
    assert np.allclose(source.camera_to_working, camera.FIELD_TWO.to_working, atol=2e-3)
    assert np.allclose(source.noise_profile, [camera.noise_at(6400)] * 3)
    assert source.facts.iso == 6400


@pytest.mark.parametrize("pattern", camera.BAYER)
def test_every_bayer_phase(tmp_path, clean, pattern):
    source = read_shot(write_raw(tmp_path / "p.dng", clean[:64, :96], 400, camera.Camera(pattern=pattern)))
    assert np.array_equal(source.pattern, camera.BAYER[pattern])


@pytest.mark.slow
@pytest.mark.parametrize(("edge", "least"), [(600, 33), (300, 32)], ids=["large", "small"])
def test_a_sensor_with_unknown_cells_is_demosaiced_by_libraw_and_that_is_said(tmp_path, edge, least, monkeypatch):
    """One whose cell of 6 x 6 has a red and a green in each other's place."""
    odd = cells.SIX_BY_SIX.copy()
    odd[0, 2], odd[0, 3] = 1, 0
    monkeypatch.setitem(camera.PATTERNS, "odd", odd)
    clean = camera.lens_softness(scene("orrery")[1800 : 1800 + edge, 800 : 1000 + edge], 0.6)
    path = write_raw(tmp_path / "odd.dng", clean, 100, camera.Camera(pattern="odd"))
    source = read_shot(path)
    assert isinstance(source, PictureSource)
    assert "LibRaw demosaiced it" in source.facts.remarks[0]
    assert psnr(encoded_picture(path), encoded(clean)) > least
    assert np.abs(working(path).mean((0, 1)) / clean.mean((0, 1)) - 1).max() < 0.02
    assert resolve(Treatment(), source, measure(source))[Stage.DENOISE].model.id == "photo-net"


def test_orientation_of_a_raw_turns_mosaic_and_pattern(raw_file, tmp_path):
    import exiv2

    turned = tmp_path / "turned.dng"
    turned.write_bytes(raw_file.read_bytes())
    image = exiv2.ImageFactory.open(str(turned))
    image.readMetadata()
    image.exifData()["Exif.Image.Orientation"] = exiv2.UShortValue(6)
    image.writeMetadata()
    upright, original = read_shot(turned), read_shot(raw_file)
    assert upright.size.height == original.size.width
    assert np.array_equal(upright.mosaic, np.rot90(original.mosaic, 3))
    # Every sample must keep its colour.
    rows, columns = original.size.height, original.size.width
    colours = np.tile(original.pattern, (rows // 2, columns // 2))
    turned_colours = np.tile(upright.pattern, (columns // 2, rows // 2))
    assert np.array_equal(turned_colours, np.rot90(colours, 3))


def test_tags_of_the_dng_by_another_library(raw_file):
    with tifffile.TiffFile(raw_file) as tiff:
        tags = tiff.pages.first.tags
        assert tags["PhotometricInterpretation"].value == 32803
        assert tags["DNGVersion"].value == b"\x01\x04\x00\x00" or tuple(tags["DNGVersion"].value) == (1, 4, 0, 0)
        assert tags["WhiteLevel"].value == camera.FIELD_TWO.white
        noise = np.array(tags[51041].value).reshape(3, 2)
        assert np.allclose(noise, camera.noise_at(6400))
        assert tags["ExifTag"].value["ISOSpeedRatings"] == 6400


def test_libraw_renders_the_dng_like_the_scene(tmp_path, clean8, clean):
    path = write_raw(tmp_path / "p.dng", clean, 100)
    with rawpy.imread(str(path)) as raw:
        rendered = raw.postprocess(
            use_camera_wb=True, no_auto_bright=True, adjust_maximum_thr=0, gamma=(2.4, 12.92), output_bps=8
        )
    assert psnr(rendered / 255, clean8 / 255) > 25


# ---- what is not a picture ---------------------------------------------------------------


def _empty(folder: Path, raw: Path, jpeg: Path) -> Path:
    path = folder / "empty.jpg"
    path.touch()
    return path


def _text_as_dng(folder: Path, raw: Path, jpeg: Path) -> Path:
    path = folder / "text.dng"
    path.write_text("dear diary, today I broke a camera " * 40)
    return path


def _text_as_jpeg(folder: Path, raw: Path, jpeg: Path) -> Path:
    path = folder / "text.jpg"
    path.write_text("dear diary")
    return path


def _truncated_dng(folder: Path, raw: Path, jpeg: Path) -> Path:
    path = folder / "cut.dng"
    path.write_bytes(raw.read_bytes()[: raw.stat().st_size // 2])
    return path


def _truncated_jpeg(folder: Path, raw: Path, jpeg: Path) -> Path:
    path = folder / "cut.jpg"
    path.write_bytes(jpeg.read_bytes()[: jpeg.stat().st_size // 2])
    return path


def _truncated_tiff(folder: Path, raw: Path, jpeg: Path) -> Path:
    path = folder / "cut.tif"
    tifffile.imwrite(path, np.zeros((64, 64, 3), np.uint8), photometric="rgb")
    path.write_bytes(path.read_bytes()[:4000])
    return path


def _missing(folder: Path, raw: Path, jpeg: Path) -> Path:
    return folder / "gone.jpg"


def _folder(folder: Path, raw: Path, jpeg: Path) -> Path:
    (folder / "album.jpg").mkdir()
    return folder / "album.jpg"


def _unreadable(folder: Path, raw: Path, jpeg: Path) -> Path:
    # Opening works, reading fails, whoever asks: as with a bad sector.
    path = folder / "bad-sector.jpg"
    path.symlink_to("/proc/self/mem")
    return path


BAD = [
    _unreadable,
    _empty,
    _text_as_dng,
    _text_as_jpeg,
    _truncated_dng,
    _truncated_jpeg,
    _truncated_tiff,
    _missing,
    _folder,
]


@pytest.mark.parametrize("make", BAD, ids=lambda f: f.__name__.strip("_"))
def test_bad_files_are_named_with_a_cause(tmp_path, raw_file, clean8, make):
    jpeg = tmp_path / "good.jpg"
    Image.fromarray(clean8).save(jpeg)
    path = make(tmp_path, raw_file, jpeg)
    with pytest.raises(ShotError) as caught:
        read_shot(path)
    assert path.name in str(caught.value)
    assert len(caught.value.cause) > 10


def test_finding_shots_in_folders(roll_folder, tmp_path):
    (roll_folder / ".hidden").mkdir()
    (roll_folder / ".hidden" / "x.jpg").touch()
    (roll_folder / "deeper").mkdir()
    (roll_folder / "deeper" / "Z.JPG").touch()
    empty = tmp_path / "nothing"
    empty.mkdir()
    found, problems = find_shots([roll_folder, empty, roll_folder / "notes.txt"])
    assert [p.name for p in found] == ["a-rim.dng", "b-noisy.jpg", "c-clean.png", "d-broken.jpg", "Z.JPG", "notes.txt"]
    assert [p.path for p in problems] == [empty]
