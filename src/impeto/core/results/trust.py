"""How far a recording can be trusted, in words."""

from __future__ import annotations

from dataclasses import dataclass

from impeto.core.model.model import QUICK
from impeto.core.results.channels.system import energy_error
from impeto.core.results.recording import Recording
from impeto.core.results.sizing import stalls

GOOD, DOUBTFUL, BAD = "good", "doubtful", "bad"
# Energy that appears or vanishes, over the largest that was in play.
ENERGY = (1e-4, 1e-2)
# Residual of the constraints over the mechanism's size.
GAP = (1e-7, 1e-5)
# Estimate of the accumulated integration error, relative.
ERROR = (1e-3, 1e-1)


@dataclass(frozen=True, slots=True)
class Trust:
    """level : 'good', 'doubtful' or 'bad';  lines : one sentence per audit"""

    level: str
    lines: tuple[str, ...]


def trust(recording: Recording) -> Trust:
    """Energy balance, constraint errors, error estimate and steps of a recording."""
    s = recording.statistics
    energy = energy_error(recording)
    audits = [
        (energy, ENERGY, f"Energy balance: {energy:.0e} of the energy in play is unaccounted for."),
        (
            s.worst_gap / recording.system.size, GAP,
            f"Joints stay together to {s.worst_gap:.0e} m.",
        ),
    ]  # fmt: skip
    worst = 0
    if s.integrator == QUICK:
        worst = 1
    else:
        text = f"Estimated error of the integration: {s.error:.0e} relative."
        audits.append((s.error, ERROR, text))
    for value, (fine, poor), _ in audits:
        worst = max(worst, 0 if value <= fine else 1 if value <= poor else 2)
    if recording.stopped and not recording.stopped.startswith("Cancelled"):
        worst = 2
    steps = (
        f"{s.integrator.capitalize()} integrator: {s.accepted} steps, {s.rejected} rejected, "
        f"{s.changes} switchings."
    )
    lines = [line for _, _, line in audits]
    if s.integrator == QUICK:
        lines.append("Fixed steps of order 1, no error estimate: compare with an accurate run.")
    notes = (*recording.notes, *stalls(recording))
    return Trust((GOOD, DOUBTFUL, BAD)[worst], (*lines, steps, *notes))
