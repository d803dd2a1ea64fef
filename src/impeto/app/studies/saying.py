"""What many runs came to, in words."""

from __future__ import annotations

from impeto.core.model import units
from impeto.core.studies.fitting import Fitted
from impeto.core.studies.sensitivity import Slope
from impeto.core.studies.solved import Solved
from impeto.services.studies.searching import Found


def spread_of(slope: Slope) -> float:
    """How far an elasticity may be off."""
    return abs(slope.error / slope.slope * slope.elasticity) if slope.slope else 0.0


def points_told(solved: Solved, most: int) -> list[list[str]]:
    """Rows of the first so many points that are solved: verdict, values, figures."""
    rows = []
    for number in sorted(solved.answers)[:most]:
        answer = solved.answers[number]
        varied = [s.told(v) for s, v in zip(solved.points.varied, solved.values[number],
                                            strict=True)]  # fmt: skip
        figures = [answer.told(name) for name in solved.figures]
        verdict = answer.problem or ("met" if answer.meets_all else "missed")
        rows.append([verdict, *varied, *figures])
    return rows


def sweep_said(solved: Solved) -> str:
    """What a sweep came to, in a sentence."""
    share = solved.share_met()
    said = f"{share.solved} of {len(solved.values)} solved"
    if solved.margins:
        said += f"; {share.met} meet all targets"
        if not solved.is_even:
            said += (f": of made ones between {100 * share.low:.3g} and {100 * share.high:.3g} % "
                     "would")  # fmt: skip
    failed = solved.problems
    if failed:
        number, why = next(iter(failed.items()))
        said += f"; {len(failed)} failed, such as point {number}: {why.rstrip('.')}"
    return f"{said}. Double click a row to solve that point in full."


def search_said(found: Found) -> str:
    """Whether the best values meet what is asked."""
    if found.against:
        return (f"Of {len(found.history.values)} runs no other is better in both figures than "
                f"these {len(found.front)}. Double click a row to make it a case.")  # fmt: skip
    said, missed = f"The best of {len(found.history.values)} runs", found.missed
    return f"{said} misses {', '.join(missed)}." if missed else f"{said} meets all targets."


def fit_said(found: Fitted) -> str:
    """How well a curve is followed."""
    said = f"After {found.rounds} curves {units.digits(found.left, 3)} (RMS, SI) is left"
    edge = f"; {', '.join(found.at_bounds)} stopped at a bound" if found.at_bounds else ""
    return f"{said}{edge}. ± is half the interval of confidence, if what is left is noise."


def rows_of(found: Found) -> list[list[str]]:
    """Best values and their figures; of a trade-off a row for each run on its front."""
    if found.against:
        return found.front_told
    varied = [[s.name, s.told(found.values[s.name])] for s in found.asked.varied]
    figures = [[name, found.best.told(name)] for name in found.best.figures]
    return varied + figures


def titles_of(found: Found) -> list[str]:
    """Of the columns of `rows_of`."""
    return [found.figure, found.against, *found.values] if found.against else ["", "best"]
