"""The soft proof on the easel: what a file in the Print stage's profile will look like."""

import numpy as np
import pytest
from PySide6.QtGui import QColor

from crispgrain.core.colour import icc
from crispgrain.geometry import Rect
from crispgrain.session.comparing import Arrangement, Look
from crispgrain.simulation.print_profile import print_profile
from tests.desktop.driving import PATIENCE, pixels_of, settle

pytestmark = pytest.mark.slow


@pytest.fixture
def proof(opened, tmp_path, qtbot):
    """The window with a paper's profile chosen, result only, at 100 %."""
    (tmp_path / "paper.icc").write_bytes(print_profile("CMYK"))
    opened.change_setting("print.icc", str(tmp_path / "paper.icc"))
    opened.session.comparing.set_arrangement(Arrangement.RESULT)
    opened.easel.set_zoom(1.0)
    settle(opened, qtbot)
    return opened


def middle(window) -> np.ndarray:
    easel = window.easel
    return pixels_of(easel)[easel.height() // 2 - 50 :][:100, easel.width() // 2 - 50 :][:, :100].astype(int)


def test_the_proof_shows_what_comes_back_from_the_profile(proof, qtbot):
    plain = middle(proof)
    proof.session.comparing.set_look(Look.PROOF)
    settle(proof, qtbot)
    assert "simulated matt paper" in proof.easel.captions[1]
    working = icc.to_working(plain.astype(np.uint8), icc.profile("srgb"))
    settings = (print_profile("CMYK"), icc.Intent.RELATIVE, True)
    for look, paper in ((Look.PROOF, False), (Look.PAPER_PROOF, True)):
        proof.session.comparing.set_look(look)
        settle(proof, qtbot)
        seen = middle(proof)
        wanted = icc.from_working(icc.through(working, *settings, paper), icc.profile("srgb"), 8)
        assert np.abs(seen - wanted).mean() < 1.0  # the plain picture was rounded to 8 bits before
        assert (np.abs(seen - plain).mean() > 2) == paper  # these colours are within gamut
    proof.session.comparing.set_look(Look.PICTURE)
    settle(proof, qtbot)
    np.testing.assert_array_equal(middle(proof), plain)


def test_what_is_out_of_gamut_is_marked_and_told(proof, qtbot):
    plain = middle(proof)
    proof.session.comparing.set_look(Look.GAMUT)
    settle(proof, qtbot)
    seen = middle(proof)
    marked = (seen == proof.session.comparing.mark).all(axis=2)
    np.testing.assert_array_equal(seen[~marked], plain[~marked])
    qtbot.waitUntil(lambda: "out of gamut" in proof.status.words.text(), timeout=PATIENCE)
    assert 0 < marked.mean() < 1


def test_a_profile_that_is_gone_is_told_and_the_picture_stays(proof, tmp_path, qtbot):
    plain = middle(proof)
    (tmp_path / "paper.icc").unlink()
    proof.session.comparing.set_look(Look.PROOF)
    settle(proof, qtbot)
    assert "paper.icc" in proof.status.words.text()
    np.testing.assert_array_equal(middle(proof), plain)


def test_the_test_strip_shows_candidates_as_their_files_will_look(proof, qtbot):
    proof.strip_flow.run(Rect(100, 120, 60, 70))
    strip = proof.strip

    def rendered():
        qtbot.waitUntil(lambda: strip.frames and all(f.image is not None for f in strip.frames), timeout=PATIENCE)
        image = strip.frames[0].image
        rows = np.frombuffer(image.constBits(), np.uint8).reshape(image.height(), image.bytesPerLine())
        return rows[:, : 3 * image.width()].reshape(image.height(), image.width(), 3).copy()

    plain, first = rendered(), strip.frames[0]
    proof.session.comparing.set_look(Look.PAPER_PROOF)
    qtbot.waitUntil(lambda: strip.frames and strip.frames[0] is not first, timeout=PATIENCE)
    proven = rendered()
    working = icc.to_working(plain, icc.profile("srgb"))
    wanted = icc.through(working, print_profile("CMYK"), icc.Intent.RELATIVE, True, True)
    assert np.abs(proven.astype(int) - icc.from_working(wanted, icc.profile("srgb"), 8)).mean() < 1.0
    assert np.abs(proven.astype(int) - plain).mean() > 2


def test_the_white_border_of_a_print_is_seen_and_proofed_as_paper(proof, qtbot):
    proof.change_setting("print.paper", "10x15cm")
    proof.change_setting("print.border", 10.0)
    proof.easel.set_zoom(None)
    settle(proof, qtbot)
    easel, size = proof.easel, proof.easel.result.size
    left, top = (round(at) for at in easel.viewport.origin(proof.easel.viewport.pane))
    wide = round(10 / 25.4 * 300 * easel.scale)
    assert (size.width, size.height) in ((1535, 945), (945, 1535))  # 130 x 80 mm at 300 ppi
    seen = pixels_of(easel)
    around, beyond = seen[top + 60, left - wide + 3 : left - 3], seen[top + 60, left - wide - 3]
    assert (around == 255).all() and tuple(beyond) == QColor(easel.surround.value).getRgb()[:3]
    assert left - wide >= 10  # all of the paper is in view
    proof.session.comparing.set_look(Look.PAPER_PROOF)
    settle(proof, qtbot)
    paper = icc.through(np.ones((1, 1, 3), np.float32), print_profile("CMYK"), icc.Intent.RELATIVE, True, True)
    wanted = icc.from_working(paper, icc.profile("srgb"), 8)[0]
    assert (pixels_of(easel)[top + 60, left - wide + 3 : left - 3] == wanted).all() and (wanted < 250).all()
