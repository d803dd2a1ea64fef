"""Every problem of docs/verification.md stays within its bound."""

import pytest

from tests.estimates import ACCURACIES, estimates
from tests.verification import PROBLEMS


def marked(problem):
    title = problem.title.replace(" ", "-")[:48]
    return pytest.param(problem, id=title, marks=[pytest.mark.slow] if problem.slow else [])


@pytest.mark.parametrize("problem", [marked(p) for p in PROBLEMS])
def test_problem_is_solved_within_its_bound(problem):
    error, _ = problem.solve()
    assert error < problem.bound


@pytest.mark.slow
def test_the_estimated_error_bounds_the_true_one_within_a_factor_of_ten():
    for title, pairs in estimates():
        for at, (true, said) in zip(ACCURACIES, pairs, strict=True):
            assert true <= 10.0 * said, f"{title} at {at}: {true:.1e} for {said:.1e}"
