"""Clearance between two bodies over a recording, whether or not they may touch in the run:
positive while they are apart, negative by how deep they are in each other."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import numpy.typing as npt

from impeto.core.assembly.build import build_system
from impeto.core.assembly.resolve import resolve
from impeto.core.assembly.workspace import workspace_of
from impeto.core.contact.clearance import clearances
from impeto.core.contact.columns import NEAR_WIDTH, PATCH_WIDTH
from impeto.core.contact.layout import slots_of_shapes
from impeto.core.contact.nearby import pair_rows
from impeto.core.dynamics.solution import Solution
from impeto.core.elements import ContactRule, Event
from impeto.core.errors import ChannelError
from impeto.core.geometry.solids import FINE
from impeto.core.model.scope import find_case

Floats = npt.NDArray[np.float64]
BETWEEN = ".clearance."
RULE = "between_both"


def clearance(recording: Solution, a: str, b: str) -> Floats:
    """(N,) least distance [m] between the shapes of two bodies at every output."""
    elements = recording.model.elements.values()  # events may watch rules
    others = [e for e in elements if not isinstance(e, (ContactRule, Event))]
    both = ContactRule(name=RULE, first=(a,), second=(b,), joined_too=True, resolution=FINE)
    kept = {element.name for element in others}
    case = find_case(recording.model, recording.case)
    switches = {name: on for name, on in case.switches.items() if name in kept}
    model = recording.model.changed(
        elements=[*others, both], cases=[replace(case, switches=switches)]
    )
    system = build_system(resolve(model, recording.case))
    T = system.tables
    S = workspace_of(system).replaced(patch=np.zeros((1, PATCH_WIDTH)))
    S.on[:] = 1.0  # those that come and go too
    pairs = [(i, j, 0) for i, j in np.argwhere(np.triu(T.pairing >= 0))]
    if not pairs:
        raise ChannelError(f"{a} or {b} has no shape: there is no clearance between them.")
    rows = np.zeros((2 * len(pairs), NEAR_WIDTH), dtype=np.int64)
    count = pair_rows(T.shape, np.array(pairs, dtype=np.int64), slots_of_shapes(T), rows)
    out = np.zeros(len(recording.time))
    centers = np.ascontiguousarray(recording.centers)
    clearances(T, S, rows[:count], centers, np.ascontiguousarray(recording.rotations), out)
    for name in (a, b):
        out = recording.while_present(recording.bodies[name], out)
    return out


def worst_instants(values: Floats, most: int = 5) -> list[int]:
    """Outputs where two bodies come nearest: the least of each approach, the worst first.

    None where one of them is not there.
    """
    values = np.where(np.isnan(values), np.inf, values)
    padded = np.concatenate([[np.inf], values, [np.inf]])
    lowest = np.flatnonzero((padded[1:-1] < padded[:-2]) & (padded[1:-1] <= padded[2:]))
    return [int(k) for k in lowest[np.argsort(values[lowest])][:most]]
