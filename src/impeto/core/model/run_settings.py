"""How a run is solved: how long, how finely, by which integrator, from which pose."""

from __future__ import annotations

from dataclasses import dataclass

from impeto.core.model import fields
from impeto.core.model.fields import Written

ACCURACIES = ("draft", "normal", "fine")
AUTOMATIC, SMOOTH, STIFF, QUICK = "automatic", "smooth", "stiff", "quick"
INTEGRATORS = (AUTOMATIC, SMOOTH, STIFF, QUICK)


@dataclass(frozen=True, slots=True, kw_only=True)
class RunSettings:
    """How long to run and how finely. tolerance, where given, overrules the accuracy in words."""

    until: Written = fields.quantity("time", "5 s", title="End time")
    accuracy: str = fields.choice(ACCURACIES, "normal")
    tolerance: Written | None = fields.quantity("number", optional=True)
    outputs: Written = fields.quantity("frequency", "500 Hz", title="Output rate")
    integrator: str = fields.choice(INTEGRATORS, AUTOMATIC)
    step: Written = fields.quantity(
        "time", "4 ms", title="Quick step", hint="longest step of the quick integrator"
    )
    longest_step: Written | None = fields.quantity(
        "time", optional=True, title="Longest step", hint="empty: as the accuracy allows"
    )
    pose: str | None = fields.reference("pose", optional=True, title="Start pose")
    settle: bool = fields.switch(
        False, title="Settle first", hint="start from the static equilibrium"
    )

    def __post_init__(self) -> None:
        fields.coerce_fields(self)
