"""How far a recording can be trusted, in words."""

from __future__ import annotations

from dataclasses import dataclass
from typing import NamedTuple

import numpy as np

from impeto.core.contact.data import ShapeData
from impeto.core.dynamics.solution import FAR
from impeto.core.dynamics.tables import TOUCH_A, TOUCH_B, TOUCH_DEPTH
from impeto.core.model import units
from impeto.core.model.run_settings import QUICK
from impeto.core.results.recording import Recording
from impeto.core.results.sizing import stalls
from impeto.core.results.system import Energies

GOOD, DOUBTFUL, BAD = "good", "doubtful", "bad"
# Energy that appears or vanishes, over the largest that was in play: so many times the tolerance of
# a step, within these bounds; a hundred times as much is bad.
ENERGY, ENERGY_WITHIN = 1e4, (1e-7, 1e-4)
# The same of the estimate of the accumulated integration error, relative.
ERROR, ERROR_WITHIN = 3e5, (3e-6, 3e-3)
POOR = 100.0
# Residual of the constraints over the mechanism's size.
GAP = (1e-7, 1e-5)
# Depth of contacts over how deep the middle of the thinner body lies: beyond half of that the law
# of the material does not hold any more, and contacts stiffen without bound.
DEPTH = (0.5, 0.9)
# Energy that contacts gave beyond what they had taken, over the largest in play: runs of the demos
# have 5e-6 at most, in quick mode 4e-4.
GAIN = (1e-2, 0.1)
# How much a small change of the start may grow without a word.
SENSITIVE = 30.0


@dataclass(frozen=True, slots=True)
class Trust:
    """level : 'good', 'doubtful' or 'bad';  lines : one sentence per audit
    cause : in a word or two what the level comes from, the energy where all is good
    """

    level: str
    lines: tuple[str, ...]
    cause: str = ""


class Audit(NamedTuple):
    """value, limits : what was measured; what of it is good, and what still doubtful
    line, short : in a sentence, and in a word or two
    """

    value: float
    limits: tuple[float, float]
    line: str
    short: str

    @property
    def level(self) -> int:
        good, doubtful = self.limits
        return 0 if self.value <= good else 1 if self.value <= doubtful else 2


def _beside(recording: Recording) -> str:
    """What a coarser run beside it told."""
    s = recording.statistics
    quick, parted = s.integrator == QUICK, s.apart > FAR
    if parted and not quick:
        return (
            f"From {s.compared:.4g} s on a run that is 30 times as coarse goes another way: chance "
            "decides where bodies come to lie. Judge by what several such runs have in common."
        )
    whole = parted or s.compared >= 0.99 * float(recording.time[-1])
    coarser = "of twice the step" if quick else "that is 30 times as coarse"
    until = "" if whole else f" until {s.compared:.4g} s"
    return (
        f"Beside a run {coarser}, places differ by up to {s.apart:.1g} of the machine's size, or "
        f"turns by as many rad{until}."
    )


def _limits(tolerance: float, times: float, within: tuple[float, float]) -> tuple[float, float]:
    """What counts as good and as doubtful at the accuracy that was asked for."""
    good = min(max(times * tolerance, within[0]), within[1])
    return good, POOR * good


def deepest_contact(recording: Recording) -> tuple[float, str] | None:
    """Largest depth of a contact over how deep the middle of the thinner of both bodies lies, and
    which these are; None where nothing touched. Knocks between two outputs count as well."""
    touch, m, s = recording.touch, recording.system.mechanism, recording.statistics
    between = (s.pressed, s.pressed_pair) if s.pressed_pair else None
    if not len(touch):
        return between
    thickness = np.array([shape.thickness for shape in m.of(ShapeData)])
    a, b = touch[:, [TOUCH_A, TOUCH_B]].astype(np.int64).T
    share = touch[:, TOUCH_DEPTH] / np.minimum(thickness[a], thickness[b])
    worst = int(np.argmax(share))
    names = [m.bodies[m.of(ShapeData)[row[worst]].body].name for row in (a, b)]
    recorded = max(float(share[worst]), 0.0), " and ".join(names)
    return recorded if between is None or recorded[0] >= between[0] else between


def trust(recording: Recording) -> Trust:
    """Energy balance, constraint errors, error estimate and steps of a recording."""
    s = recording.statistics
    asked = s.tolerance if s.integrator != QUICK else 1.0  # fixed steps know no accuracy
    energies = Energies(recording)
    energy = energies.error
    audits = [
        Audit(
            energy, _limits(asked, ENERGY, ENERGY_WITHIN),
            f"Energy balance: {energy:.0e} of the energy in play is unaccounted for.",
            f"energy {units.digits(energy, 2)}",
        ),
        Audit(
            s.worst_gap / recording.system.size, GAP,
            f"Joints stay together to {s.worst_gap:.0e} m.",
            f"joints apart by {s.worst_gap:.0e} m",
        ),
    ]  # fmt: skip
    worst = 0
    if s.integrator == QUICK:
        worst = 1
    else:
        text = f"Estimated error of the integration: {s.error:.0e} relative."
        short = f"estimated error {units.digits(s.error, 2)}"
        limits = _limits(s.tolerance, ERROR, ERROR_WITHIN)
        if s.apart > FAR:  # heaps and tumbling are like that: no fault, but no prediction either
            text, short, limits = _beside(recording), "chance decides", (limits[0], np.inf)
        audits.append(Audit(s.error, limits, text, short))
    deepest = deepest_contact(recording)
    if deepest is not None:
        depth, pair = deepest
        text = f"Contacts are pressed in by up to {depth:.1%} ({pair})."
        audits.append(Audit(depth, DEPTH, text, f"contacts {depth:.0%} deep"))
    gain = energies.contact_gain
    if gain > GAIN[0]:
        audits.append(Audit(
            gain, GAIN,
            f"Contacts gave {gain:.0%} of the energy in play that they had not taken before: "
            "compare with half the step, or with an accurate run.",
            f"contacts gave {gain:.0%} energy",
        ))  # fmt: skip
    cause = audits[0].short
    for audit in audits:
        if audit.level > worst:
            worst, cause = audit.level, audit.short
    lines = [audit.line for audit in audits]
    if s.growth > SENSITIVE:
        lines.append(
            f"The motion is sensitive: a small change of the start grows {s.growth:.2g} times. The "
            "estimated error has that in it."
        )
    if s.compared and not (s.apart > FAR and s.integrator != QUICK):
        lines.append(_beside(recording))
    if np.isfinite(s.singular):  # how it went on from there may be chance, and no estimate says so
        worst, cause = (1, "singular pose") if worst < 1 else (worst, cause)
        lines.append(
            f"The motion passes a singular pose at {s.singular:.4g} s, where it could go on in "
            "another way: see the flags of the Deck."
        )
    if recording.stopped and not recording.cancelled:
        worst = 2
    steps = (
        f"{s.integrator.capitalize()} integrator: {s.accepted} steps, {s.rejected} rejected, "
        f"{s.changes} switchings."
    )
    if s.integrator == QUICK:
        lines.append("Fixed steps of order 1: compare with an accurate run.")
    notes = (*recording.notes, *stalls(recording))
    return Trust((GOOD, DOUBTFUL, BAD)[worst], (*lines, steps, *notes), cause)
