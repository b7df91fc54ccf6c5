"""Print sheets and contact sheets, read back by PDFium and measured in points."""

import numpy as np
import pikepdf
import pypdfium2
import pytest
from fontTools.ttLib import TTFont
from PIL import Image

from crispgrain.cli.main import main
from crispgrain.core.colour import icc
from crispgrain.core.errors import ShotError, TreatmentError
from crispgrain.core.sheet.layout import Print, cells, pages
from crispgrain.core.sheet.page import Page, Picture
from crispgrain.core.sheet.pdf import write_pdf
from crispgrain.paths import FONTS
from crispgrain.simulation.print_profile import print_profile

MM = 72 / 25.4  # points


def seen(path, page=0, ppi=254):
    """A page as PDFium paints it, ten pixels a millimetre."""
    return np.array(pypdfium2.PdfDocument(path)[page].render(scale=ppi / 72).to_pil().convert("RGB"))


@pytest.fixture
def shots(tmp_path):
    """A red landscape, a green portrait with a blue upper left corner, and a file that is none."""
    wide, tall = np.full((60, 90, 3), (200, 30, 30), np.uint8), np.full((90, 60, 3), (30, 160, 60), np.uint8)
    tall[:30, :20] = (20, 40, 220)
    for name, pixels in (("wide", wide), ("tall", tall)):
        Image.fromarray(pixels).save(tmp_path / f"{name}.png")
    (tmp_path / "none.png").write_bytes(b"none")
    return [tmp_path / f"{n}.png" for n in ("wide", "tall", "none")]


@pytest.mark.slow
def test_prints_have_their_true_size_with_bleed_and_marks(shots, tmp_path, capsys):
    out = tmp_path / "sheet.pdf"
    call = ["sheet", *map(str, shots), "--print", "5x8cm", "--bleed", "2mm", "--sheet", "a4", "--out", str(out)]
    assert main([*call, "--margin", "20mm"]) == 1
    assert "none.png" in capsys.readouterr().err
    document = pypdfium2.PdfDocument(out)
    assert len(document) == 1
    # ISO 216: A4 is 210 x 297 mm.
    assert document[0].get_size() == pytest.approx((210 * MM, 297 * MM), abs=0.01)
    page = seen(out)
    red, green = ((np.abs(page.astype(int) - c).max(axis=-1) < 12) for c in ((200, 30, 30), (30, 160, 60)))
    for mask, (width, height) in ((red, (84, 54)), (green, (54, 84))):  # 8 x 5 cm and 2 mm of bleed on each side
        rows, columns = np.nonzero(mask)
        assert np.ptp(columns) / 10 == pytest.approx(width, abs=0.3)
        assert np.ptp(rows) / 10 == pytest.approx(height, abs=0.3)
    rows, columns = np.nonzero(red)
    left, top = columns.min() / 10, rows.min() / 10
    assert (left, top) == pytest.approx((20, 20), abs=0.2)
    # A mark stands above the trimmed edge, outside of the bleed, and none in the picture.
    dark = page.max(axis=-1) < 140
    assert dark[int(10 * (top - 4)), int(10 * (left + 2)) - 3 : int(10 * (left + 2)) + 4].any()
    assert not dark[int(10 * (top - 1)), :].any()


@pytest.mark.slow
def test_a_picture_that_fits_only_turned_is_turned_clockwise(shots, tmp_path):
    out = tmp_path / "sheet.pdf"
    call = ["sheet", str(shots[1]), "--print", "10x25cm", "--sheet", "297x210mm", "--out", str(out), "--no-marks"]
    assert main(call) == 0
    blue = np.abs(seen(out).astype(int) - (20, 40, 220)).max(axis=-1) < 25
    rows, columns = np.nonzero(blue)
    page = seen(out)
    green = np.nonzero(np.abs(page.astype(int) - (30, 160, 60)).max(axis=-1) < 12)
    assert np.ptp(green[1]) > np.ptp(green[0])
    assert columns.mean() > green[1].mean() and rows.mean() < green[0].mean()  # up left went to up right


def test_pages_hold_what_fits_and_go_on():
    prints = [Print(100, 150)] * 5
    made = pages(prints, 210, 320, 0, 5)
    assert [len(p) for p in made] == [4, 1]
    assert [(p.left, p.top) for p in made[0]] == [(0, 0), (105, 0), (0, 155), (105, 155)]
    with pytest.raises(TreatmentError, match="picture 2 is 300 × 400 mm"):
        pages([Print(10, 10), Print(300, 400)], 210, 297, 5, 5)
    with pytest.raises(TreatmentError, match="leaves nothing"):
        pages(prints, 210, 297, 105, 0)
    with pytest.raises(TreatmentError, match="do not fit"):
        cells(3, 30, 40, 210, 297, 10, 10, 5)


@pytest.mark.parametrize("space, dtype", [("RGB", np.uint16), ("CMYK", np.uint8), ("GRAY", np.uint8)])
def test_pictures_keep_their_values_and_profile(space, dtype, tmp_path):
    channels = {"RGB": 3, "CMYK": 4, "GRAY": 1}[space]
    pixels = np.random.default_rng(0).integers(0, np.iinfo(dtype).max, (20, 30, channels), dtype)
    profile = {"RGB": icc.profile("adobe-rgb"), "CMYK": print_profile("CMYK"), "GRAY": icc.profile("grey")}[space]
    place = pages([Print(30, 20)], 50, 40, 5, 0)[0]
    path = write_pdf(tmp_path / "x.pdf", [Page(place)], [Picture(pixels, profile)], 50, 40, "x")
    with pikepdf.open(path) as document:
        image = document.pages[0].Resources.XObject["/P0"]
        assert bytes(image.ColorSpace[1].read_bytes()) == profile
        stored = np.frombuffer(image.read_bytes(), np.dtype(dtype).newbyteorder(">")).reshape(pixels.shape)
        assert np.array_equal(stored, pixels)
        assert float(document.pages[0].TrimBox[2]) == pytest.approx(50 * MM, abs=1e-3)


@pytest.mark.slow
def test_a_contact_sheet_names_its_shots(shots, tmp_path):
    out = tmp_path / "contact.pdf"
    assert main(["sheet", *map(str, shots[:2]), "--contact", "2x3", "--out", str(out)]) == 0
    text = pypdfium2.PdfDocument(out)[0].get_textpage().get_text_range()
    assert "wide.png" in text and "tall.png" in text
    page = seen(out)
    green = np.nonzero(np.abs(page.astype(int) - (30, 160, 60)).max(axis=-1) < 12)
    assert np.ptp(green[0]) / np.ptp(green[1]) == pytest.approx(1.5, rel=0.05)


@pytest.mark.parametrize("words", ["Ωρολόγιον (2).tif", "Планета \\ Žižkov.tif", "plain"])
def test_names_in_other_alphabets_are_set_and_can_be_searched_for(words, tmp_path):
    white = Picture(np.full((20, 30, 3), 255, np.uint8), icc.profile("srgb"), words)
    path = write_pdf(tmp_path / "x.pdf", [Page(pages([Print(30, 20)], 50, 40, 5, 0)[0], False)], [white], 50, 40, "x")
    text = pypdfium2.PdfDocument(path)[0].get_textpage()
    assert text.get_text_range().strip() == words
    assert (seen(path) < 128).any()
    # A glyph is as wide as the typeface says: n of the font's own table, at 7 points.
    widths = [text.get_charbox(n, loose=True) for n in range(len(words))]
    table = TTFont(FONTS / "NotoSans-Regular.ttf")
    wanted = sum(table["hmtx"][table.getBestCmap()[ord(sign)]][0] for sign in words) * 7 / 1000
    assert widths[-1][2] - widths[0][0] == pytest.approx(wanted, abs=0.5)


def test_a_name_that_the_typeface_has_not_is_boxes_and_no_error(tmp_path):
    box = Picture(np.full((20, 30, 3), 255, np.uint8), icc.profile("srgb"), "東\udcff")
    path = write_pdf(tmp_path / "x.pdf", [Page(pages([Print(30, 20)], 50, 40, 5, 0)[0], False)], [box], 50, 40, "x")
    assert (seen(path) < 200).any()


@pytest.mark.slow
@pytest.mark.parametrize("wrong, cause", [
    (["--contact", "2by3"], "COLUMNSxROWS"), (["--contact", "0x3"], "no frames"),
    (["--contact", "90x3"], "do not fit"), (["--print", "0x3cm"], "a paper is"),
    (["--print", "10x15cm", "--margin", "20cm"], "leaves nothing"), (["--print", "60x90cm"], "room for"),
])  # fmt: skip
def test_a_wrong_call_renders_and_writes_nothing(shots, tmp_path, capsys, wrong, cause, monkeypatch):
    for making in ("print_of", "frame_of"):
        monkeypatch.setattr(f"crispgrain.cli.sheet.{making}", lambda *given: pytest.fail("rendered"))
    assert main(["sheet", str(shots[0]), "--out", str(tmp_path / "x.pdf"), *wrong]) == 2
    assert cause in capsys.readouterr().err
    assert not list(tmp_path.glob("*.pdf"))


def test_a_sheet_is_never_written_over_silently(shots, tmp_path):
    out = tmp_path / "a.pdf"
    for _ in range(2):
        assert main(["sheet", str(shots[0]), "--contact", "2x2", "--out", str(out)]) == 0
    assert sorted(p.name for p in tmp_path.glob("*.pdf")) == ["a-2.pdf", "a.pdf"]
    with pytest.raises(ShotError, match="could not be written"):
        write_pdf(shots[0] / "x.pdf", [], [], 10, 10, "x")
