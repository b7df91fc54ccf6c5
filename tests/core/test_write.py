"""Writing: depth, profile, resolution, metadata; whole or not at all; never over another file."""

import errno
import io

import cv2
import exiv2
import imagecodecs
import numpy as np
import pytest
import tifffile
from PIL import Image, ImageCms, JpegImagePlugin

from crispgrain.core.colour import icc
from crispgrain.core.errors import ShotError
from crispgrain.core.files import OutputFormat, OutputSettings, read_shot, write, write_picture
from crispgrain.core.files.metadata import Kept, Wanted


@pytest.fixture
def stored(clean):
    return icc.from_working(clean, icc.profile("srgb"), 16)


@pytest.mark.parametrize("bits", [8, 16])
@pytest.mark.parametrize("fmt", [OutputFormat.TIFF, OutputFormat.PNG])
def test_lossless_files_hold_the_very_values(tmp_path, stored, fmt, bits):
    values = stored if bits == 16 else (stored >> 8).astype(np.uint8)
    path = write_picture(values, tmp_path / f"r{fmt.suffix}", OutputSettings(fmt, bits))
    assert np.array_equal(read_shot(path).stored, values)


@pytest.mark.parametrize("fmt", [f for f in OutputFormat if f.has_profiles])
@pytest.mark.parametrize("space", ["srgb", "display-p3", "prophoto"])
def test_profile_and_resolution_are_in_the_file(tmp_path, stored, raw_file, fmt, space):
    values = (stored >> 8).astype(np.uint8)
    settings = OutputSettings(fmt, 8, space, ppi=240)
    path = write_picture(values, tmp_path / f"r{fmt.suffix}", settings, metadata_from=raw_file)
    with Image.open(path) as picture:
        profile = ImageCms.ImageCmsProfile(io.BytesIO(picture.info["icc_profile"]))
        if fmt in (OutputFormat.TIFF, OutputFormat.PNG, OutputFormat.JPEG):
            assert picture.info["dpi"] == pytest.approx((240, 240), abs=0.1)
    assert ImageCms.getProfileDescription(profile).strip() == icc.OUTPUT_SPACES[space].name
    assert exif_of(path)["Exif.Image.XResolution"] == "240"


def exif_of(path) -> dict[str, str]:
    image = exiv2.ImageFactory.open(str(path))
    image.readMetadata()
    return {d.key(): d.print() for d in image.exifData()} | {d.key(): d.print() for d in image.xmpData()}


def pixels_in(path) -> np.ndarray:
    """By another library than wrote them where there is one (TIFF, PNG, JPEG XL have no other here)."""
    if path.suffix == ".jxl":
        return imagecodecs.jpegxl_decode(path.read_bytes())
    with Image.open(path) as picture:
        return np.asarray(picture)


@pytest.mark.parametrize("fmt", [f for f in OutputFormat if f is not OutputFormat.DNG])  # see test_linear_dng.py
def test_metadata_is_carried_over_and_orientation_normalised(tmp_path, stored, raw_file, fmt):
    values = (stored >> 8).astype(np.uint8)
    path = write_picture(values, tmp_path / f"r{fmt.suffix}", OutputSettings(fmt, 8), metadata_from=raw_file)
    exif = exif_of(path)
    assert exif["Exif.Image.Model"] == "Field Two"
    assert exif["Exif.Image.Artist"] == "I. Marlowe"
    assert exif["Exif.Photo.ISOSpeedRatings"] == "6400"
    assert exif["Exif.Photo.DateTimeOriginal"] == "2026:03:14 16:20:08"
    assert exif.get("Exif.Image.Orientation", "top, left") == "top, left"
    assert "Exif.Image.CFAPattern" not in exif
    assert pixels_in(path).shape == values.shape


@pytest.mark.parametrize("fmt", [f for f in OutputFormat if f.has_quality])
def test_a_lossy_file_is_near_and_the_lower_its_quality_the_smaller(tmp_path, stored, fmt):
    values = (stored >> 8).astype(np.uint8)
    sizes, before = [], 60.0
    for quality in (98, 80, 40):
        settings = OutputSettings(fmt, 8, quality=quality)
        path = write_picture(values, tmp_path / f"{quality}{fmt.suffix}", settings)
        sizes.append(path.stat().st_size)
        near = 10 * np.log10(255**2 / np.mean((pixels_in(path).astype(float) - values) ** 2))
        assert 28 < near < before
        before = near
    assert sizes == sorted(sizes, reverse=True)
    assert sizes[0] > 2 * sizes[2]


@pytest.mark.slow
@pytest.mark.parametrize("fmt", [f for f in OutputFormat if f.has_quality])
def test_a_file_is_made_as_small_as_asked_or_not_at_all(tmp_path, stored, fmt):
    values = (stored >> 8).astype(np.uint8)
    free = write_picture(values, tmp_path / f"free{fmt.suffix}", OutputSettings(fmt, 8))
    limit = free.stat().st_size // 1000 // 2
    small = write_picture(values, tmp_path / f"small{fmt.suffix}", OutputSettings(fmt, 8, limit=limit))
    assert 0.7 * limit * 1000 < small.stat().st_size <= limit * 1000
    with pytest.raises(ShotError, match="cannot be made as small as 1 kB"):
        write_picture(values, tmp_path / f"none{fmt.suffix}", OutputSettings(fmt, 8, limit=1))
    assert not (tmp_path / f"none{fmt.suffix}").exists()


def test_jpeg_xl_keeps_16_bits(tmp_path, stored):
    path = write_picture(stored, tmp_path / "r.jxl", OutputSettings(OutputFormat.JXL, 16, quality=100))
    np.testing.assert_array_equal(imagecodecs.jpegxl_decode(path.read_bytes()), stored)


@pytest.mark.parametrize(("compression", "name"), [("none", "NONE"), ("lzw", "LZW"), ("zip", "ADOBE_DEFLATE")])
def test_a_tiff_is_compressed_without_loss(tmp_path, stored, compression, name):
    path = write_picture(stored, tmp_path / "r.tif", OutputSettings(compression=compression))
    with tifffile.TiffFile(path) as tiff:
        assert tiff.pages[0].compression.name == name
    np.testing.assert_array_equal(cv2.imread(str(path), cv2.IMREAD_UNCHANGED)[..., ::-1], stored)


def test_colour_of_a_jpeg_and_coarse_first(tmp_path, stored):
    values = (stored >> 8).astype(np.uint8)
    settings = OutputSettings(OutputFormat.JPEG, progressive=True, subsampling="4:2:0")
    with Image.open(write_picture(values, tmp_path / "a.jpg", settings)) as picture:
        assert picture.info["progressive"] and JpegImagePlugin.get_sampling(picture) == 2
    with Image.open(write_picture(values, tmp_path / "b.jpg", OutputSettings(OutputFormat.JPEG))) as picture:
        assert "progressive" not in picture.info and JpegImagePlugin.get_sampling(picture) == 0


@pytest.mark.parametrize("fmt", [OutputFormat.TIFF, OutputFormat.AVIF])
def test_metadata_are_reduced_left_out_or_said_anew(tmp_path, stored, fmt):
    values = (stored >> 8).astype(np.uint8)
    given = tmp_path / "given.jpg"
    Image.fromarray(values).save(given)
    image = exiv2.ImageFactory.open(str(given))
    image.readMetadata()
    exif = image.exifData()
    exif["Exif.Image.Model"], exif["Exif.Image.Artist"] = "Field Two", "I. Marlowe"
    exif["Exif.Photo.BodySerialNumber"], exif["Exif.GPSInfo.GPSLatitudeRef"] = "0042", "N"
    image.writeMetadata()

    def written(**wanted) -> dict[str, str]:
        settings = OutputSettings(fmt, 8, metadata=Wanted(**wanted))
        return exif_of(write_picture(values, tmp_path / f"r{fmt.suffix}", settings, metadata_from=given, replace=True))

    every = written()
    assert every["Exif.Photo.BodySerialNumber"] == "0042" and "Exif.GPSInfo.GPSLatitudeRef" in every
    reduced = written(kept=Kept.REDUCED, caption="The orrery, 1794")
    assert reduced["Exif.Image.Model"] == "Field Two" and reduced["Exif.Image.ImageDescription"] == "The orrery, 1794"
    assert not any("GPSLatitude" in key or "Serial" in key for key in reduced)
    none = written(kept=Kept.NONE, copyright="Marlowe Museum", creator="N. Field")
    assert "Exif.Image.Model" not in none and none["Exif.Image.Copyright"] == "Marlowe Museum"
    assert none["Exif.Image.Artist"] == "N. Field" and none["Xmp.dc.creator"] == "N. Field"


def test_xmp_is_carried_over(tmp_path, stored):
    values = (stored >> 8).astype(np.uint8)
    given = tmp_path / "given.jpg"
    Image.fromarray(values).save(given)
    image = exiv2.ImageFactory.open(str(given))
    image.readMetadata()
    image.xmpData()["Xmp.dc.creator"] = "I. Marlowe"
    image.iptcData()["Iptc.Application2.City"] = "London"
    image.writeMetadata()
    path = write_picture(values, tmp_path / "r.tif", OutputSettings(bits=8), metadata_from=given)
    out = exiv2.ImageFactory.open(str(path))
    out.readMetadata()
    assert out.xmpData()["Xmp.dc.creator"].print() == "I. Marlowe"
    assert out.iptcData()["Iptc.Application2.City"].print() == "London"
    assert np.array_equal(tifffile.imread(path), values)


def test_a_taken_name_gets_a_number_unless_replacing(tmp_path, stored):
    target = tmp_path / "r.png"
    target.write_bytes(b"precious")
    first = write_picture(stored, target, OutputSettings(OutputFormat.PNG))
    second = write_picture(stored, target, OutputSettings(OutputFormat.PNG))
    assert [first.name, second.name] == ["r-2.png", "r-3.png"]
    assert target.read_bytes() == b"precious"
    assert write_picture(stored, target, OutputSettings(OutputFormat.PNG), replace=True) == target
    assert target.read_bytes() != b"precious"


def test_the_source_is_never_replaced(tmp_path, stored):
    source = tmp_path / "shot.tif"
    tifffile.imwrite(source, stored, photometric="rgb")
    before = source.read_bytes()
    written = write_picture(stored[:10], source, OutputSettings(), metadata_from=source, replace=True)
    assert written != source
    assert source.read_bytes() == before


def test_a_full_disk_leaves_nothing_behind(tmp_path, stored, monkeypatch):
    def fails_half_way(pixels, path, settings, blocks):
        path.write_bytes(b"half a picture")
        raise OSError(errno.ENOSPC, "No space left on device")

    monkeypatch.setitem(write.ENCODERS, OutputFormat.TIFF, fails_half_way)
    with pytest.raises(ShotError, match="No space left"):
        write_picture(stored, tmp_path / "r.tif", OutputSettings())
    assert list(tmp_path.iterdir()) == []


@pytest.mark.parametrize("folder", ["/proc/results", "/dev/null/results"])
def test_a_folder_that_cannot_be_written_to(stored, tmp_path, folder):
    with pytest.raises(ShotError, match="cannot be written to"):
        write_picture(stored, tmp_path / folder / "r.tif", OutputSettings())


def test_jpeg_has_its_limit(tmp_path):
    with pytest.raises(ShotError, match="65500"):
        write_picture(np.zeros((1, 70_000, 3), np.uint8), tmp_path / "r.jpg", OutputSettings(OutputFormat.JPEG))
