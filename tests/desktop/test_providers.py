"""What networks run on: chosen in the menu, remembered, and the processor where a card fails."""

import platform

import numpy as np
import onnxruntime
import pytest
from PySide6.QtGui import QAction

from crispgrain.core.networks import providers, runtime
from crispgrain.desktop.window.looking import PROVIDER
from tests.desktop.driving import settle

pytestmark = pytest.mark.slow

CARD = "CUDAExecutionProvider"


@pytest.fixture(autouse=True)
def _processor_again():
    yield
    runtime.use_provider(providers.PROCESSOR)
    runtime._started.cache_clear()


def test_providers_that_would_send_pictures_away_are_not_offered(monkeypatch):
    there = ["AzureExecutionProvider", CARD, providers.PROCESSOR]
    monkeypatch.setattr(onnxruntime, "get_available_providers", lambda: there)
    assert providers.present() == [providers.PROCESSOR, CARD]


def test_a_card_that_is_not_there_falls_back_on_the_processor_and_says_so():
    said = runtime.use_provider(CARD)
    assert said == "Networks cannot run on the graphics card (CUDA) here; they run on the processor."
    assert runtime.provider() == providers.PROCESSOR
    assert runtime.use_provider(providers.PROCESSOR) == ""


def test_networks_that_run_go_on_running_where_the_choice_stays_the_same():
    running = runtime._session("detail-net-x2")
    assert runtime.use_provider(providers.PROCESSOR) == ""
    assert runtime._session("detail-net-x2") is running


@pytest.mark.skipif(platform.machine() != "x86_64", reason="there are none for other processors")
def test_other_kernels_of_the_processor_give_the_same(monkeypatch):
    """ONNX Runtime's own against those that are tried first, and are no choice of their own in the menu."""
    inputs = {"picture": np.random.default_rng(0).random((1, 3, 72, 96), np.float32)}
    ours = runtime.run("detail-net-x2", inputs, exact=True)
    assert runtime._session("detail-net-x2").get_providers()[0] == providers.KERNELS
    monkeypatch.setattr(onnxruntime, "get_available_providers", lambda: [providers.PROCESSOR])
    runtime._started.cache_clear()
    assert runtime._session("detail-net-x2").get_providers() == [providers.PROCESSOR]
    assert np.abs(ours - runtime.run("detail-net-x2", inputs)).max() < 1e-5  # floats: these are slower with 8 bits
    assert providers.present() == [providers.PROCESSOR]


def test_a_card_whose_driver_fails_falls_back_too(monkeypatch):
    real = onnxruntime.InferenceSession

    def started(data, options, providers):
        if CARD in dict(providers):
            raise RuntimeError("no driver")
        return real(data, options, providers=providers)

    monkeypatch.setattr(onnxruntime, "get_available_providers", lambda: [CARD, providers.PROCESSOR])
    monkeypatch.setattr(onnxruntime, "InferenceSession", started)
    assert "(RuntimeError); they run on the processor" in runtime.use_provider(CARD)
    assert runtime.unavailable("mosaic-net") == ""


def test_the_choice_in_the_menu_is_remembered(opened, qtbot):
    (action,) = [a for a in opened.findChildren(QAction) if a.text() == "the processor"]
    assert action.isChecked()
    action.trigger()
    assert opened.settings.value(PROVIDER) == providers.PROCESSOR
    settle(opened, qtbot)
    opened.looking.set_provider(CARD)
    assert "they run on the processor" in opened.status.words.text()
    settle(opened, qtbot)
