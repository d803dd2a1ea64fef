"""Shared by all tests."""

import pytest
from hypothesis import settings

from impeto.services import model_file, warmup

# The same examples on every machine, and no clock: a slow machine is not a fault.
settings.register_profile("house", derandomize=True, deadline=None)
settings.load_profile("house")


@pytest.fixture(scope="session", autouse=True)
def prepared():
    """Kernels compiled once, so that no single test pays for it."""
    if not warmup.is_prepared():
        warmup.prepare()


@pytest.fixture(scope="session")
def gang_saw():
    return model_file.load_demo("gang_saw")
