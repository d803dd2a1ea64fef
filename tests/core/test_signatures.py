"""What kernels say of their arrays is what they get."""

import subprocess
import sys
from pathlib import Path

import numpy as np
import pytest

from impeto.core.geometry.arrays import Ints, Matrix3, Rows, Vector3
from tests.signatures import fits


def test_kernels_get_what_their_signatures_say():
    done = subprocess.run([sys.executable, "-m", "tests.signatures"], capture_output=True,
                          text=True, cwd=Path(__file__).parents[2])  # fmt: skip
    assert done.returncode == 0, done.stdout + done.stderr
    assert int(done.stdout.split(" of ")[0].split("\n")[-1]) > 150


@pytest.mark.parametrize(
    ("value", "wanted", "right"),
    [
        (np.zeros(3), Vector3, True), ((0.0, 1.0, 2.0), Vector3, True),
        (np.zeros(4), Vector3, False), (np.zeros((3, 3)), Matrix3, True),
        (np.zeros((3, 4)), Matrix3, False), (np.zeros((5, 2)), Rows, True),
        (np.zeros(5), Rows, False), (np.zeros(3), Ints, False), (1.5, int, False),
        (np.int64(2), int, True), ("text", float, False), (None, type(None), True),
    ],
)  # fmt: skip
def test_shapes_that_differ_are_told(value, wanted, right):
    assert fits(value, wanted) is right
