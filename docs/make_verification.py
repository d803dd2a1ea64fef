"""Writes docs/verification.md: problem, reference, our error, cost.

Run: .venv/bin/python docs/make_verification.py
"""

from __future__ import annotations

import sys
from pathlib import Path

ROOT = Path(__file__).parent.parent
HEAD = """# Verification, as computed

Written by `docs/make_verification.py`; `tests/core/test_verification.py` holds every line to its
bound. Errors are relative to the peak of the reference, the worst of the outputs named, reactions
included. Cost is the wall time of the run on the development machine (2 cores), kernels loaded.

| problem | reference | accuracy | our error | bound | cost |
|---|---|---|---|---|---|
"""
ESTIMATES = """
## How far the estimate can be believed

True error, the error that the run itself estimates (shown beside each run), and their ratio. The
estimate is three times the sum of what the steps estimate, more where a small change of the start
grows, and never less than what is missing of the energy; 1 stands for a motion that has nothing to
do with the true one any more. The first five are held against runs of ours at 1e-13, which in the
chaotic ones is no more than another such motion.

| problem | draft | normal | fine |
|---|---|---|---|
"""


def main() -> int:
    sys.path.insert(0, str(ROOT))
    from tests.estimates import estimates
    from tests.verification import PROBLEMS

    lines = []
    for problem in PROBLEMS:
        problem.solve()  # the first run of a kernel loads it
        error, wall = problem.solve()
        cost = "–" if wall is None else f"{1e3 * wall:.0f} ms" if wall < 1 else f"{wall:.1f} s"
        lines.append(
            f"| {problem.title} | {problem.source} | {problem.accuracy} | {error:.0e} | "
            f"{problem.bound:.0e} | {cost} |"
        )
        print(lines[-1])
    told = []
    for title, pairs in estimates():
        cells = [f"{true:.0e}, {said:.0e}, {true / said:.1g}" for true, said in pairs]
        told.append(f"| {title} | {' | '.join(cells)} |")
        print(told[-1])
    text = HEAD + "\n".join(lines) + "\n" + ESTIMATES + "\n".join(told) + "\n"
    (ROOT / "docs" / "verification.md").write_text(text)
    return 0


if __name__ == "__main__":
    sys.exit(main())
