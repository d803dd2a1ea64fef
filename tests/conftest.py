"""Shared by all tests."""

import pytest
from hypothesis import settings

from impeto.services import model_file, warmup

# The same examples on every machine, and no clock: a slow machine is not a fault.
settings.register_profile("house", derandomize=True, deadline=None)
settings.load_profile("house")


def pytest_configure(config):
    """Kernels compiled once, before there are several processes, so that no test pays for it."""
    if not hasattr(config, "workerinput") and not warmup.is_prepared():
        warmup.prepare()


def unjudged(model):
    """A model without the figures, targets and studies that it keeps."""
    return model.changed(elements=[e for e in model.elements.values() if e.group != "judging"])


@pytest.fixture(scope="session")
def gang_saw():
    return model_file.load_demo("gang_saw")
