"""What happened in a run, and when: the flags beside the curves."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import numpy.typing as npt

from impeto.core.contact.data import ShapeData
from impeto.core.dynamics.columns import Switch
from impeto.core.dynamics.integration import LOGGED, WRITTEN
from impeto.core.dynamics.names import STICKING, STOPS, TOUCHES, Mark
from impeto.core.dynamics.system import System
from impeto.core.dynamics.tables import FRICTION, STOP, TOUCH_A, TOUCH_B
from impeto.core.solvers import diagnostics as suspects
from impeto.core.solvers.run import Run

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]
MOST_MARKS = 500  # flags of bodies that begin to touch


def run_marks(run: Run) -> tuple[Mark, ...]:
    """Events, what came and went, impacts, sticking and slipping in order of time."""
    found: list[Mark] = [*run.events.marks, *run.flow.marks]
    for moment, index in run.state.log[: int(run.state.counts[LOGGED])]:
        kind = int(run.tables.switch[int(index), Switch.KIND])
        owner = suspects.owner_of_switch(run.system, int(index))
        if kind == STOP:
            found.append(Mark(float(moment), owner, "touches or leaves its stop", STOPS))
        elif kind == FRICTION:
            found.append(Mark(float(moment), owner, "sticks or slips", STICKING))
    if len(run.tables.shape):
        out, kept = run.outputs, int(run.state.counts[WRITTEN])
        found += touch_marks(run.system, out.time[:kept], out.touch, out.touch_end[:kept])
    return tuple(sorted(found, key=lambda mark: mark.time))


def touch_marks(system: System, time: Floats, touch: Floats, touch_end: Ints) -> Sequence[Mark]:
    """When two bodies begin to touch after they were apart, as far as the outputs tell.

    time : (N,);  touch, touch_end : points of contact of these outputs
    """
    m, marks = system.mechanism, []
    body = np.array([shape.body for shape in m.of(ShapeData)], dtype=np.int64)
    before: set[tuple[int, int]] | None = None
    first = 0
    for moment, end in zip(time, touch_end, strict=True):
        pairs = np.sort(body[touch[first:end, [TOUCH_A, TOUCH_B]].astype(np.int64)], axis=1)
        now = {(int(a), int(b)) for a, b in pairs}
        for a, b in sorted(now - before if before is not None else ()):
            one, other = (b, a) if a == 0 else (a, b)
            text = f"touches {m.bodies[other].name}"
            marks.append(Mark(float(moment), m.bodies[one].name, text, TOUCHES))
        if len(marks) > MOST_MARKS:
            break
        before, first = now, int(end)
    return marks
