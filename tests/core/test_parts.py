"""Parts of reactions, drive torques and accelerations: they add up to what the run has, and each is
what a run with that source alone begins with."""

import numpy as np
import pytest

import impeto as im
from impeto.core.results.parts import HELD_TWICE, IN_IT, MOTION
from impeto.services import model_file
from tests.core.building import body, frame, joint

QUICK = im.RunSettings(integrator="quick")
DEMOS = {
    "gang_saw": ("main_bearing.force", "main_bearing.force.x", "crank_drive.torque",
                 "rod.acceleration.z", "guide_left.force"),
    "loader_crane": ("upper_pin.force", "heel.torque", "extension.acceleration.z"),
    "scale_platform": ("rotor_bearing.force", "platform.acceleration.z"),
    "debarker_ring": ("ring_bearing.torque.x", "tilt_drive.torque"),
    "offcut_kicker": ("arm_pin.force", "off_cut.acceleration.z"),
    "sling_swing": ("log.acceleration.z",),
}  # fmt: skip


@pytest.mark.parametrize("name", sorted(DEMOS))
def test_parts_add_up_to_the_whole_in_the_demos(name):
    r = im.simulate(model_file.load_demo(name), until=0.3)
    for channel in DEMOS[name]:
        found = r.parts(channel)
        largest = max(np.abs(part).max() for part in found.parts.values())
        np.testing.assert_allclose(
            sum(found.parts.values()), found.total, atol=1e-10 * largest, err_msg=channel
        )
        np.testing.assert_array_equal(found.total, r[channel][np.isin(r.time, found.time)])
        assert found.parts


def swinging(sources=("gravity", "wind", "tie", "spin")):
    """Two bars on pins, with a load, a spring and speeds, or some of these alone."""
    moving = "spin" in sources
    elements = [
        body("upper", 4.0, (0.3, 0.31, 0.02), position=(0.5, 0, 0),
             velocity=(0, 0, -0.5 if moving else 0),
             angular_velocity=(0, 1.0 if moving else 0, 0)),
        body("lower", 3.0, (0.2, 0.21, 0.02), position=(1.4, 0, 0),
             velocity=(0, 0, -2.6 if moving else 0),
             angular_velocity=(0, 4.0 if moving else 0, 0)),
        frame("g"), frame("u0", "upper", -0.5, 0, 0), frame("u1", "upper", 0.5, 0, 0),
        frame("l0", "lower", -0.4, 0, 0), frame("l1", "lower", 0.4, 0, 0),
        frame("wall", "ground", 1.0, 0, 1.0),
        joint("pin", "g", "u0", "turn y"), joint("knee", "u1", "l0", "turn y"),
        im.Gravity(name="gravity", enabled="gravity" in sources),
        im.Load(name="wind", frame="l1", direction=(0.3, 0, 1), value=40.0,
                enabled="wind" in sources),
        im.Spring(name="tie", frame_a="wall", frame_b="l1", stiffness=500.0, free_length=0.5,
                  enabled="tie" in sources),
    ]  # fmt: skip
    return im.simulate(im.Model("bars", elements), until=0.02)


@pytest.mark.parametrize("channel", ["pin.force.x", "pin.force.z", "knee.force.z",
                                     "lower.acceleration.x"])  # fmt: skip
def test_each_part_is_what_that_source_alone_gives(channel):
    """Where the machine is as drawn the equations are linear in what acts."""
    whole = swinging().parts(channel, end=1e-9).parts
    names = {"gravity": "gravity", "wind": "wind", "tie": "tie", "spin": MOTION}
    if not channel.startswith("lower"):  # of reactions by body
        whole[MOTION] = sum(part for name, part in whole.items() if name.startswith("inertia of"))
    for source, name in names.items():
        alone = swinging((source,))[channel][0]
        assert whole.get(name, np.zeros(1))[0] == pytest.approx(alone, rel=1e-9, abs=1e-9), source


def test_the_inertia_of_each_body_of_a_driven_machine_by_hand():
    """A balanced crank that turns evenly with a slider on it: m r ω² of each, along the crank."""
    crank = body("crank", 2.0, (0.1, 0.1, 0.1), position=(0.15, 0, 0))
    ball = body("ball", 5.0, (0.1, 0.1, 0.1), position=(0.4, 0, 0))
    model = im.Model("crank", [
        crank, ball, frame("g"), frame("c0", "crank", -0.15), frame("c1", "crank", 0.25),
        frame("b", "ball"), joint("axle", "g", "c0", "turn y"), joint("weld", "c1", "b"),
        im.Drive(name="drive", joint="axle", freedom="turn y", value="10 rad/s"),
    ])  # fmt: skip
    found = im.simulate(model, until=0.5).parts("axle.force").parts
    np.testing.assert_allclose(np.abs(found["inertia of crank"]), 2.0 * 0.15 * 100.0, rtol=1e-6)
    np.testing.assert_allclose(np.abs(found["inertia of ball"]), 5.0 * 0.4 * 100.0, rtol=1e-6)


def test_the_size_of_a_force_is_split_along_its_direction():
    r = swinging()
    found = r.parts("pin.force")
    assert sum(found.parts.values()) == pytest.approx(r["pin.force"])
    by_axis = [r.parts(f"pin.force.{axis}").parts for axis in "xyz"]
    along = r.vector("pin.force") / r["pin.force"][:, None]
    for name, part in found.parts.items():
        zeros = np.zeros(len(r.time))
        vector = np.stack([each.get(name, zeros) for each in by_axis], axis=1)
        np.testing.assert_allclose((vector * along).sum(axis=1), part, atol=1e-9)


def test_what_acts_within_a_joint_and_what_is_held_twice_have_their_own_lines():
    saw = model_file.load_demo("gang_saw")
    r = im.simulate(saw, until=0.2)
    assert HELD_TWICE not in r.parts("main_bearing.force").parts
    spring = im.Behaviour(freedom="turn y", stiffness=100.0, damping=1.0)
    pin = joint("pin", "g", "f", "turn y", behaviours=(spring,))
    arm = body("arm", 2.0, (0.1, 0.1, 0.1), position=(0.3, 0, 0), angular_velocity=(0, 2.0, 0))
    swing = im.simulate(im.Model("arm", [arm, frame("g"), frame("f", "arm", -0.3, 0, 0), pin,
                                         im.Gravity(name="gravity")]), until=0.1)  # fmt: skip
    found = swing.parts("pin.torque")
    assert sum(found.parts.values()) == pytest.approx(found.total, abs=1e-9)
    assert set(found.parts) <= {IN_IT, "inertia of arm", "gravity", "pin", HELD_TWICE}


def test_channels_without_parts_and_empty_spans_are_told():
    r = swinging()
    with pytest.raises(im.ChannelError, match="has no parts"):
        r.parts("tie.length")
    with pytest.raises(im.ChannelError, match="no instant between 5 and 6 s"):
        r.parts("pin.force", 5.0, 6.0)
    with pytest.raises(im.ChannelError, match="There is no channel"):
        r.parts("pin.beauty")
    quick = im.simulate(swinging().model.changed(settings=QUICK), until=0.01)
    with pytest.raises(im.ChannelError, match="quick mode"):
        quick.parts("pin.force")
