"""Shared by all tests."""

import pytest

from impeto.services import model_file, warmup


@pytest.fixture(scope="session", autouse=True)
def prepared():
    """Kernels compiled once, so that no single test pays for it."""
    if not warmup.is_prepared():
        warmup.prepare()


@pytest.fixture(scope="session")
def gang_saw():
    return model_file.load_demo("gang_saw")
