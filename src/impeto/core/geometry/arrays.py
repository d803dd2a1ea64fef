"""Shapes of arrays in signatures, in a light form: the type checker sees arrays, and a test holds
the shapes against what kernels get when they run uncompiled (tests/branches.py)."""

from __future__ import annotations

from typing import Annotated

import numpy as np
import numpy.typing as npt

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]
Bools = npt.NDArray[np.bool_]
Rows = Annotated[Floats, 2]  # (n, k)
IntRows = Annotated[Ints, 2]
Matrix3 = Annotated[Floats, (3, 3)]
Vector3 = Annotated[Floats, (3,)] | tuple[float, float, float]
