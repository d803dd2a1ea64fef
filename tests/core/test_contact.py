"""Contact against closed forms: restitution, friction that sticks, rolling, belts, passivity."""

import math
from itertools import pairwise

import numpy as np
import pytest

import impeto
from impeto.core.errors import ModelError
from impeto.core.overlaps import contact_pairs, overlaps
from impeto.core.simulate import simulate
from tests.core.building import DOWN, G, body, frame, joint, run
from tests.reference_problems import problem

FLOOR = impeto.Body(name="ground", shapes=(impeto.HalfSpace(),))


def rule(**values):
    given = {"stiffness": "1 kN/mm", "restitution": 0.3, "rolling_resistance": 0.0} | values
    return impeto.ContactRule(name="touch", **given)


def ball(**rest):
    return impeto.Body(name="ball", shapes=(impeto.Sphere(radius=0.05),), **rest)


def friction(static, kinetic=None):
    return {"static_friction": static, "kinetic_friction": static if kinetic is None else kinetic}


@pytest.mark.parametrize("e", [0.05, 0.3, 0.6, 0.95, 1.0])
@pytest.mark.parametrize("exponent", [1, 1.5])
def test_a_ball_leaves_a_wall_with_the_asked_restitution(e, exponent):
    thrown = ball(position=(0, 0, 0.06), velocity=(0, 0, -1))
    r = run([FLOOR, thrown, rule(restitution=e, exponent=exponent)], 0.4, tol="normal")
    assert r["ball.velocity.z"][-1] == pytest.approx(e, rel=5e-3)
    lost = 0.5 * r.system.mechanism.bodies[1].mass * (1 - e * e)
    assert r["touch.dissipated"][-1] == pytest.approx(lost, rel=1e-2, abs=1e-3)


def test_bounces_on_stiff_ground_fall_with_the_square_of_the_restitution():
    r = run([FLOOR, DOWN, ball(position=(0, 0, 1.05)), rule(restitution=0.8, stiffness="20 kN/mm")],
            3.0, tol="normal", rate=1000)  # fmt: skip
    height = r["ball.position.z"] - 0.05
    tops = [z for a, z, b in zip(height, height[1:], height[2:], strict=False) if a < z > b]
    for number, top in enumerate(tops[:5], start=1):
        assert top == pytest.approx(0.8 ** (2 * number), rel=0.02)
    for high, low in pairwise(tops):
        assert low < high


def incline(angle, mu_static, mu_kinetic, speed, until):
    """A block on an incline, and its travel uphill."""
    up = np.array([math.cos(angle), 0, math.sin(angle)])
    normal = np.array([-math.sin(angle), 0, math.cos(angle)])
    tilted = (0, -angle, 0)
    elements = [
        impeto.Body(name="ground", shapes=(impeto.HalfSpace(orientation=tilted),)), DOWN,
        impeto.Body(name="block", position=tuple(0.05 * normal), orientation=tilted,
                    velocity=tuple(speed * up),
                    shapes=(impeto.Box(size=(0.2, 0.2, 0.1), density=500),)),
        rule(restitution=0, **friction(mu_static, mu_kinetic)),
    ]  # fmt: skip
    r = run(elements, until, tol="normal")
    place = np.stack([r[f"block.position.{axis}"] for axis in "xyz"], axis=1)
    return r, (place - 0.05 * normal) @ up


@pytest.mark.parametrize("case", ["incline-stays", "incline-slides-back"])
def test_a_block_thrown_up_an_incline_stops_where_the_reference_says(case):
    known = problem("09-friction-rolling-bounce", case)
    mu = known["contact"]
    r, travel = incline(math.radians(25), mu["mu_static"], mu["mu_kinetic"], 3.0, 2.0)
    expected = np.interp(r.time, known["reference"]["t"], known["reference"]["values"]["s"])
    # the block gives way by a few hundredths of a millimetre, and stops that much earlier or later
    assert np.abs(travel - expected).max() < 5e-3 * np.ptp(expected)
    if case == "incline-stays":
        assert travel[-1] == pytest.approx(known["scalars"]["stop_distance"], rel=1e-3)
        assert r["touch.normal"][-1] == pytest.approx(known["scalars"]["normal_force"], rel=1e-6)


def test_a_block_near_the_friction_angle_does_not_creep():
    _, travel = incline(0.9 * math.atan(0.5), 0.5, 0.5, 0.0, 3.0)
    half = len(travel) // 2
    assert abs(travel[-1] - travel[half]) / 1.5 < 1e-6  # m/s


def test_a_sliding_ball_goes_over_to_rolling_at_five_sevenths_of_its_speed():
    sliding = ball(position=(0, 0, 0.05), velocity=(2, 0, 0))
    r = run([FLOOR, DOWN, sliding, rule(**friction(0.3))], 1.0, tol="normal")
    assert r["ball.velocity.x"][-1] == pytest.approx(2 * 5 / 7, rel=1e-3)
    assert r["ball.angular_velocity.y"][-1] * 0.05 == pytest.approx(2 * 5 / 7, rel=1e-3)
    begins = 2 / 7 * 2 / (0.3 * G)
    rolling = r.time[np.argmax(np.abs(r["ball.velocity.x"] - 10 / 7) < 1e-2)]
    assert rolling == pytest.approx(begins, abs=0.02)


@pytest.mark.parametrize(
    "shape",
    [impeto.Cylinder(radius=0.2, length=0.1, orientation=("90 deg", 0, 0)),
     impeto.Tube(radius=0.2, inner_radius=0.15, length=0.1, orientation=("90 deg", 0, 0))],
)  # fmt: skip
def test_a_wheel_rolls_without_ripple(shape):
    wheel = impeto.Body(name="wheel", position=(0, 0, 0.2), velocity=(2, 0, 0),
                        angular_velocity=(0, 10, 0),
                        shapes=(shape,))  # fmt: skip
    r = run([FLOOR, DOWN, wheel, rule(**friction(0.3))], 1.0, tol="normal")
    force = r["touch.normal"][50:]
    assert np.ptp(force) < 1e-3 * force.mean()
    assert r["wheel.velocity.x"][-1] == pytest.approx(2.0, rel=1e-3)


@pytest.mark.parametrize("mode", [{}, {"integrator": "quick", "step": "2 ms"}])
def test_rolling_resistance_slows_a_wheel_by_its_arm(mode):
    shape = impeto.Cylinder(radius=0.2, length=0.1, orientation=("90 deg", 0, 0))
    wheel = impeto.Body(name="wheel", position=(0, 0, 0.2), velocity=(2, 0, 0),
                        angular_velocity=(0, 10, 0),
                        shapes=(shape,))  # fmt: skip
    resists = rule(**friction(0.3), rolling_resistance=0.002)
    r = run([FLOOR, DOWN, wheel, resists], 1.0, "normal", **mode)
    slowing = 0.002 / 0.2 * G / 1.5  # arm · weight against 3/2 m r of a solid wheel
    assert 2.0 - r["wheel.velocity.x"][-1] == pytest.approx(slowing, rel=0.05)


def test_a_belt_picks_a_block_up_in_the_time_and_slip_of_the_closed_form():
    belt = impeto.Body(name="ground", shapes=(impeto.Plate(length=6, width=1, thickness=0.1),))
    block = impeto.Body(name="block", position=(-2, 0, 0.05),
                        shapes=(impeto.Box(size=(0.2, 0.2, 0.1)),))  # fmt: skip
    moving = impeto.BeltSurface(name="belt", body="ground", value="0.8 m/s")
    r = run([belt, DOWN, block, moving, rule(restitution=0, **friction(0.4))], 0.6, "normal", 2000)
    speed = r["block.velocity.x"]
    picked = 0.8 / (0.4 * G)
    assert speed[-1] == pytest.approx(0.8, rel=1e-4)
    at = np.interp(0.5 * picked, r.time, speed)
    assert at == pytest.approx(0.4, rel=2e-3)
    slipped = 0.8 * r.time[-1] - (r["block.position.x"][-1] + 2)
    assert slipped == pytest.approx(0.5 * 0.8 * picked, rel=2e-3)
    put_in = r["belt.work"][-1]
    mass = r.system.mechanism.bodies[1].mass
    assert put_in == pytest.approx(mass * 0.8**2, rel=5e-3)  # half of it is heat
    assert r["touch.dissipated"][-1] == pytest.approx(0.5 * mass * 0.8**2, rel=1e-2)


def test_a_box_stays_on_a_table_until_its_centre_is_beyond_the_edge():
    table = impeto.Body(
        name="ground", shapes=(impeto.Box(size=(1, 1, 0.2), position=(0, 0, -0.1)),)
    )

    def end(x):
        box = impeto.Body(name="box", position=(x, 0.1, 0.05),
                          shapes=(impeto.Box(size=(0.2, 0.2, 0.1)),))  # fmt: skip
        return run([table, DOWN, box, rule(**friction(0.4))], 0.5, "normal")["box.position.z"][-1]

    assert end(0.48) == pytest.approx(0.05, abs=2e-3)  # it gives way on the edge
    assert end(0.51) < 0.0


def test_a_log_lies_across_two_beams_and_loads_each_by_its_lever():
    beams = impeto.Body(name="ground", shapes=(
        impeto.Box(size=(0.1, 1, 0.2), position=(-0.5, 0, -0.1)),
        impeto.Box(size=(0.1, 1, 0.2), position=(1.0, 0, -0.1)),
    ))  # fmt: skip
    log = impeto.Body(name="log", position=(0, 0, 0.1), shapes=(
        impeto.Cylinder(radius=0.1, length=3, orientation=(0, "90 deg", 0), density=700),
    ))  # fmt: skip
    r = run([beams, DOWN, log, rule(**friction(0.5))], 1.0, "normal")
    weight = r.system.mechanism.bodies[1].mass * G
    assert r["touch.normal"][-1] == pytest.approx(weight, rel=1e-4)
    last = r.touching.at(len(r.time) - 1)
    near = last[last[:, 4] < 0.25][:, 10].sum()
    lever = (last[last[:, 4] > 0.25][:, 4] * last[last[:, 4] > 0.25][:, 10]).sum()
    assert near * last[0, 4] + lever == pytest.approx(0.0, abs=0.06 * weight)
    assert last[:, 4].min() > -0.56
    assert last[:, 4].max() < 1.06


def test_a_wheel_climbs_a_kerb_and_keeps_its_energy_account():
    road = impeto.Body(name="ground", shapes=(
        impeto.Road(profile="-1 m: 0 m; 0 m: 0 m; 1 mm: 40 mm; 2 m: 40 mm", width=2),
    ))  # fmt: skip
    tyre = impeto.Cylinder(radius=0.3, length=0.2, orientation=("90 deg", 0, 0), density=200)
    wheel = impeto.Body(
        name="wheel",
        position=(-0.8, 0, 0.3),
        velocity=(3, 0, 0),
        angular_velocity=(0, 10, 0),
        shapes=(tyre,),
    )
    r = run([road, DOWN, wheel, rule(restitution=0.1, stiffness="200 N/mm", **friction(0.8))],
            1.2, "normal")  # fmt: skip
    assert r["wheel.position.z"][-1] == pytest.approx(0.34, abs=5e-3)
    assert r["wheel.position.x"][-1] > 0.5
    kinetic = r["system.energy.kinetic"]
    assert np.abs(r["system.energy.balance"]).max() < 1e-4 * kinetic.max()
    assert (
        kinetic[-1] + r["system.energy.potential"][-1]
        < kinetic[0] + r["system.energy.potential"][0]
    )


@pytest.mark.parametrize("seed", range(3))
def test_energy_never_grows_through_contact(seed):
    rng = np.random.default_rng(seed)
    shapes = [impeto.Box(size=(0.2, 0.12, 0.1)), impeto.Cylinder(radius=0.06, length=0.2),
              impeto.Capsule(radius=0.05, length=0.15), impeto.Sphere(radius=0.07)]  # fmt: skip
    bodies = [
        impeto.Body(name=f"part_{k}", position=(0.05 * k, 0.02 * k, 0.25 + 0.25 * k),
                    orientation=tuple(rng.uniform(-3, 3, 3)),
                    angular_velocity=tuple(rng.uniform(-5, 5, 3)),
                    shapes=(shape,))
        for k, shape in enumerate(shapes)
    ]  # fmt: skip
    r = run([FLOOR, DOWN, *bodies, rule(restitution=0.7, **friction(0.3))], 0.8, "normal", 1000)
    energy = r["system.energy.total"]
    scale = np.ptp(r["system.energy.potential"])
    free = r["touch.energy"] < 1e-6 * scale  # while pressed, what is stored is only estimated
    assert free.sum() > 100
    assert np.diff(energy[free]).max() < 1e-4 * scale
    assert np.diff(r["touch.dissipated"][free]).min() > -1e-4 * scale
    assert np.abs(r["system.energy.balance"]).max() < 1e-3 * scale


def test_a_fast_small_ball_does_not_leap_through_a_thin_plate():
    plate = impeto.Body(name="ground", shapes=(impeto.Plate(length=1, width=1, thickness=0.001),))
    fast = impeto.Body(name="shot", position=(0, 0, 0.5), velocity=(0, 0, -100),
                       shapes=(impeto.Sphere(radius=0.0025),))  # fmt: skip
    r = run([plate, fast, rule(stiffness="10 kN/mm", restitution=0.5)], 0.02, "normal", 20000)
    assert r["shot.position.z"].min() > 0.0
    assert r["shot.velocity.z"][-1] == pytest.approx(50, rel=0.01)


# rules


def parts(*names):
    return [impeto.Body(name=n, position=(k, 0, 1), shapes=(impeto.Box(),))
            for k, n in enumerate(names)]  # fmt: skip


def test_rules_make_pairs_by_groups_and_leave_joined_bodies_out():
    bodies = parts("link_1", "link_2", "link_3", "guide")
    frames = [frame("a", "link_1"), frame("b", "link_2", x=-1.0)]
    pin = joint("pin", "a", "b", "turn z")
    group = impeto.Group(name="chain", members=("link_*",))
    everything = impeto.ContactRule(name="everything")
    own = impeto.ContactRule(name="guided", first=("chain",), second=("guide",))
    never = impeto.ContactRule(name="free", first=("link_3",), second=("guide",),
                               effect="never touches")  # fmt: skip
    model = impeto.Model("m", [*bodies, *frames, pin, group, everything, own, never])
    pairs = contact_pairs(model)
    assert pairs["everything"] == (("link_1", "link_3"), ("link_2", "link_3"))
    assert pairs["guided"] == (("link_1", "guide"), ("link_2", "guide"))


def test_renaming_a_body_follows_into_groups_and_rules():
    group = impeto.Group(name="pair", members=("left", "right"))
    model = impeto.Model("m", [*parts("left", "right"), group,
                               impeto.ContactRule(name="r", first=("pair",))])  # fmt: skip
    renamed = model.renamed("left", "port").renamed("pair", "both")
    assert renamed["both"].members == ("port", "right")
    assert renamed["r"].first == ("both",)


@pytest.mark.parametrize(
    ("values", "words"),
    [({"stiffness": 0}, "stiffness greater than zero"), ({"stiffness": 1e20}, "not infinite"),
     ({"restitution": 1.2}, "between 0 and 1"), ({"kinetic_friction": 0.9}, "static friction"),
     ({"first": ("nobody",)}, "no body or group called 'nobody'"),
     ({"pairing": "own values", "stiffness": None}, "own values are chosen")],
)  # fmt: skip
def test_a_wrong_rule_is_refused_in_one_sentence(values, words):
    elements = [FLOOR, ball(position=(0, 0, 1)), rule(**values)]
    with pytest.raises(ModelError, match=words):
        simulate(impeto.Model("m", elements), until=0.1)


def test_overlaps_at_the_start_are_listed_with_depth_and_mended():
    model = impeto.Model("m", [FLOOR, ball(position=(0, 0, 0.04)), rule()])
    (overlap,) = overlaps(model)
    assert {overlap.body_a, overlap.body_b} == {"ball", "ground"}
    assert overlap.depth == pytest.approx(0.01, rel=1e-6)
    health = impeto.check(model)
    (finding,) = [f for f in health.findings if "overlaps" in f.message]
    assert "10\u2009mm" in finding.message
    assert overlaps(impeto.mended(model, finding.mends[0])) == ()


def test_channels_of_a_pair_agree_with_those_of_the_rule():
    r = run([FLOOR, DOWN, ball(position=(0, 0, 0.05)), rule()], 0.5, "normal")
    weight = r.system.mechanism.bodies[1].mass * G
    assert r["ball.touch.ground.force.z"][-1] == pytest.approx(weight, rel=1e-3)
    assert r["ball.touch.ground.normal"] == pytest.approx(r["touch.normal"])
    assert r["ball.touch.ground.center.z"][-1] == pytest.approx(0.0, abs=1e-4)
    assert r["touch.impulse"][-1] == pytest.approx(weight * 0.5, rel=0.05)


def test_a_body_without_mass_data_takes_them_from_the_new_shapes():
    capsule = impeto.Body(name="c", shapes=(impeto.Capsule(radius=0.1, length=0.4, density=1000),))
    cone = impeto.Body(name="k", position=(1, 0, 0),
                       shapes=(impeto.Cone(radius=0.2, length=0.4, density=1000),))  # fmt: skip
    plate = impeto.Body(name="p", position=(2, 0, 0), shapes=(impeto.Plate(density=1000),))
    r = run([capsule, cone, plate], 0.01)
    c, k, p = r.system.mechanism.bodies[1:]
    assert c.mass == pytest.approx(1000 * math.pi * (0.01 * 0.4 + 4 / 3 * 0.001))
    assert k.mass == pytest.approx(1000 * math.pi * 0.04 * 0.4 / 3)
    assert k.center[2] == pytest.approx(-0.1)
    assert k.inertia[2, 2] == pytest.approx(0.3 * k.mass * 0.04)
    assert k.inertia[0, 0] == pytest.approx(3 / 20 * k.mass * 0.04 + 3 / 80 * k.mass * 0.16)
    assert p.mass == pytest.approx(10)
    assert p.center[2] == pytest.approx(-0.005)


def test_an_element_with_contacts_switched_off_falls_through():
    off = impeto.Case(name="off", switches={"touch": False})
    model = impeto.Model("m", [FLOOR, DOWN, ball(position=(0, 0, 0.05)), rule()], cases=[off])
    assert simulate(model, "off", 0.5)["ball.position.z"][-1] < -1.0


def test_the_hinged_flap_hits_its_neighbour_although_both_hang_on_the_ground():
    flap = body("flap", position=(0, 0, 0), shapes=(impeto.Box(size=(0.4, 0.1, 0.02)),))
    block = impeto.Body(name="block", position=(0.15, 0, -0.2), shapes=(impeto.Box(),))
    hinge = [frame("post", x=-0.2), frame("edge", "flap", x=-0.2),
             joint("hinge", "post", "edge", "turn y")]  # fmt: skip
    table = impeto.Body(name="ground", shapes=(impeto.HalfSpace(position=(0, 0, -0.25)),))
    r = run([table, DOWN, flap, block, *hinge, rule()], 1.0, "normal")
    assert r["flap.touch.block.normal"].max() > 0.0
    assert r["flap.position.z"].min() > -0.25


def test_a_run_with_contacts_says_that_it_is_not_stiff():
    elements = [FLOOR, DOWN, ball(position=(0, 0, 0.05)), rule()]
    stiff = simulate(
        impeto.Model("m", elements, settings=impeto.RunSettings(integrator="stiff")), until=0.1
    )
    assert stiff.statistics.integrator == "smooth"
    assert "smooth integrator" in stiff.notes[0]


def test_bodies_that_begin_to_touch_fly_a_flag():
    r = run([FLOOR, DOWN, ball(position=(0, 0, 0.15)), rule(restitution=0.5)], 0.3, rate=1000)
    mark = r.marks[0]
    assert (mark.element, mark.text) == ("ball", "touches ground")
    assert mark.time == pytest.approx(math.sqrt(2 * 0.1 / G), abs=1.1e-3)
    assert len(r.marks) == 2  # one bounce, and down again


@pytest.mark.parametrize("tilt", [0.0, 0.01, 0.15])
def test_a_bar_set_down_end_on_stays_on_the_other(tilt):
    lower = impeto.Body(name="lower", position=(0, 0, 0.05),
                        shapes=(impeto.Cylinder(radius=0.048, length=0.1),))  # fmt: skip
    bar = impeto.Cylinder(radius=0.037, length=0.08)
    upper = impeto.Body(name="upper", position=(0.02, 0, 0.146), orientation=(tilt, 0, 0),
                        velocity=(0, 0, -1.0), shapes=(bar,))  # fmt: skip
    r = run([FLOOR, DOWN, lower, upper, rule(restitution=0.2, **friction(0.5))], 0.15, "draft")
    apart = r["upper.position.z"] - r["lower.position.z"]
    assert apart.min() > 0.088  # half lengths: 0.05 + 0.04
    assert r["touch.depth"].max() < 0.002
    assert r["lower.touch.upper.force"].max() > 0.0


def test_a_belt_and_a_rule_count_what_they_take_and_give():
    belt = impeto.BeltSurface(name="belt", body="ground", value=impeto.Constant(value="0.5 m/s"))
    box = impeto.Body(name="box", position=(0, 0, 0.05), shapes=(impeto.Box(size=(0.2, 0.2, 0.1)),))
    r = run([FLOOR, DOWN, box, belt, rule(restitution=0.0, **friction(0.3))], 0.5, "normal", 500)
    mass = r.system.mechanism.bodies[1].mass
    assert r["belt.work"][-1] == pytest.approx(mass * 0.25, rel=5e-3)  # half becomes heat
    assert r["system.energy.kinetic"][-1] == pytest.approx(mass * 0.125, rel=5e-3)
