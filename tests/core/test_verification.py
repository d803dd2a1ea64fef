"""Every problem of docs/verification.md stays within its bound."""

import pytest

from tests.estimates import ACCURACIES, estimates
from tests.verification import PROBLEMS


@pytest.mark.parametrize("problem", PROBLEMS, ids=lambda p: p.title.replace(" ", "-")[:48])
def test_problem_is_solved_within_its_bound(problem):
    error, _ = problem.solve()
    assert error < problem.bound


def test_the_estimated_error_bounds_the_true_one_within_a_factor_of_ten():
    for title, pairs in estimates():
        for at, (true, said) in zip(ACCURACIES, pairs, strict=True):
            assert true <= 10.0 * said, f"{title} at {at}: {true:.1e} for {said:.1e}"
