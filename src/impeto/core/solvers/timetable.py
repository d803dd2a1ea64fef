"""When signals of time change: known before a run, so that no step leaps over anything.

Steps end at the rows of tables, at the edges of pulses and ramps, and wherever a comparison of time
alone turns; the switches that belong to these are set by the clock. What is narrow between such
instants is found by bounds (see model/enclosure.py): a span in which a formula may reach
values that a few samples of it do not show is halved until they do, and steps end at the halves.
"""

from __future__ import annotations

import contextlib
from collections.abc import Iterator

import numpy as np
import numpy.typing as npt

from impeto.core.dynamics.programs import Timed, Timing
from impeto.core.errors import FormulaError
from impeto.core.model.calculus import derivative
from impeto.core.model.enclosure import enclose, values
from impeto.core.model.formula import Apply, Node, Number
from impeto.core.model.units import NUMBER

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]
# Where in a span a formula is sampled: uneven, so that nothing periodic hides between.
SAMPLES = np.array([0.02, 0.11, 0.23, 0.34, 0.47, 0.58, 0.71, 0.83, 0.96])
UNSEEN = 0.25  # of the spread of the samples: by how much the bounds may go beyond them
NOTHING = 1e-3  # of the size of a formula: a bump may begin so high, and its step sees it then
ROUNDING = 1e-14  # of the size of a formula: what cannot be told from zero
NARROWEST = 1e-9  # of the span of a run: spans are not halved further
FIRST_SPANS = 16
HALVINGS = 40
WIDE = 24  # halvings up to which a span in which a formula is as good as zero is left out
MOST_SPANS = 200_000
# Functions whose value may be narrow in time although their arguments are not; sums and products
# are as wide as their parts.
BENDING = frozenset(
    ("^", "sin", "cos", "tan", "asin", "acos", "atan", "atan2", "sqrt", "exp", "log")
)
TOO_MANY = (
    "A formula of time changes so often that not every narrow part of it could be looked for: "
    "give a longest step in the run settings."
)


class Timetable:
    """Instants between begin and end at which steps end, and what the switches do there.

    start : states of switches right after the begin;  times : (K,) s
    note : what could not be found out, for people, or ''
    """

    def __init__(self, timing: Timing, begin: float, end: float) -> None:
        self._begin, self._end, self.note = begin, end, ""
        self._roots: dict[Node, Floats] = {}
        self._at = 0
        self.start: list[tuple[int, int]] = []
        changes: list[tuple[float, int, int]] = []
        bare: list[Floats] = [np.zeros(0)]
        for timed in () if timing.standing else timing.timed:
            when = self._instants(timed)
            when = when[(when > begin + self._least) & (when < end)]
            if timed.switch < 0:
                bare += [when, 0.5 * (when + np.append(when[1:], end))]
                continue
            first, *later = self._states(timed, when)
            self.start.append((timed.switch, int(first)))
            for moment, state in zip(when, later, strict=True):
                changes.append((float(moment), timed.switch, int(state)))
        edges = np.concatenate([*bare, [moment for moment, _, _ in changes]])
        inner = [edges]
        for part in _bending_parts(() if timing.standing else timing.moving):
            inner.append(self._narrow(part, np.unique(np.concatenate([[begin, end], edges]))))
        self.times = self._apart(np.concatenate(inner))
        rows = np.searchsorted(self.times, [m - 2.5 * self._least for m, _, _ in changes])
        self._changes: dict[int, list[tuple[int, int]]] = {}
        for row, (_, switch, state) in zip(rows, changes, strict=True):
            self._changes.setdefault(int(row), []).append((switch, state))

    @property
    def next(self) -> float:
        """s, the instant that comes next; infinite after the last."""
        return float(self.times[self._at]) if self._at < len(self.times) else np.inf

    def begin(self, switch: Ints) -> None:
        """Set the switches to how they are right after the begin."""
        for index, state in self.start:
            switch[index] = state

    def turn(self, now: float, switch: Ints) -> None:
        """Set the switches that change at instants that have come."""
        while self.next <= now:
            for index, state in self._changes.get(self._at, ()):
                switch[index] = state
            self._at += 1

    @property
    def _least(self) -> float:
        """s, instants that are closer than that are one."""
        return 1e-13 * max(abs(self._begin), abs(self._end))

    def _apart(self, times: Floats) -> Floats:
        """In order, without those that are as good as equal, and without begin and end."""
        times = np.unique(times[(times > self._begin + self._least) & (times < self._end)])
        return times[np.diff(times, prepend=-np.inf) > 2.0 * self._least]

    def _instants(self, timed: Timed) -> Floats:
        if timed.curve is not None:
            return timed.curve.x
        if timed.node not in self._roots:
            self._roots[timed.node] = self._sign_changes(timed.node)
        return self._roots[timed.node]

    def _states(self, timed: Timed, when: Floats) -> Ints:
        """States of a switch before the first of its instants and after each."""
        if timed.curve is not None:
            begun = int(np.searchsorted(timed.curve.x, self._begin, side="right"))
            return timed.first + begun + np.arange(len(when) + 1)
        ends = np.concatenate([[self._begin], when, [self._end]])
        middle = values(timed.node, 0.5 * (ends[:-1] + ends[1:]))
        return np.asarray(middle > 0.0, dtype=np.int64)

    def _sign_changes(self, node: Node) -> Floats:
        """Every instant at which a formula of time may change its sign, by halving all spans whose
        bounds have zero between them."""
        ends = np.linspace(self._begin, self._end, FIRST_SPANS + 1)
        low, high = ends[:-1], ends[1:]
        size = 0.0
        for depth in range(HALVINGS):
            least, most = enclose(node, low, high)
            largest = np.maximum(np.abs(least), np.abs(most))
            size = size or float(largest[np.isfinite(largest)].max(initial=0.0))
            may = (least <= 0.0) & (most >= 0.0)
            if depth < WIDE:
                may &= largest > ROUNDING * size
            low, high = low[may], high[may]
            if not len(low):
                return low
            if 2 * len(low) > MOST_SPANS:
                self.note = TOO_MANY
                break
            middle = 0.5 * (low + high)
            low, high = np.concatenate([low, middle]), np.concatenate([middle, high])
        before, after = values(node, low), values(node, high)
        crosses = (before <= 0.0) != (after <= 0.0)
        low, high, before, after = low[crosses], high[crosses], before[crosses], after[crosses]
        share = np.where(after != before, before / (before - after), 0.5)
        return np.unique(low + np.clip(share, 0.0, 1.0) * (high - low))

    def _narrow(self, node: Node, edges: Floats) -> Floats:
        """Ends and middles of spans between which a formula has no value that is not seen."""
        low, high = edges[:-1], edges[1:]
        found: list[Floats] = [np.zeros(0)]
        slope, size = _slope(node), 0.0
        for depth in range(HALVINGS):
            least, most = _bounds(node, slope, low, high)
            seen = values(node, low[:, None] + SAMPLES * (high - low)[:, None])
            lowest, highest = seen.min(axis=1), seen.max(axis=1)
            bounds = np.concatenate([least, most])
            if depth == 0 or size == 0.0:
                size = float(np.abs(bounds[np.isfinite(bounds)]).max(initial=0.0))
            slack = UNSEEN * (highest - lowest) + NOTHING * size
            hidden = (most > highest + slack) | (least < lowest - slack)
            if depth > 0:
                shown = ~hidden & (highest - lowest > NOTHING * size)
                found += [low[shown], 0.5 * (low + high)[shown], high[shown]]
            hidden &= high - low > NARROWEST * (self._end - self._begin)
            low, high = low[hidden], high[hidden]
            if not len(low):
                break
            if 2 * len(low) > MOST_SPANS:
                self.note = TOO_MANY
                break
            middle = 0.5 * (low + high)
            low, high = np.concatenate([low, middle]), np.concatenate([middle, high])
        return np.concatenate(found)


def _bending_parts(nodes: tuple[Node, ...]) -> Iterator[Node]:
    """The parts of formulas of time in which something narrow may arise, each once."""
    waiting, known = list(nodes), set[Node]()
    while waiting:
        node = waiting.pop()
        if not isinstance(node, Apply) or node in known:
            continue
        known.add(node)
        waiting += node.arguments
        if node.function in BENDING:
            yield node
        elif node.function == "/" and not isinstance(node.arguments[1], Number):
            yield Apply("/", (Number(1.0, NUMBER), node.arguments[1]))


def _slope(node: Node) -> Node | None:
    """The derivative of a formula of time, None where it has none."""
    with contextlib.suppress(FormulaError):
        return derivative(node)
    return None


def _bounds(node: Node, slope: Node | None, low: Floats, high: Floats) -> tuple[Floats, Floats]:
    """Bounds over spans, by intervals and by the value in the middle and the slopes (mean value
    form), whichever is nearer."""
    least, most = enclose(node, low, high)
    if slope is None:
        return least, most
    middle = values(node, 0.5 * (low + high))
    with np.errstate(all="ignore"):
        steepest = np.abs(enclose(slope, low, high)).max(axis=0)
        reach = 0.5 * (high - low) * steepest
    reach = np.where(np.isfinite(reach) & np.isfinite(middle), reach, np.inf)
    middle = np.where(np.isfinite(middle), middle, 0.0)
    return np.maximum(least, middle - reach), np.minimum(most, middle + reach)
