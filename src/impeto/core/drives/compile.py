"""Numbers of drives and events."""

from __future__ import annotations

import math

from impeto.core.bodies.compilation import Compilation, Numbers
from impeto.core.drives.data import BrakeData, DriveData, MotorData, ServoData
from impeto.core.drives.model import AtFreedom, Brake, Drive, Motor, Powered, Servo
from impeto.core.dynamics.signals import formula_node, is_counted, signal_node
from impeto.core.errors import ModelError
from impeto.core.model import formula
from impeto.core.model.formula import Number
from impeto.core.model.freedoms import FREEDOMS
from impeto.core.model.scope import Scope


def compiled(made: Compilation) -> Numbers:
    """Numbers of all drives and brakes."""
    return {
        DriveData: made.each(Powered, drive_data, made.joint_row),
        BrakeData: made.each(Brake, brake_data, made.joint_row),
    }


def drive_data(scope: Scope, drive: Powered, joint_row: dict[str, int]) -> DriveData:
    """Numbers of a drive, servo or motor."""
    _check_free(scope, drive)
    node = signal_node(scope, drive)
    prescribes = drive.prescribes if isinstance(drive, Drive) else drive.tag
    held = prescribes not in ("effort", "motor")
    moving = set(formula.names(node)) - {"t"}
    if isinstance(drive, Servo):  # may follow what stays the same but for jumps
        moving = {name for name in moving if not is_counted(name, scope)}
    if held and moving:
        what = "a prescribed motion can depend on time only"
        if isinstance(drive, Servo):
            what = "the reference of a servo can depend on time and on counts of outlets only"
        raise ModelError(
            what,
            element=drive.name,
            field="value",
            remedy="Use an effort where it has to follow a channel",
        )
    over = "angular speed" if drive.turning else "speed"
    kind = "torque" if drive.turning else "force"
    return DriveData(
        name=drive.name,
        joint=joint_row[drive.joint],
        freedom=FREEDOMS.index(drive.freedom),
        prescribes=prescribes,
        value=node,
        servo=_servo(scope, drive) if isinstance(drive, Servo) else None,
        motor=_motor(scope, drive) if isinstance(drive, Motor) else None,
        limit_curve=scope.curve(drive, "limit_curve", over, kind),
    )


def brake_data(scope: Scope, brake: Brake, joint_row: dict[str, int]) -> BrakeData:
    """Numbers of a brake."""
    _check_free(scope, brake)
    node = signal_node(scope, brake)
    if isinstance(node, Number) and node.value < 0.0:
        raise ModelError(
            "a brake holds with the size of an effort, which cannot be negative",
            element=brake.name, field="value", remedy="Type it without the sign",
        )  # fmt: skip
    return BrakeData(
        name=brake.name, joint=joint_row[brake.joint], freedom=FREEDOMS.index(brake.freedom),
        value=node,
    )  # fmt: skip


def _check_free(scope: Scope, element: AtFreedom) -> None:
    joint = scope.model[element.joint]
    if element.freedom not in joint.coordinates:
        raise ModelError(
            f"{element.freedom} of {element.joint} is locked",
            element=element.name,
            field="freedom",
            remedy="Free it in the joint, or choose a free motion",
        )


def _servo(scope: Scope, servo: Servo) -> ServoData:
    def value(field: str, kind: str, default: float) -> float:
        if getattr(servo, field) is None:
            return default
        return scope.field(servo, field, servo.refined_kind(kind))

    forward = None
    if servo.feed_forward is not None:
        kind = "torque" if servo.turning else "force"
        forward = formula_node(scope, servo.feed_forward, kind, servo.name, "feed_forward", {})
    limit = value("limit", "torque", math.inf)
    rate = value("rate_limit", "torque rate", math.inf)
    sample = value("sample_time", "time", 0.0)
    for field, number in (("limit", limit), ("rate_limit", rate)):
        if number <= 0.0:
            raise ModelError(
                "it must be greater than zero", element=servo.name, field=field,
                remedy="Leave it empty for none",
            )  # fmt: skip
    if sample < 0.0:
        raise ModelError("it cannot be negative", element=servo.name, field="sample_time")
    return ServoData(
        proportional=value("proportional", "torsional stiffness", 0.0),
        integral=value("integral", "torsional stiffness rate", 0.0),
        derivative=value("derivative", "torsional damping", 0.0),
        feed_forward=forward,
        limit=limit,
        rate=rate,
        sample=sample,
        on_speed=servo.controls == "speed",
    )


def _motor(scope: Scope, motor: Motor) -> MotorData:
    def value(field: str, kind: str) -> float:
        return scope.field(motor, field, kind)

    transmission = value("ratio", "number")
    if not motor.turning:
        if motor.lead is None:
            raise ModelError(
                "a motor on a slide needs the lead of its screw", element=motor.name, field="lead",
                remedy="Type the advance per turn, or drive a turn",
            )  # fmt: skip
        lead = value("lead", "length")
        if lead == 0.0:
            raise ModelError("the lead cannot be zero", element=motor.name, field="lead")
        transmission *= math.tau / lead
    elif motor.lead is not None:
        raise ModelError(
            "a lead belongs to a slide", element=motor.name, field="lead", remedy="Leave it empty"
        )
    constant = value("torque_constant", "torque constant")
    back = constant
    if motor.speed_constant is not None:
        back = value("speed_constant", "speed constant")
    efficiency = value("efficiency", "number")
    backwards = efficiency
    if motor.efficiency_back is not None:
        backwards = value("efficiency_back", "number")
    if not 0.0 < efficiency <= 1.0 or not 0.0 <= backwards <= 1.0:
        raise ModelError(
            "an efficiency lies between 0 and 1", element=motor.name, field="efficiency"
        )
    data = MotorData(
        supply=value("supply", "voltage"),
        resistance=value("resistance", "resistance"),
        inductance=value("inductance", "inductance"),
        torque_constant=constant,
        speed_constant=back,
        rotor_inertia=value("rotor_inertia", "inertia"),
        friction=value("no_load_friction", "rotor torque"),
        transmission=transmission,
        efficiency=efficiency,
        efficiency_back=backwards,
    )
    positive = {"resistance": data.resistance, "ratio": abs(transmission)}
    for field, number in positive.items():
        if number <= 0.0:
            raise ModelError(
                "it must be greater than zero", element=motor.name, field=field,
                remedy="Type a larger value",
            )  # fmt: skip
    least = min(data.inductance, data.rotor_inertia, data.friction)
    if least < 0.0:
        raise ModelError("a value of the motor is negative", element=motor.name)
    return data
