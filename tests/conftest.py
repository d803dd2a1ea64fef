"""Shared by all tests."""

import gc
import warnings

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


def pytest_runtest_setup(item):
    """After tests of windows (see app/garbage.py) Python looks for garbage again, once there is
    none of theirs."""
    if not gc.isenabled() and "app" not in item.path.parts[-2:]:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")  # what they left open is not of this test
            gc.collect()
        gc.enable()


def unjudged(model):
    """A model without the figures, targets and studies that it keeps."""
    return model.changed(elements=[e for e in model.elements.values() if e.group != "judging"])


@pytest.fixture(scope="session")
def gang_saw():
    return model_file.load_demo("gang_saw")
