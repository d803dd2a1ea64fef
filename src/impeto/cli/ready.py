"""The solver made ready before a command needs it."""

from __future__ import annotations

import sys

from impeto.services import warmup

NOT_KEPT = (
    "The compiled solver cannot be kept, as neither the installation nor the folder of caches can "
    "be written: it is compiled anew at every start."
)


def make_ready() -> None:
    """Compile the kernels where that has not been done, and say so."""
    if not warmup.is_prepared():
        print("Preparing the solver: compiling its kernels, two to four minutes …", flush=True)
        if not warmup.prepare():
            print(NOT_KEPT, file=sys.stderr)
