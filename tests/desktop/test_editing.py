"""The window as another program's editor: done, or given up."""

import pytest
from PIL import Image

from crispgrain.core.model import Stage
from crispgrain.core.treatment import Treatment
from crispgrain.desktop.window.editing import Editing
from crispgrain.paths import store_file
from crispgrain.store import Store
from tests.desktop.driving import LEFT, PATIENCE, settle

pytestmark = pytest.mark.slow


@pytest.fixture
def copies(tmp_path, clean8):
    paths = [tmp_path / "one.png", tmp_path / "two.jpg"]
    for path in paths:
        Image.fromarray(clean8[:200, :300]).save(path)
    return paths


@pytest.fixture
def editing(window, copies, qtbot):
    window.session.remembers = False
    editing = Editing(window, in_place=True)
    window.open_paths(copies)
    settle(window, qtbot)
    yield editing
    editing.close()


def test_done_writes_every_working_copy_back_and_closes(editing, window, copies, qtbot):
    before = [path.read_bytes() for path in copies]
    dark = Treatment().only([Stage.DEVELOP]).set("develop.exposure", -2.0)
    window.session.change({0: dark, 1: dark}, "darker")
    qtbot.mouseClick(editing.done, LEFT)
    qtbot.waitUntil(lambda: editing.answers is not None, timeout=PATIENCE)
    assert [answer.result for answer in editing.answers] == copies
    assert not window.isVisible()
    for path, old in zip(copies, before, strict=True):
        assert path.read_bytes() != old
        with Image.open(path) as picture:
            assert picture.size == (300, 200)
            assert picture.convert("L").resize((1, 1)).getpixel((0, 0)) < 90
    store = Store(store_file())
    assert store.open_roll() == ([], None)  # what was open before is still what the next start opens
    store.close()


def test_given_up_nothing_is_written(editing, window, copies, qtbot):
    before = [path.read_bytes() for path in copies]
    qtbot.mouseClick(editing.give_up, LEFT)
    assert editing.answers is None and not window.isVisible()
    assert [path.read_bytes() for path in copies] == before
