"""Writing: depth, profile, resolution, metadata; whole or not at all; never over another file."""

import errno
import io

import exiv2
import numpy as np
import pytest
import tifffile
from PIL import Image, ImageCms

from crispgrain.core.colour import icc
from crispgrain.core.errors import ShotError
from crispgrain.core.files import OutputFormat, OutputSettings, read_shot, write, write_picture


@pytest.fixture
def stored(clean):
    return icc.from_working(clean, icc.profile("srgb"), 16)


@pytest.mark.parametrize("bits", [8, 16])
@pytest.mark.parametrize("fmt", [OutputFormat.TIFF, OutputFormat.PNG])
def test_lossless_files_hold_the_very_values(tmp_path, stored, fmt, bits):
    values = stored if bits == 16 else (stored >> 8).astype(np.uint8)
    path = write_picture(values, tmp_path / f"r{fmt.suffix}", OutputSettings(fmt, bits))
    assert np.array_equal(read_shot(path).stored, values)


@pytest.mark.parametrize("fmt", list(OutputFormat))
@pytest.mark.parametrize("space", ["srgb", "display-p3", "prophoto"])
def test_profile_and_resolution_are_in_the_file(tmp_path, stored, fmt, space):
    values = (stored >> 8).astype(np.uint8)
    path = write_picture(values, tmp_path / f"r{fmt.suffix}", OutputSettings(fmt, 8, space, ppi=240))
    with Image.open(path) as picture:
        profile = ImageCms.ImageCmsProfile(io.BytesIO(picture.info["icc_profile"]))
        assert picture.info["dpi"] == pytest.approx((240, 240), abs=0.1)
    assert ImageCms.getProfileDescription(profile).strip() == icc.OUTPUT_SPACES[space].name


@pytest.mark.parametrize("fmt", list(OutputFormat))
def test_metadata_is_carried_over_and_orientation_normalised(tmp_path, stored, raw_file, fmt):
    values = (stored >> 8).astype(np.uint8)
    path = write_picture(values, tmp_path / f"r{fmt.suffix}", OutputSettings(fmt, 8), metadata_from=raw_file)
    image = exiv2.ImageFactory.open(str(path))
    image.readMetadata()
    exif = {d.key(): d.print() for d in image.exifData()}
    assert exif["Exif.Image.Model"] == "Field Two"
    assert exif["Exif.Image.Artist"] == "I. Marlowe"
    assert exif["Exif.Photo.ISOSpeedRatings"] == "6400"
    assert exif["Exif.Photo.DateTimeOriginal"] == "2026:03:14 16:20:08"
    assert exif["Exif.Image.Orientation"] == "top, left"
    assert "Exif.Image.CFAPattern" not in exif
    assert np.asarray(Image.open(path)).shape == values.shape


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
    def fails_half_way(pixels, path, settings):
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
