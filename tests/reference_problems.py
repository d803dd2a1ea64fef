"""Reference problems (tests/reference/*.json) turned into models of ours."""

import json
from functools import cache
from pathlib import Path

import numpy as np

import impeto

FOLDER = Path(__file__).parent / "reference"
FREE = {
    "revolute": "revolute", "prismatic": "prismatic", "spherical": "spherical",
    "screw": "cylindrical",
}  # fmt: skip


@cache
def problem(file: str, case: str) -> dict:
    cases = json.loads((FOLDER / f"{file}.json").read_text())["cases"]
    return next(c for c in cases if c["name"] == case)


def angles_to_z(axis) -> tuple[float, float, float]:
    """Roll, pitch, yaw of a frame whose z axis points along `axis`."""
    x, y, z = axis
    return 0.0, float(np.arctan2(np.hypot(x, y), z)), float(np.arctan2(y, x))


def model_of(data: dict) -> impeto.Model:
    """The case as a model; every body's axes are parallel to the world's at the start."""
    gravity = np.array(data["gravity"], dtype=float)
    size = float(np.linalg.norm(gravity))
    direction = tuple(float(g) for g in (gravity / size if size else [0, 0, -1]))
    elements = [impeto.Gravity(name="gravity", size=size, direction=direction)]
    com = {"ground": np.zeros(3)}
    for body in data["bodies"]:
        inertia = np.array(body["inertia_about_com"])
        com[body["name"]] = np.array(body["com"])
        elements.append(
            impeto.Body(
                name=body["name"],
                position=tuple(body["com"]),
                mass=body["mass"],
                inertia=tuple(float(v) for v in np.diag(inertia)),
                inertia_products=(inertia[0, 1], inertia[0, 2], inertia[1, 2]),
                velocity=tuple(body["v_com"]),
                angular_velocity=tuple(body["omega"]),
            )
        )

    def frame(name, body, point, orientation=(0.0, 0.0, 0.0)):
        position = tuple(float(v) for v in np.array(point) - com[body])
        elements.append(
            impeto.Frame(name=name, body=body, position=position, orientation=orientation)
        )
        return name

    def ends(force):
        name = force["name"]
        where = []
        for side in "ab":
            carrier, point = force[f"body_{side}"], force[f"point_{side}"]
            point = com[carrier] if point == "COM" else point
            where.append(frame(f"{name}_{side}", carrier, point))
        return {"frame_a": where[0], "frame_b": where[1]}

    if "prescribed" in data:  # a body that moves as it is told
        com["road"] = np.zeros(3)
        elements.append(impeto.Body(name="road", mass=1, inertia=(1, 1, 1)))
        a, b = frame("road_a", "ground", [0, 0, 0]), frame("road_b", "road", [0, 0, 0])
        elements.append(impeto.Joint(name="road_guide", frame_a=a, frame_b=b, free=("slide z",)))
        bump = "0.04 m * sin(pi * (t - 0.2 s) / 0.15 s)"
        value = f"where(t > 0.2 s, where(t < 0.35 s, {bump}, 0 m), 0 m)"
        elements.append(
            impeto.Drive(
                name="road_drive", joint="road_guide", freedom="slide z", prescribes="position",
                value=value,
            )
        )  # fmt: skip
    springs: dict = {}
    for force in data.get("forces", []):
        if force["type"] == "torsion_spring":
            spring = impeto.Behaviour(
                freedom="turn z", stiffness=force["k"], damping=force["c"],
                free_position=force["rest_angle"],
            )  # fmt: skip
            springs.setdefault(force["joint"], []).append(spring)
    for joint in data.get("joints", []):
        elements += joint_elements(joint, frame, springs)
    for force in data.get("forces", []):
        elements += force_elements(force, frame, ends, com)
    if "actuator" in data:
        elements.append(motor(data["actuator"]))
    return impeto.Model("reference", elements)


def joint_elements(joint, frame, springs):
    name = joint["name"]
    if joint["type"] == "drive":
        speed = impeto.Constant(value=f"{joint['rate']!r} rad/s")
        return [impeto.Drive(name=name, joint="crank_bearing", value=speed)]
    if joint["type"] == "gear":
        return [
            impeto.Gears(
                name=name, joint_a="bearing1", joint_b="bearing2", radius_a=joint["radius_a"],
                radius_b=joint["radius_b"], pressure_angle=0.0,
            )
        ]  # fmt: skip
    turn = angles_to_z(joint["axis"]) if "axis" in joint else (0.0, 0.0, 0.0)
    a = frame(f"{name}_a", joint["body_a"], joint["point"], turn)
    b = frame(f"{name}_b", joint["body_b"], joint["point"], turn)
    free = impeto.PRESETS[FREE[joint["type"]]]
    acting = tuple(springs.get(name, ()))
    made = [impeto.Joint(name=name, frame_a=a, frame_b=b, free=free, behaviours=acting)]
    if joint["type"] == "screw":
        made.append(impeto.Screw(name=f"{name}_thread", joint=name, lead=joint["lead"]))
    return made


def force_elements(force, frame, ends, com):
    name = force["name"]
    if force["type"] == "spring_damper":
        where = ends(force)
        spring = impeto.Spring(
            name=name, stiffness=force["k"], free_length=force["free_length"], **where
        )
        return [spring, impeto.Damper(name=f"{name}_damper", damping=force["c"], **where)]
    if force["type"] == "tension_only_rope":
        rope = {"stiffness": force["k"], "damping": force["c"]}
        return [impeto.Rope(name=name, slack_length=force["free_length"], **rope, **ends(force))]
    if force["type"] == "torque":
        joint = force["joint"]
        value = float(force["value"])
        return [impeto.Drive(name=name, joint=joint, prescribes="effort", value=value)]
    if force["type"] == "torsion_spring":
        return []  # on its joint
    value = force["value"]
    wave = impeto.Harmonic(
        amplitude=f"{value['amplitude']} N", frequency=value["omega"] / (2 * np.pi),
        phase="90 deg",
    )  # fmt: skip
    direction = tuple(float(v) for v in force["direction"])
    at = frame(f"{name}_a", force["body"], com[force["body"]])
    return [impeto.Load(name=name, frame=at, direction=direction, value=wave)]


def motor(data):
    return impeto.Motor(
        name="motor", joint=data["joint"], supply="24 V",
        duty=impeto.Formula(formula="where(t > 0.2 s, 1, 0)"), resistance=data["R"],
        inductance=data["L"], torque_constant=data["Kt"], speed_constant=data["Ke"],
        ratio=data["gear_ratio"], efficiency=data["efficiency"],
        rotor_inertia=data["rotor_inertia"],
    )  # fmt: skip


def solved(file: str, case: str, tol="fine"):
    """Recording sampled at exactly the reference's instants, and the reference values."""
    data = problem(file, case)
    time = np.array(data["reference"]["t"])
    rate = (len(time) - 1) / time[-1]
    model = model_of(data).changed(settings=impeto.RunSettings(outputs=float(rate)))
    recording = impeto.simulate(model, until=float(time[-1]), tol=tol)
    assert not recording.stopped
    np.testing.assert_allclose(recording.time, time, atol=1e-12)
    return recording, {k: np.array(v) for k, v in data["reference"]["values"].items()}, data


def worst(ours, reference) -> float:
    """Largest difference relative to the peak of the reference."""
    return float(np.abs(ours - reference).max() / np.abs(reference).max())


def vector(recording, name):
    return np.stack([recording[f"{name}.{axis}"] for axis in "xyz"], axis=1)
