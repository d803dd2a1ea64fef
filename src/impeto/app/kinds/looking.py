"""Charts and views that are kept with the model, in the window."""

from __future__ import annotations

from impeto.app.kinds.kind import Kind
from impeto.app.strokes import Oval, lines
from impeto.core.elements import Chart, View
from impeto.core.model.looking import NOTHING

LOOKING = (
    Kind(cls=Chart, title="chart", line=lambda e, s: ", ".join(e.listed),
         strokes=lines(((0.1, 0.1), (0.1, 0.9), (0.95, 0.9)), ((0.2, 0.75), (0.45, 0.35),
                       (0.65, 0.6), (0.9, 0.2))),
         new=lambda d, n: Chart(name=n, channels="system.energy.kinetic")),
    Kind(cls=View, title="view", new=lambda d, n: View(name=n),
         line=lambda e, s: "in the world" if e.follows == NOTHING else f"with {e.body}",
         strokes=(*lines(((0.05, 0.5), (0.3, 0.25), (0.7, 0.25), (0.95, 0.5), (0.7, 0.75),
                          (0.3, 0.75), (0.05, 0.5))), Oval((0.38, 0.38, 0.24, 0.24)))),
)  # fmt: skip
