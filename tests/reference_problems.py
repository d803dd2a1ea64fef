"""Reference problems (tests/reference/*.json) turned into models of ours."""

import json
from functools import cache
from pathlib import Path

import numpy as np

import impeto

FOLDER = Path(__file__).parent / "reference"
FREE = {"revolute": "revolute", "prismatic": "prismatic", "spherical": "spherical"}


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
                spin=tuple(body["omega"]),
            )
        )

    def frame(name, body, point, orientation=(0.0, 0.0, 0.0)):
        position = tuple(float(v) for v in np.array(point) - com[body])
        elements.append(
            impeto.Frame(name=name, body=body, position=position, orientation=orientation)
        )
        return name

    for joint in data["joints"]:
        name = joint["name"]
        if joint["type"] == "drive":
            speed = impeto.Constant(value=f"{joint['rate']!r} rad/s")
            elements.append(impeto.Drive(name=name, joint="crank_bearing", value=speed))
            continue
        turn = angles_to_z(joint["axis"]) if "axis" in joint else (0.0, 0.0, 0.0)
        a = frame(f"{name}_a", joint["body_a"], joint["point"], turn)
        b = frame(f"{name}_b", joint["body_b"], joint["point"], turn)
        free = impeto.PRESETS[FREE[joint["type"]]]
        elements.append(impeto.Joint(name=name, frame_a=a, frame_b=b, free=free))
    for force in data["forces"]:
        name = force["name"]
        if force["type"] == "spring_damper":
            a = frame(f"{name}_a", force["body_a"], force["point_a"])
            b = frame(f"{name}_b", force["body_b"], force["point_b"])
            elements.append(
                impeto.Spring(
                    name=name,
                    frame_a=a,
                    frame_b=b,
                    stiffness=force["k"],
                    free_length=force["free_length"],
                )
            )
            elements.append(
                impeto.Damper(name=f"{name}_damper", frame_a=a, frame_b=b, damping=force["c"])
            )
        else:
            a = frame(f"{name}_a", force["body"], com[force["body"]])
            value = force["value"]
            wave = impeto.Harmonic(
                amplitude=f"{value['amplitude']} N",
                frequency=value["omega"] / (2 * np.pi),
                phase="90 deg",
            )
            direction = tuple(float(v) for v in force["direction"])
            elements.append(impeto.Load(name=name, frame=a, direction=direction, value=wave))
    return impeto.Model("reference", elements)


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
