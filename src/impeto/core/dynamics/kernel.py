"""How the kernels are compiled.

They get the whole Tables and Workspace, some 150 arrays, and allocate nothing: everything is in the
workspace. So they do without reference counts, which would be touched for every array at every
call (measured on a double pendulum: an evaluation took 21 µs with them, 4 µs without).
"""

from __future__ import annotations

from impeto.core.geometry.arrays import Floats
from impeto.core.geometry.compiled import compiled

kernel = compiled
inlined = kernel  # for what has one caller: the compiler puts it there


@kernel
def copy(source: Floats, out: Floats) -> None:
    """out = source, both (n,)"""
    for i in range(source.shape[0]):
        out[i] = source[i]
