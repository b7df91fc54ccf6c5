"""What is left of damaged files. Outside judges: the good file as Pillow, tifffile and LibRaw read it."""

from __future__ import annotations

import io
import zlib

import numpy as np
import pytest
import tifffile
from PIL import Image

from benchmarks import damages
from crispgrain.core.errors import ShotError
from crispgrain.core.files import RawSource, read_shot
from crispgrain.core.files.rescue.carve import carved
from crispgrain.core.files.rescue.jpeg import rescued_jpeg
from crispgrain.core.files.rescue.jpeg_header import read_header
from crispgrain.core.files.rescue.png import rescued_png
from crispgrain.core.files.rescue.tiff import rescued_tiff
from crispgrain.core.masks import Lost, mask_from_json
from crispgrain.core.shot import open_shot
from crispgrain.core.treatment import Treatment

RNG = np.random.default_rng(5)


@pytest.fixture(scope="module")
def grainy(clean8) -> np.ndarray:
    return np.clip(clean8 + RNG.normal(0, 3, clean8.shape), 0, 255).astype(np.uint8)


def jpeg(pixels: np.ndarray, **how) -> bytes:
    out = io.BytesIO()
    Image.fromarray(pixels).save(out, "JPEG", quality=90, **how)
    return out.getvalue()


def decoded(data: bytes) -> np.ndarray:
    with Image.open(io.BytesIO(data)) as picture:
        return np.array(picture)


def shares(found, good: np.ndarray) -> tuple[float, float]:
    """Of pixels that are true and claimed, and that are claimed and wrong."""
    true = damages.same(found.stored, good, damages.TRUE)
    return float((true & ~found.lost).mean()), float((~true & ~found.lost).mean())


@pytest.mark.parametrize("how", [{}, {"subsampling": 0}, {"optimize": True}, {"restart_marker_rows": 1}])
def test_a_healthy_jpeg_is_what_the_jpeg_library_makes_of_it(grainy, how):
    data = jpeg(grainy, **how)
    found = rescued_jpeg(data)
    apart = np.abs(found.stored.astype(int) - decoded(data))
    assert apart.max() <= 3 and apart.mean() < 0.6 and not found.lost.any()


def test_a_grey_jpeg_too(grainy):
    data = jpeg(grainy[..., 1])
    assert np.abs(rescued_jpeg(data).stored.astype(int) - decoded(data)).max() <= 2


@pytest.fixture(scope="module")
def large(grainy) -> np.ndarray:
    """So that 4 KB are not much of it, and nothing ends where faults are."""
    grainy = np.pad(grainy, ((0, 96), (0, 128), (0, 0)), mode="symmetric")
    tall = np.concatenate([grainy, grainy[::-1]])
    return np.roll(np.concatenate([tall, tall[:, ::-1]], axis=1), 131, axis=0)


@pytest.mark.slow
@pytest.mark.parametrize("damage", ["a sector wiped", "a sector missing", "4 KB wiped", "two sectors wiped, cut"])
def test_what_lies_behind_a_fault_of_a_jpeg_comes_back_to_its_place_and_light(large, damage):
    """Beside what Pillow has of the same file by itself."""
    data = jpeg(large, subsampling=0)
    damaged, good = dict(damages.jpeg_damages(data))[damage], decoded(data)
    true, wrong = shares(rescued_jpeg(damaged), good)
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr("PIL.ImageFile.LOAD_TRUNCATED_IMAGES", True)
        library = damages.same(decoded(damaged), good, damages.TRUE).mean()
    assert true > library + 0.2 and wrong < 0.4


@pytest.mark.slow
def test_three_changed_bytes_cost_less_than_without_rescue(large):
    """In the mean of eight files: whether a change breaks a code or only moves the light a little is chance."""
    data = jpeg(np.ascontiguousarray(large[:640, :1024]), subsampling=0)
    good, found, library = decoded(data), [], []
    for seed in range(8):
        rng = np.random.default_rng(seed)
        damaged = damages.flipped(data, list(rng.uniform(0.1, 0.9, 3)), rng)
        found.append(shares(rescued_jpeg(damaged), good))
        with pytest.MonkeyPatch.context() as patch:
            patch.setattr("PIL.ImageFile.LOAD_TRUNCATED_IMAGES", True)
            library.append(damages.same(decoded(damaged), good, damages.TRUE).mean())
    true, wrong = np.mean(found, axis=0)
    assert true > np.mean(library) + 0.1 and wrong < 0.4


@pytest.mark.slow
def test_behind_data_of_another_file_the_picture_is_at_its_place(large):
    data = jpeg(large, subsampling=0)
    found = rescued_jpeg(dict(damages.jpeg_damages(data))["4 KB of another file"])
    apart = found.stored.astype(int) - decoded(data)
    half = len(apart) * 3 // 4  # behind the fault; its light is counted on from there, and may be off as a whole
    even = apart[half:] - np.median(apart[half:], axis=(0, 1))
    assert found.lost[half:].mean() < 0.1 and (np.abs(even) <= 6).mean() > 0.9
    assert 0 < found.share < 0.1


def test_between_restart_markers_a_fault_stays_where_it_is(grainy):
    data = jpeg(grainy, restart_marker_rows=1)
    true, wrong = shares(rescued_jpeg(damages.overwritten(data, 0.5, 300, RNG)), decoded(data))
    assert true > 0.9 and wrong < 0.05


@pytest.mark.parametrize("marker", [0xC0, 0xC4, 0xDB])
def test_what_a_header_lacks_is_taken_from_a_healthy_file_of_the_camera(grainy, marker):
    data = jpeg(grainy)
    damaged = damages.without_segment(data, marker)
    found = rescued_jpeg(damaged, model=jpeg(grainy[::-1]))
    assert shares(found, decoded(data))[0] > 0.999


def test_without_another_file_usual_steps_are_guessed_and_a_lost_size_is_said(grainy):
    data = jpeg(grainy)
    found = rescued_jpeg(damages.without_segment(data, 0xDB))
    assert "guessed" in found.said[0] and found.stored.shape == grainy.shape
    with pytest.raises(ValueError, match="size is lost"):
        rescued_jpeg(damages.without_segment(data, 0xC0))


def test_a_segment_of_no_sense_is_stepped_over(grainy):
    data = jpeg(grainy)
    broken = data[:2] + b"\xff\xe1\x00\x01" + RNG.bytes(50).replace(b"\xff", b"\0") + data[2:]
    header = read_header(broken)
    assert header.complete and header.damaged and not read_header(data).damaged


def test_a_progressive_jpeg_cut_short_says_that_it_is_coarse(grainy):
    data = jpeg(grainy, progressive=True)
    found = rescued_jpeg(data[: len(data) // 2])
    assert any("passes" in words for words in found.said) and found.stored.shape == grainy.shape


def test_pictures_are_found_in_a_cards_image(grainy):
    first, second = jpeg(grainy), jpeg(grainy[:200])
    png = io.BytesIO()
    Image.fromarray(grainy[:50]).save(png, "PNG")
    card = bytes(700) + first + RNG.bytes(900).replace(b"\xff", b"\0") + second + bytes(64) + png.getvalue() + bytes(9)
    pieces = carved(card)
    assert [card[p.start : p.end] for p in pieces] == [first, second, png.getvalue()]
    assert [p.kind for p in pieces] == ["jpeg", "jpeg", "png"] and all(p.whole for p in pieces)


# ---- PNG, TIFF -------------------------------------------------------------------------------
@pytest.mark.parametrize("depth", [8, 16])
def test_rows_of_a_cut_png_are_exact(grainy, depth):
    import cv2

    stored = grainy if depth == 8 else grainy.astype(np.uint16) * 257 + 3
    data = cv2.imencode(".png", stored[..., ::-1])[1].tobytes()
    found = rescued_png(data[: len(data) // 2])
    assert 0.3 < found.share < 0.7
    assert np.array_equal(found.stored[~found.lost], stored[~found.lost])


def test_a_wrong_width_of_a_png_follows_from_its_checksum(grainy):
    out = io.BytesIO()
    Image.fromarray(grainy).save(out, "PNG")
    found = rescued_png(dict(damages.png_damages(out.getvalue()))["width wrong"])
    assert np.array_equal(found.stored, grainy) and not found.lost.any() and "size" in found.said[0]


def test_rows_of_a_png_behind_a_changed_byte_are_not_claimed(grainy):
    """PNG filters pass an error on to all rows below; the reader has only checksums to know of it by."""
    out = io.BytesIO()
    Image.fromarray(grainy).save(out, "PNG")
    found = rescued_png(damages.flipped(out.getvalue(), [0.6], RNG))
    assert np.array_equal(found.stored[~found.lost], grainy[~found.lost]) and 0.2 < found.share < 0.7


@pytest.mark.parametrize("compression", [None, "zlib"])
def test_strips_of_a_cut_tiff_are_exact(grainy, compression):
    out = io.BytesIO()
    tifffile.imwrite(out, grainy, photometric="rgb", compression=compression, rowsperstrip=16)
    data = out.getvalue()
    found = rescued_tiff(data[: int(len(data) * 0.6)])
    assert 0.3 < found.share < 0.5 and np.array_equal(found.stored[~found.lost], grainy[~found.lost])


def test_a_tiff_with_a_wrong_table_of_strips_and_no_header(grainy):
    out = io.BytesIO()
    tifffile.imwrite(out, grainy, photometric="rgb", rowsperstrip=16)
    data = bytearray(out.getvalue())
    with tifffile.TiffFile(io.BytesIO(data)) as tiff:
        table = tiff.pages.first.tags["StripOffsets"].valueoffset
    data[table + 8 : table + 40] = RNG.bytes(32)
    assert np.array_equal(rescued_tiff(bytes(data)).stored, grainy)
    data[:8] = bytes(8)
    found = rescued_tiff(bytes(data))
    assert np.array_equal(found.stored, grainy) and "header" in found.said[0]


def test_nothing_is_made_of_nothing():
    for reader in (rescued_tiff, rescued_png, rescued_jpeg):
        with pytest.raises(ValueError):
            reader(RNG.bytes(5000))
    assert carved(RNG.bytes(5000)) == []


# ---- shots -----------------------------------------------------------------------------------
@pytest.fixture
def cut_jpeg(tmp_path, grainy):
    path = tmp_path / "cut.jpg"
    data = jpeg(grainy)
    path.write_bytes(data[: len(data) // 2])
    return path


def test_a_damaged_shot_says_what_it_has_lost_and_is_measured_in_what_is_left(cut_jpeg, grainy):
    before = cut_jpeg.read_bytes()
    with pytest.raises(ShotError, match="cut short"):
        read_shot(cut_jpeg)
    shot = open_shot(cut_jpeg, rescue=True)
    share = shot.reading.size.lost
    assert share == pytest.approx(shot.source.lost.mean()) and 0.3 < share < 0.7
    assert f"{100 * share:.0f} % of the picture is lost" in shot.source.facts.remarks[0]
    assert (shot.reading.size.width, shot.reading.size.height) == (512, 384)
    assert 1.5 < shot.reading.noise.luminance < 4.5  # 3; mid grey where it is lost has none
    assert cut_jpeg.read_bytes() == before


def test_the_mask_of_what_is_lost_and_filling_it_in(cut_jpeg):
    shot = open_shot(cut_jpeg, rescue=True)
    assert mask_from_json(Lost().as_json()) == Lost()
    plain = shot.pipeline(Treatment().only([]))
    treatment, _ = Treatment().only([]).with_zone(plain.steps[0].stage, Lost(), "fill")
    filled = shot.pipeline(treatment)
    assert any(step.model.id == "fill" and step.mask == Lost() for step in filled.steps)
    whole = plain.size.rect
    before, after = plain.region(whole), filled.region(whole)
    lost = shot.source.lost
    edge = np.flatnonzero(lost.all(axis=1))[0]
    assert np.ptp(before[edge + 20 :, :, 1]) < 1e-3 < np.ptp(after[edge + 20 : edge + 60, :, 1])
    assert np.array_equal(before[: edge - 20], after[: edge - 20])


@pytest.mark.slow
def test_a_preview_stands_in_where_the_picture_is_lost(tmp_path, grainy):
    data = jpeg(grainy)
    small = jpeg(np.asarray(Image.fromarray(grainy).resize((160, 120), Image.Resampling.BOX)))
    inside = data[:2] + b"\xff\xe1" + (len(small) + 8).to_bytes(2, "big") + b"Exif\0\0" + small + data[2:]
    path = tmp_path / "cut.jpg"
    path.write_bytes(inside[: len(inside) - len(data) // 2])
    source = read_shot(path, rescue=True)
    apart = np.abs(source.stored.astype(float) - grainy).mean(axis=-1)
    assert source.lost.mean() > 0.3 and apart[source.lost].mean() < 12
    path.write_bytes(inside[: len(small) + 400])
    source = read_shot(path, rescue=True)
    assert source.lost.all() and any("preview" in r for r in source.facts.remarks)


def test_strips_of_a_raw_and_a_header_from_its_neighbour(tmp_path, raw_file):
    data, good = raw_file.read_bytes(), read_shot(raw_file)
    (tmp_path / "healthy.dng").write_bytes(data)
    for damage, damaged in damages.raw_damages(data):
        path = tmp_path / "damaged.dng"
        path.write_bytes(damaged)
        source = read_shot(path, rescue=True)
        assert isinstance(source, RawSource) and source.path == path
        assert np.array_equal(source.mosaic[~source.lost], good.mosaic[~source.lost])
        assert (source.lost.mean() > 0.3) == (damage == "cut at 60 %") and source.lost.mean() < 0.5
        if damage == "header overwritten":
            assert any("healthy.dng" in r for r in source.facts.remarks)
            assert np.array_equal(source.white_balance, good.white_balance)


def test_a_decoder_that_wants_too_much_ends_alone(tmp_path):
    """A header that promises 60,000 x 60,000 pixels of zeros, packed."""
    rows = zlib.compress(bytes(100_000_000), 9)
    chunk = lambda name, body: len(body).to_bytes(4, "big") + name + body + zlib.crc32(name + body).to_bytes(4, "big")  # noqa: E731
    head = (60000).to_bytes(4, "big") * 2 + b"\x08\x02\0\0\0"
    path = tmp_path / "bomb.png"
    path.write_bytes(b"\x89PNG\r\n\x1a\n" + chunk(b"IHDR", head) + chunk(b"IDAT", rows))
    with pytest.raises(ShotError, match=r"bomb\.png: nothing is left"):
        read_shot(path, rescue=True)


def test_that_what_is_left_is_wanted_belongs_to_a_shots_treatment():
    treatment = Treatment(rescue=True)
    assert Treatment.from_json(treatment.as_json()).rescue and not Treatment.from_json(Treatment().as_json()).rescue
    assert not treatment.part(treatment.stages, "preset").rescue
