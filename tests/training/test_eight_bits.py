"""Blocks that compute with 8 bits: the ranges they are laid out for, and the file that comes of it."""

import numpy as np
import pytest

torch = pytest.importorskip("torch", reason="torch is for training only")

import onnx  # noqa: E402
import onnx.numpy_helper  # noqa: E402

from training.eight_bits import RoundedConv, input_range, round_blocks  # noqa: E402
from training.export import export  # noqa: E402
from training.networks import DetailNet, ResidualBlock  # noqa: E402

pytestmark = pytest.mark.slow


@pytest.fixture
def network():
    torch.manual_seed(3)
    network = DetailNet(2, (16, 16, 16))
    with torch.no_grad():  # channels of very different size between the convolutions of a block
        for block in [m for m in network.modules() if isinstance(m, ResidualBlock)]:
            block.first.weight *= torch.logspace(-1.5, 1.5, 16)[:, None, None, None]
            block.second.weight *= torch.logspace(1.5, -1.5, 16)[None, :, None, None]
    return network.eval()


EXAMPLES = [(torch.rand(2, 3, 32, 32),) for _ in range(2)]


def test_a_range_clips_what_is_rare_and_keeps_zero():
    values = torch.cat([torch.randn(100_000).abs() * 0.01, torch.tensor([1.0])])
    step, zero = input_range(values)
    assert zero == 0
    assert 0.6 / 255 <= step < 1 / 255


def test_signed_values_have_their_zero_in_the_middle():
    step, zero = input_range(torch.linspace(-1, 1, 1001))
    assert zero == pytest.approx(127.5, abs=1)
    assert step == pytest.approx(2 / 255, rel=0.01)


def test_rounding_to_256_steps_changes_little_where_channels_differ_in_size(network):
    plain = network(*EXAMPLES[0])
    correction = network.body(*EXAMPLES[0]).std()
    round_blocks(network, EXAMPLES, kept=())
    assert sum(isinstance(m, RoundedConv) for m in network.modules()) == 20
    error = (network(*EXAMPLES[0]) - plain).std()
    assert 0 < error < 0.03 * correction


def test_blocks_that_are_kept_go_on_with_floats(network):
    round_blocks(network, EXAMPLES)
    assert not any(isinstance(m, RoundedConv) for m in [*network.body.down_a.modules(), *network.body.up_a.modules()])
    assert isinstance(network.body.up_b[0].first, RoundedConv)


def test_the_file_stores_whole_numbers_and_gives_the_same(network, tmp_path):
    round_blocks(network, EXAMPLES, kept=())
    file = tmp_path / "net.onnx"
    assert export(network, {"picture": torch.rand(1, 3, 32, 32)}, file, "", 0.02) < 0.02
    stored = [onnx.numpy_helper.to_array(v) for v in onnx.load(file).graph.initializer]
    whole = [v for v in stored if v.dtype == np.int8 and v.ndim == 4]
    assert len(whole) == 20
    assert all(abs(v).max() == 127 for v in whole)
