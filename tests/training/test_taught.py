"""Learning half from the truth and half from a larger network."""

import numpy as np
import pytest

torch = pytest.importorskip("torch")

from training.taught import TaughtBatches  # noqa: E402


def test_the_target_is_between_the_truth_and_what_the_teacher_says():
    def batches(rng):
        picture = torch.from_numpy(rng.random((2, 1, 4, 4), np.float32))
        return (picture, 3 * picture), torch.zeros_like(picture), torch.full((2, 1, 1, 1), 7.0)

    class Teacher(torch.nn.Module):
        def forward(self, first, second):
            return 2 * first + second

    inputs, target, weight = TaughtBatches(batches, Teacher())(np.random.default_rng(0))
    torch.testing.assert_close(target, 2.5 * inputs[0])
    assert weight.flatten().tolist() == [7, 7] and not target.requires_grad
