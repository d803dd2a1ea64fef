"""Every problem of docs/verification.md stays within its bound."""

import pytest

from tests.verification import PROBLEMS


@pytest.mark.parametrize("problem", PROBLEMS, ids=lambda p: p.title.replace(" ", "-")[:48])
def test_problem_is_solved_within_its_bound(problem):
    error, _ = problem.solve()
    assert error < problem.bound
