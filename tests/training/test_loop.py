"""The networks and their training loop, where torch is installed (it is not needed to run the program)."""

import numpy as np
import pytest

torch = pytest.importorskip("torch", reason="torch is for training only")

from training.export import export, shipped_weights  # noqa: E402
from training.loop import Plan, Trainer, alike, take_weights  # noqa: E402
from training.networks import DEEPER, MosaicNet, ResidualBlock  # noqa: E402
from training.optimiser import orthogonalised  # noqa: E402

pytestmark = pytest.mark.slow


def draw(rng: np.random.Generator):
    target = torch.from_numpy(rng.uniform(0, 1, (2, 3, 16, 16)).astype(np.float32))
    mosaic = target.mean(1, keepdim=True)
    return (mosaic, torch.full((2, 1, 8, 8), 0.1)), target, torch.ones(2, 1, 1, 1)


def test_orthogonalised_steps_are_orthogonal():
    steps = orthogonalised(torch.randn(3, 16, 40), iterations=8)
    singular = torch.linalg.svdvals(steps)
    assert singular.min() > 0.5
    assert singular.max() < 1.5


def test_an_untrained_net_starts_from_bilinear_interpolation():
    net = MosaicNet((8, 8, 8))
    for p in net.body.tail.parameters():
        torch.nn.init.zeros_(p)
    even = torch.full((1, 1, 32, 32), 0.4)
    assert torch.allclose(net(even, torch.zeros(1, 1, 16, 16))[..., 2:-2, 2:-2], torch.tensor(0.4), atol=1e-6)


def test_no_channel_of_a_block_can_fall_silent_for_good():
    """Even where every rectifier is shut, weights before it still learn."""
    block = ResidualBlock(4)
    torch.nn.init.constant_(block.first.weight, -1.0)
    block(torch.ones(1, 4, 8, 8)).sum().backward()
    assert torch.all(block.first.weight.grad.abs().sum(dim=(1, 2, 3)) > 0)


def test_training_goes_on_where_it_stopped_and_cooling_leaves_the_checkpoint(tmp_path):
    plan = Plan(log_every=1, save_every=1)
    first = Trainer(MosaicNet((8, 8, 8)), tmp_path, plan)
    first.run(draw, minutes=0.02, threads=1)
    assert first.step >= 1
    again = Trainer(MosaicNet((8, 8, 8)), tmp_path, plan)
    assert again.step == first.step
    saved = torch.load(tmp_path / "checkpoint.pt", weights_only=True)
    assert all(torch.equal(v, saved["average"][k]) for k, v in again.average.items())
    again.run(draw, minutes=0, threads=1, cool_down=3)
    assert torch.load(tmp_path / "checkpoint.pt", weights_only=True)["step"] == first.step
    cooled = torch.load(tmp_path / "weights.pt", weights_only=True)
    assert any(not torch.equal(v, saved["average"][k]) for k, v in cooled.items())


def test_numbers_are_as_small_as_ever_after_training(tmp_path):
    """While it trains, the processor takes the tiniest numbers for zero; what else runs in the process needs them."""
    Trainer(MosaicNet((8, 8, 8)), tmp_path, Plan()).run(draw, minutes=0, threads=1, cool_down=1)
    assert torch.tensor(1e-300, dtype=torch.float64) * 1e-20 > 0


def test_a_further_fall_goes_on_from_the_weights_that_ship(tmp_path):
    inputs = {"mosaic": torch.rand(1, 1, 32, 32), "sigma": torch.rand(1, 1, 16, 16)}
    plan = Plan(log_every=1, save_every=1, warm_up=1)

    def trainer() -> Trainer:
        return Trainer(MosaicNet((8, 8, 8)), tmp_path, plan)

    trainer().run(draw, minutes=0.02, threads=1)
    fallen = trainer()
    fallen.run(draw, minutes=0, threads=1, cool_down=3)
    shipped = MosaicNet((8, 8, 8))
    shipped.load_state_dict(torch.load(tmp_path / "weights.pt", weights_only=True))
    export(shipped, inputs, tmp_path / "shipped.onnx", "")
    trainer().save()  # puts other weights beside the checkpoint
    further = trainer()
    further.start_after_fall(shipped_weights(tmp_path / "shipped.onnx"), 3)
    assert further.step == fallen.step  # what it draws is not what the fall has seen
    for name, value in further.network.state_dict().items():
        assert torch.equal(value, fallen.average[name])
    further.run(draw, minutes=0, threads=1, cool_down=1)
    assert further.optimisers[0].param_groups[0]["lr"] == pytest.approx(plan.lr * plan.further)
    changed = torch.load(tmp_path / "weights.pt", weights_only=True)
    assert any(not torch.equal(value, fallen.average[name]) for name, value in changed.items())


def test_a_wider_network_starts_from_what_is_alike_in_a_narrower():
    narrow = dict(MosaicNet((8, 8, 8)).named_parameters())
    wide = MosaicNet((8, 8, 16))
    start = alike(wide, narrow)
    assert set(start) == {name for name, _ in wide.named_parameters()}
    taken = {name for name, value in start.items() if value is narrow[name]}
    assert "body.head.weight" in taken
    assert "body.middle.0.first.weight" not in taken


def test_the_log_can_be_read_back(tmp_path):
    import json

    Trainer(MosaicNet((8, 8, 8)), tmp_path, Plan(log_every=1)).run(draw, minutes=0.02, threads=1)
    rows = [json.loads(line) for line in (tmp_path / "log.jsonl").read_text().splitlines()]
    assert rows[0]["step"] == 1
    assert all(row["loss"] > 0 for row in rows)


def test_a_deeper_network_begins_as_the_one_whose_weights_it_takes():
    small, deep = MosaicNet(), MosaicNet(blocks=DEEPER)
    take_weights(deep, alike(deep, dict(small.named_parameters())))
    inputs = torch.rand(1, 1, 32, 32), torch.rand(1, 1, 16, 16)
    with torch.no_grad():
        assert torch.equal(small(*inputs), deep(*inputs))
        deep.body.middle[5].second.weight += 0.1
        assert not torch.equal(small(*inputs), deep(*inputs))
