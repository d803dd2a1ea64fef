"""Pint without Dask: it would import that for arrays that are not used here, which takes 0.2 s."""

import sys

there = sys.modules.get("dask")
if there is None:
    sys.modules["dask"] = None  # type: ignore[assignment]  # as if it were not installed
try:
    import pint
finally:
    if there is None:
        del sys.modules["dask"]

__all__ = ["pint"]
