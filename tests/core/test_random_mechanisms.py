"""Random chains of random joints: nothing crashes, nothing is NaN, and the books balance."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import impeto
from impeto.core.errors import ImpetoError
from impeto.core.model.freedoms import FREEDOMS
from impeto.core.results.system import energy_error

angle = st.floats(-3.0, 3.0)
place = st.tuples(*[st.floats(-0.5, 0.5)] * 3)
link = st.fixed_dictionaries(
    {
        "free": st.sets(st.sampled_from(FREEDOMS), max_size=4),
        "arm": place,
        "turn": st.tuples(angle, angle, angle),
        "mass": st.floats(0.1, 50.0),
        "spin": st.tuples(*[st.floats(-3.0, 3.0)] * 3),
        "stiffness": st.floats(0.0, 50.0),
        "damping": st.floats(0.0, 1.0),
    }
)


def tree(links):
    """Each body hangs on the one before; frames coincide at the start, axes and all."""
    elements = [impeto.Gravity(name="gravity"), impeto.Frame(name="f0")]
    at = np.zeros(3)
    for k, data in enumerate(links, start=1):
        arm = np.array(data["arm"]) + np.array([0.3, 0.0, 0.0])
        at = at + arm
        m = data["mass"]
        behaviours = tuple(
            impeto.Behaviour(freedom=f, stiffness=data["stiffness"], damping=data["damping"])
            for f in sorted(data["free"])
            if f.startswith("slide")
        )
        back = tuple(float(-v) for v in arm)
        elements += [
            impeto.Body(
                name=f"b{k}", position=tuple(map(float, at)), mass=m, angular_velocity=data["spin"],
                inertia=(0.02 * m, 0.03 * m, 0.04 * m),
            ),
            impeto.Frame(name=f"e{k}", body=f"b{k}", position=back, orientation=data["turn"]),
            impeto.Frame(name=f"f{k}", body=f"b{k}"),
        ]  # fmt: skip
        # Frame A gets the same axes as frame B, so that the joint starts closed.
        carrier = "ground" if k == 1 else f"b{k - 1}"
        elements += [
            impeto.Frame(name=f"s{k}", body=carrier, orientation=data["turn"]),
            impeto.Joint(
                name=f"j{k}", frame_a=f"s{k}", frame_b=f"e{k}", free=tuple(data["free"]),
                behaviours=behaviours,
            ),
        ]  # fmt: skip
    return impeto.Model("random", elements)


@settings(max_examples=25, deadline=None)
@given(st.lists(link, min_size=1, max_size=4))
def test_random_chains_run_balance_and_stay_together(links):
    model = tree(links)
    health = impeto.check(model)
    assert not [f for f in health.findings if f.severity == "bad"]
    assert health.free >= health.counted
    r = impeto.simulate(model, until=0.3, tol="normal")
    assert not r.stopped
    assert np.isfinite(r.state).all()
    assert np.isfinite(r.multiplier).all()
    assert energy_error(r) < 1e-5
    assert r.statistics.worst_gap < 1e-8
    for k, data in enumerate(links, start=1):
        for freedom in FREEDOMS[:3]:
            if freedom not in data["free"]:
                hold_together(r, k, freedom)


def hold_together(r, k, freedom):
    """The locked slide stays closed: frame B's origin as seen from frame A."""
    body = "ground" if k == 1 else f"b{k - 1}"
    B = np.stack([r[f"e{k}.position.{a}"] for a in "xyz"], axis=1)
    A = np.zeros_like(B)
    R = np.tile(np.eye(3), (len(r.time), 1, 1))
    if body != "ground":
        A = np.stack([r[f"s{k}.position.{a}"] for a in "xyz"], axis=1)
        R = np.stack([[r[f"{body}.rotation.{i}{j}"] for j in "xyz"] for i in "xyz"])
        R = np.moveaxis(R, -1, 0)
    frame = next(f for f in r.system.mechanism.frames if f.name == f"s{k}")
    axis = R @ frame.rotation[:, "xyz".index(freedom[-1])]
    assert np.abs(((B - A) * axis).sum(axis=1)).max() < 1e-8


@settings(max_examples=40, deadline=None)
@given(
    st.lists(link, min_size=1, max_size=2),
    st.sampled_from(["mass", "body", "frame", "freedom", "gap", "text"]),
)
def test_random_invalid_mechanisms_fail_with_a_sentence(links, fault):
    model = tree(links)
    said = ""
    try:
        impeto.simulate(broken(model, fault), until=0.05)
    except ImpetoError as error:
        said = str(error)
    assert said.endswith(".")
    assert "Error" not in said


def broken(model, fault):
    """The model with one thing wrong."""
    body, joint = model["b1"], model["j1"]
    if fault == "mass":
        return model.with_element(replace(body, mass="0 kg"))
    if fault == "body":
        return model.with_element(impeto.Frame(name="f1", body="nobody"))
    if fault == "frame":
        return model.with_element(replace(joint, frame_b="none"))
    if fault == "freedom":
        locked = next(f for f in FREEDOMS if f not in joint.free)
        return model.with_element(
            replace(joint, behaviours=(impeto.Behaviour(freedom=locked, stiffness=1.0),))
        )
    if fault == "gap":
        weld = replace(joint, free=(), behaviours=())
        moved = replace(model["e1"], position=(9.0, 9.0, 9.0))
        return model.with_element(weld).with_element(moved)
    return model.with_element(replace(body, mass="3 wings"))


@pytest.mark.parametrize("kind", sorted(impeto.PRESETS))
def test_power_of_reactions_vanishes_in_every_kind_of_joint(kind):
    """Ideal joints do no work: force · relative speed + torque · relative spin = 0 at frame B."""
    data = {
        "free": set(impeto.PRESETS[kind]), "arm": (0.1, 0.2, -0.1), "turn": (0.4, -0.3, 0.8),
        "mass": 2.0, "spin": (1.0, -2.0, 0.5), "stiffness": 20.0, "damping": 0.0,
    }  # fmt: skip
    r = impeto.simulate(tree([data, data | {"free": {"turn x", "turn y"}}]), until=0.3, tol="fine")
    for k in (1, 2):
        arm_a, arm_b = r.system.tables.joint_point[k - 1]
        a, b = r.system.tables.joint_body[k - 1]
        pb, vb, _ = r.point(b, arm_b)
        pa, va, _ = r.point(a, arm_a)
        va_at_b = va + np.cross(r.spins[:, a], pb - pa)
        force = np.stack([r[f"j{k}.force.{x}"] for x in "xyz"], axis=1)
        torque = np.stack([r[f"j{k}.torque.{x}"] for x in "xyz"], axis=1)
        power = (force * (vb - va_at_b) + torque * (r.spins[:, b] - r.spins[:, a])).sum(axis=1)
        size = np.abs(force).max() * 1.0 + np.abs(torque).max() * 3.0
        assert np.abs(power).max() < 1e-8 * max(size, 1.0)


acting = st.fixed_dictionaries(
    {
        "kind": st.sampled_from(["spring", "rope", "bumper", "bushing", "attraction", "friction",
                                 "stops", "servo", "lock", "release", "jump"]),
        "on": st.integers(1, 3),
        "size": st.floats(0.1, 5.0),
        "when": st.floats(0.0, 0.2),
    }
)  # fmt: skip


def with_acting(model, number, data):
    """The model with one more thing that acts on its chain."""
    body = min(data["on"], sum(name.startswith("b") for name in model.elements))
    name, size = f"x{number}", data["size"]
    anchor = impeto.Frame(name=f"g{number}", position=(0.7, -0.4, 0.3))
    ends = {"frame_a": anchor.name, "frame_b": f"f{body}"}
    joint = model[f"j{body}"]
    free = next(iter(joint.free), None)
    event = {"time": data["when"], "target": joint.name}
    made = {
        "spring": impeto.Spring(name=name, stiffness=100.0 * size, **ends),
        "rope": impeto.Rope(name=name, slack_length=0.5 * size, stiffness=1e3, **ends),
        "bumper": impeto.Bumper(name=name, length=size, stiffness=1e3, damping=1.0, **ends),
        "bushing": impeto.Bushing(name=name, stiffness=(1e3 * size,) * 3, **ends),
        "attraction": impeto.Attraction(name=name, pull=f"{size} N * exp(-length / 1 m)", **ends),
        "lock": impeto.Event(name=name, action="lock joint", **event),
        "release": impeto.Event(name=name, action="switch off", **event),
        "jump": impeto.Load(name=name, frame=f"f{body}",
                            value=f"where(t > {data['when']} s, {size} N, 0 N)"),
    }.get(data["kind"])  # fmt: skip
    if made is not None:
        return model.with_element(anchor).with_element(made)
    if free is None:
        return model
    if data["kind"] == "servo":
        servo = impeto.Servo(name=name, joint=joint.name, freedom=free, proportional=20.0 * size,
                             derivative=size, limit=5.0)  # fmt: skip
        return model.with_element(servo)
    part = impeto.Friction(freedom=free, kinetic=0.1, constant=0.1 * size)
    if data["kind"] == "stops":
        part = impeto.Stops(freedom=free, lower=-0.2, upper=0.2, stiffness=1e4 * size)
    changed = replace(joint, behaviours=(*joint.behaviours, part))
    return model.with_element(changed)


@settings(max_examples=40, deadline=None)
@given(st.lists(link, min_size=1, max_size=3), st.lists(acting, min_size=1, max_size=4))
def test_whatever_acts_on_a_random_chain_it_runs_or_says_why_not(links, acts):
    model = tree(links)
    for number, data in enumerate(acts):
        model = with_acting(model, number, data)
    r, said = None, ""
    try:
        r = impeto.simulate(model, until=0.3, tol="normal")
    except ImpetoError as error:
        said = str(error)
    if r is None:
        assert said.endswith(".")
        return
    assert np.isfinite(r.state).all()
    assert np.isfinite(r.multiplier).all()
    assert np.isfinite(r.measured).all()
    assert r.stopped == "" or r.stopped.endswith(".")
    if not r.stopped:
        assert energy_error(r) < 1e-3
        assert r.statistics.worst_gap < 1e-7
