"""What a drive has to be able to do: stalls of motors, and torque over speed against a limit."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from impeto.core.drives.data import DriveData
from impeto.core.model import units
from impeto.core.results.recording import Recording

Floats = npt.NDArray[np.float64]
SLOW = 0.02  # of the speed at which the voltage would be balanced: as good as standing
HARD = 0.5  # of the largest voltage in the run: with less it holds, and is not stalled
LASTING = 0.05  # s that a motor must stand under voltage to count as stalled


@dataclass(frozen=True, slots=True)
class Cloud:
    """Points of a drive over a run, both as sizes, and its limit where it has one.

    speed : (N,) rad/s or m/s;  effort : (N,) N m or N;  limit : (speeds, efforts) or None
    margin : least distance to the limit, negative where it is passed
    """

    speed: Floats
    effort: Floats
    limit: tuple[Floats, Floats] | None
    margin: float | None


def cloud(recording: Recording, drive: str) -> Cloud:
    """Effort over speed of a drive."""
    data = next(d for d in recording.system.mechanism.of(DriveData) if d.name == drive)
    effort = np.abs(recording[f"{drive}.{'torque' if data.freedom >= 3 else 'force'}"])
    speed = np.abs(recording[f"{drive}.speed"])
    curve = data.limit_curve
    if curve is None:
        return Cloud(speed, effort, None, None)
    reach = np.linspace(0.0, max(float(speed.max()), float(curve.x[-1])), 100)
    margin = float((curve.values(speed) - effort).min())
    return Cloud(speed, effort, (reach, curve.values(reach)), margin)


def stalls(recording: Recording) -> list[str]:
    """A sentence for each motor that stands for a while though much of the voltage that it gets in
    the run is put on."""
    found = []
    for drive in recording.system.mechanism.of(DriveData):
        if drive.motor is None:
            continue
        voltage = np.abs(recording[f"{drive.name}.voltage"]) * recording.on(drive.name)
        back = drive.motor.speed_constant * np.abs(recording[f"{drive.name}.rotor_speed"])
        pushed = (voltage > 0.0) & (voltage >= HARD * voltage.max())
        stands = pushed & (back < SLOW * voltage)
        since = _lasting(recording.time, stands)
        if since is not None:
            later = recording.time >= recording.time[since]
            peak = float(np.abs(recording[f"{drive.name}.current"][later & stands]).max())
            current = units.shown(peak, "current")
            found.append(
                f"{drive.name} stalls from {units.digits(float(recording.time[since]))} s: "
                f"{current} do not turn it."
            )
    return found


def _lasting(time: Floats, stands: npt.NDArray[np.bool_]) -> int | None:
    """First index of the first stretch that lasts."""
    begin = None
    for index, still in enumerate(stands):
        if not still:
            begin = None
        elif begin is None:
            begin = index
        elif time[index] - time[begin] >= LASTING:
            return begin
    return None
