"""Files that look damaged and are not, files that are, and what is said of them."""

import struct
import zlib
from pathlib import Path

import numpy as np
import pytest
import tifffile
from PIL import Image, ImageCms

from crispgrain.cli.main import main
from crispgrain.core.colour import icc
from crispgrain.core.errors import ShotError
from crispgrain.core.files import read_shot, trouble
from crispgrain.core.shot import open_shot


@pytest.fixture
def small(clean8: np.ndarray) -> np.ndarray:
    return np.ascontiguousarray(clean8[:120, :160])


def shown(path: Path) -> np.ndarray:
    """The picture as sRGB of 8 bits."""
    source = read_shot(path)
    return icc.from_working(source.region(source.size.rect), icc.profile("srgb"), 8)


def grey_of(picture: np.ndarray) -> np.ndarray:
    return np.asarray(Image.fromarray(picture).convert("L"))


# ---- not damaged --------------------------------------------------------------------


def test_lab_is_read_as_littlecms_converts_it(tmp_path, small):
    """Outside check: LittleCMS (through Pillow) from L*a*b* to sRGB, relative colorimetric."""
    to_lab = ImageCms.buildTransform(ImageCms.createProfile("sRGB"), ImageCms.createProfile("LAB"), "RGB", "LAB", 1)
    lab = ImageCms.applyTransform(Image.fromarray(small), to_lab)
    lab.save(tmp_path / "p.tif")
    back = ImageCms.buildTransform(ImageCms.createProfile("LAB"), ImageCms.createProfile("sRGB"), "LAB", "RGB", 1)
    expected = np.asarray(ImageCms.applyTransform(lab, back)).astype(int)
    assert np.abs(shown(tmp_path / "p.tif").astype(int) - expected).max() <= 2
    assert np.ptp(expected, axis=-1).max() > 30  # there is colour to be wrong about


@pytest.mark.parametrize("fax", ["group3", "group4"])
def test_fax_pictures_are_black_on_white(tmp_path, small, fax):
    letters = grey_of(small) > 60
    Image.fromarray(letters).save(tmp_path / "p.tif", compression=fax)
    assert np.array_equal(shown(tmp_path / "p.tif")[..., 0] > 127, letters)


@pytest.mark.parametrize("kind", ["u4", "i4", "i2", "i1", ">u2"])
def test_whole_numbers_of_every_kind_give_the_same_picture(tmp_path, small, kind):
    bits, signed = 8 * np.dtype(kind).itemsize, "i" in kind
    grey = grey_of(small)
    top = 2 ** (bits - signed) - 1
    values = np.round(grey / 255 * top).astype(kind)
    tifffile.imwrite(tmp_path / "p.tif", values, photometric="minisblack", byteorder=">" if ">" in kind else "<")
    assert np.abs(shown(tmp_path / "p.tif")[..., 0].astype(int) - grey).max() <= (1 if bits > 8 else 2)


def test_values_below_zero_start_from_the_least_there_can_be(tmp_path, small):
    grey = grey_of(small)
    tifffile.imwrite(tmp_path / "p.tif", (grey.astype(int) - 128).astype(np.int8), photometric="minisblack")
    assert np.array_equal(shown(tmp_path / "p.tif")[..., 0], grey)
    assert any("sign" in remark for remark in read_shot(tmp_path / "p.tif").facts.remarks)


def test_small_numbers_in_wide_fields_are_not_black(tmp_path, small):
    grey = grey_of(small)
    tifffile.imwrite(tmp_path / "p.tif", grey.astype(np.int32) * 257, photometric="minisblack")
    assert np.abs(shown(tmp_path / "p.tif")[..., 0].astype(int) - grey).max() <= 1


def test_float_grey_with_white_at_zero(tmp_path):
    ramp = np.tile(np.linspace(0, 1, 64, dtype=np.float32), (16, 1))
    tifffile.imwrite(tmp_path / "p.tif", 1 - ramp, photometric="miniswhite")
    source = read_shot(tmp_path / "p.tif")
    assert np.allclose(source.region(source.size.rect)[..., 1], ramp, atol=1e-3)


def test_float_grey_in_steps_of_8_bits(tmp_path, small):
    """As general libraries store pictures of type F."""
    grey = grey_of(np.maximum(small, 40))
    Image.fromarray(grey.astype(np.float32)).save(tmp_path / "p.tif")
    assert np.abs(shown(tmp_path / "p.tif")[..., 0].astype(int) - grey).max() <= 1
    assert any("8 bits" in remark for remark in read_shot(tmp_path / "p.tif").facts.remarks)


def test_of_several_pages_the_first_is_read_and_that_is_said(tmp_path, small):
    pages = [Image.fromarray(small), Image.fromarray(255 - small)]
    pages[0].save(tmp_path / "p.tif", save_all=True, append_images=pages[1:])
    assert np.array_equal(shown(tmp_path / "p.tif"), small)
    assert any("several pictures" in remark for remark in read_shot(tmp_path / "p.tif").facts.remarks)


@pytest.mark.parametrize("kept", [1.0, 0.75])
def test_a_phones_second_picture_does_not_matter_even_if_it_is_cut(tmp_path, small, kept):
    first, second = Image.fromarray(small), Image.fromarray(255 - small)
    first.save(tmp_path / "p.jpg", "MPO", save_all=True, append_images=[second], quality=95)
    data = (tmp_path / "p.jpg").read_bytes()
    (tmp_path / "p.jpg").write_bytes(data[: int(len(data) * kept)])
    assert np.abs(shown(tmp_path / "p.jpg").astype(int) - small).mean() < 4


def test_a_profile_of_one_channel_on_a_picture_of_three_is_left_out(tmp_path, small):
    grey_profile = bytearray(ImageCms.ImageCmsProfile(ImageCms.createProfile("sRGB")).tobytes())
    grey_profile[16:20] = b"GRAY"
    Image.fromarray(small).save(tmp_path / "p.png", icc_profile=bytes(grey_profile))
    assert np.array_equal(shown(tmp_path / "p.png"), small)


# ---- damaged ------------------------------------------------------------------------


def cut(path: Path, share: float) -> Path:
    data = path.read_bytes()
    path.write_bytes(data[: int(len(data) * share)])
    return path


def words_of(path: Path) -> str:
    with pytest.raises(ShotError) as caught:
        read_shot(path)
    return caught.value.cause


@pytest.mark.parametrize(
    ("share", "words"), [(0.81, "the last fifth is missing"), (0.5, "the lower half is missing"), (0.05, "nearly all")]
)
def test_how_much_is_missing_is_said(tmp_path, share, words):
    noise = np.random.default_rng(1).integers(0, 255, (400, 300, 3), np.uint8)  # no row takes less than another
    Image.fromarray(noise).save(tmp_path / "p.jpg", quality=90)
    Image.fromarray(noise).save(tmp_path / "p.png")
    tifffile.imwrite(tmp_path / "p.tif", noise, photometric="rgb", rowsperstrip=10)
    for name in ("p.jpg", "p.png", "p.tif"):
        assert words in words_of(cut(tmp_path / name, share))


def test_a_raw_that_is_cut_short_says_how_much_is_missing(tmp_path, raw_file):
    (tmp_path / "p.dng").write_bytes(raw_file.read_bytes())
    assert "the last quarter is missing" in words_of(cut(tmp_path / "p.dng", 0.75))


def test_broken_data_is_said_without_a_librarys_words(tmp_path, small):
    Image.fromarray(small).save(tmp_path / "p.png")
    data = bytearray((tmp_path / "p.png").read_bytes())
    start = data.index(b"IDAT") + 40
    data[start : start + 200] = b"\xff" * 200
    (tmp_path / "p.png").write_bytes(data)
    assert words_of(tmp_path / "p.png") == "the picture is damaged: its pixels cannot be decoded"


def png_of_size(width: int, height: int) -> bytes:
    """A PNG (ISO/IEC 15948) whose header promises a size."""

    def chunk(name: bytes, data: bytes) -> bytes:
        return struct.pack(">I", len(data)) + name + data + struct.pack(">I", zlib.crc32(name + data))

    header = chunk(b"IHDR", struct.pack(">IIBBBBB", width, height, 8, 2, 0, 0, 0))
    return b"\x89PNG\r\n\x1a\n" + header + chunk(b"IDAT", zlib.compress(b"\0" * 100)) + chunk(b"IEND", b"")


def test_a_header_that_promises_billions_of_pixels_is_refused_before_anything_is_allocated(tmp_path, monkeypatch):
    (tmp_path / "p.png").write_bytes(png_of_size(2_000_000, 1_500_000))
    tifffile.imwrite(tmp_path / "p.tif", np.zeros((8, 8), np.uint8), photometric="minisblack")
    data = bytearray((tmp_path / "p.tif").read_bytes())
    with tifffile.TiffFile(tmp_path / "p.tif") as tiff:
        for tag, value in (("ImageWidth", 2_000_000), ("ImageLength", 1_500_000)):
            place = tiff.pages.first.tags[tag]
            struct.pack_into("<HII", data, place.offset + 2, 4, 1, value)
    (tmp_path / "p.tif").write_bytes(data)
    monkeypatch.setattr(np, "empty", lambda *a, **k: pytest.fail("allocated"))
    monkeypatch.setattr(Image.Image, "load", lambda self: pytest.fail("decoded"))
    for name in ("p.png", "p.tif"):
        assert "2000000 × 1500000 pixels" in words_of(tmp_path / name)


def test_a_size_is_judged_by_the_memory_there_is(monkeypatch):
    monkeypatch.setattr(trouble, "free_memory", lambda: 1_000_000_000)
    trouble.check_size(Path("p.png"), 4000, 6000)
    with pytest.raises(ShotError, match="1 GB are free"):
        trouble.check_size(Path("p.png"), 6000, 8000)


def test_whatever_goes_wrong_with_one_shot_the_others_are_written(tmp_path, small, monkeypatch, capsys):
    for name in ("a.png", "b.png", "c.png"):
        Image.fromarray(small).save(tmp_path / name)
    from crispgrain.core import shot
    from crispgrain.store import sensors

    measure = shot.measure

    def breaks(source):
        if source.path.name == "b.png":
            raise AttributeError("no such thing")
        return measure(source)

    monkeypatch.setattr(shot, "measure", breaks)
    monkeypatch.setattr(sensors, "measure", breaks)
    with pytest.raises(ShotError, match=r"b\.png"):
        open_shot(tmp_path / "b.png")
    shots = [str(tmp_path / n) for n in ("a.png", "b.png", "c.png")]
    assert main(["run", *shots, "--only", "develop", "--out", str(tmp_path / "out")]) == 1
    assert len(list((tmp_path / "out").iterdir())) == 2
    assert "b.png" in capsys.readouterr().err
