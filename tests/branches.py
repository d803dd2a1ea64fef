"""Runs the tests of the core with the kernels not compiled, and tells which branches of
the kernels no test enters: `python -m tests.branches [seconds a test] [test files …]`.

Takes half an hour. A test that would take longer than its seconds ends there; what it has entered
until then counts, whether it passes does not: that is what the compiled tests are for.
"""

import os
import signal
import sys
from pathlib import Path

os.environ["NUMBA_DISABLE_JIT"] = "1"  # before numba is imported

import coverage
import pytest

CORE = Path(__file__).parent / "core"
SOURCES = Path(__file__).parents[1] / "src" / "impeto" / "core"
ROOMS = (
    "assembly",
    "bodies",
    "joints",
    "couplers",
    "forces",
    "drives",
    "contact",
    "flow",
    "dynamics",
)
SLOW = ("test_verification.py", "test_reference_problems.py", "test_random_mechanisms.py")


class Limit:
    """Ends each test after so many seconds."""

    def __init__(self, seconds):
        self.seconds = seconds
        signal.signal(signal.SIGALRM, self.end)

    def end(self, number, frame):
        raise TimeoutError(f"ended after {self.seconds} s")

    @pytest.hookimpl(hookwrapper=True)
    def pytest_runtest_call(self, item):
        signal.alarm(self.seconds)
        yield
        signal.alarm(0)


def main(arguments):
    seconds = int(arguments[0]) if arguments else 4
    files = arguments[1:] or [str(f) for f in CORE.glob("test_*.py") if f.name not in SLOW]
    measured = coverage.Coverage(
        branch=True,
        source=[str(SOURCES / room) for room in ROOMS],
        data_file=None,
        config_file=False,
    )
    measured.start()
    pytest.main(["-q", "--no-header", "--tb=no", "-p", "no:cacheprovider", *files],
                plugins=[Limit(seconds)])  # fmt: skip
    measured.stop()
    measured.report(show_missing=True, skip_covered=True, file=sys.stdout)
    return 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
