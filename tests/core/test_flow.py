"""Feeders and outlets: copies come in on time, are counted, taken away, and leave no trace."""

import numpy as np
import pytest
import trimesh

import impeto
from impeto.core.assembly.build import build_system
from impeto.core.assembly.resolve import resolve
from impeto.core.check import check
from impeto.core.errors import ModelError
from impeto.core.linear import linear_view
from impeto.core.overlaps import contact_pairs, overlaps
from impeto.core.results.poses import pose_at, present_at
from impeto.core.results.system import energy_error
from impeto.core.simulate import simulate
from tests.core.building import DOWN, G, body, frame, joint, run
from tests.core.test_clearance_and_events import moments, watch
from tests.core.test_contact import FLOOR, ball, rule
from tests.core.test_solids import triangles

DROP = 2.0  # m, from where balls are fed to the top of the region that takes them
FALL = np.sqrt(2 * DROP / G)


def feeder(**rest):
    return impeto.Feeder(**({"name": "feed", "body": "ball", "number": 3} | rest))


def outlet(name="bin", **rest):
    return impeto.Outlet(**({"name": name, "frame": f"{name}_at", "size": (1, 1, 1)} | rest))


def falling(*more, interval=0.25, **rest):
    """Balls that fall from 2 m above a region."""
    return [
        DOWN, ball(position=(0, 0, DROP)), feeder(interval=interval, **rest),
        frame("bin_at", z=-0.5), outlet(), *more,
    ]  # fmt: skip


def texts(recording, element):
    return [mark.text for mark in recording.marks if mark.element == element]


def test_copies_come_in_at_their_pace_fall_and_are_taken_when_they_arrive():
    r = run(falling(first=0.1), 1.5)
    assert moments(r, "feed") == pytest.approx([0.1, 0.35, 0.6], abs=1e-12)
    assert texts(r, "feed") == [f"ball_{k} comes in" for k in (1, 2, 3)]
    arrive = 0.1 + FALL + 0.25 * np.arange(3)
    assert moments(r, "bin") == pytest.approx(arrive, abs=1e-5)  # its border has a margin
    for k, begin in enumerate((0.1, 0.35, 0.6), start=1):
        there = (r.time > begin + 1e-9) & (r.time < begin + FALL)
        z = r[f"ball_{k}.position.z"]
        assert np.isfinite(z[there]).all()
        assert np.isnan(z[~there]).sum() >= (~there).sum() - 1  # it comes behind an output
        assert z[there] == pytest.approx(DROP - 0.5 * G * (r.time[there] - begin) ** 2, abs=1e-9)


def test_counts_population_mass_and_throughput_follow_from_the_marks():
    r = run(falling(interval=0.2, number=4), 2.0, rate=1000)
    begins, ends = 0.2 * np.arange(4), 0.2 * np.arange(4) + FALL
    came = (r.time[:, None] >= begins).sum(axis=1)
    left = (r.time[:, None] > ends).sum(axis=1)
    near = np.abs(r.time[:, None] - np.concatenate([begins, ends])).min(axis=1) < 2e-3
    for name, expected in {
        "feed.count": came, "bin.count": left, "feed.population": came - left,
        "system.population": came - left,
    }.items():  # fmt: skip
        assert (r[name] == expected)[~near].all(), name
    one = 7850 * 4 / 3 * np.pi * 0.05**3
    assert r["bin.mass"][-1] == pytest.approx(4 * one, rel=1e-9)
    assert r["feed.mass"][-1] == pytest.approx(4 * one, rel=1e-9)
    assert r["bin.throughput"][-1] == pytest.approx(4 / 2.0)  # its window is longer than the run
    assert r["bin.mass_rate"][-1] == pytest.approx(4 * one / 2.0)
    assert r.channel("bin.throughput").kind == "count rate"


def test_the_throughput_is_that_of_the_window_before():
    elements = falling(interval=0.1, number=20)
    elements[-1] = outlet(window=0.5)
    r = run(elements, 3.0, rate=1000)
    steady = (r.time > FALL + 0.6) & (r.time < FALL + 1.9)
    assert np.median(r["bin.throughput"][steady]) == pytest.approx(10.0, rel=1e-9)
    assert r["bin.throughput"][steady].mean() == pytest.approx(10.0, rel=1e-2)
    assert r["bin.throughput"][-1] == pytest.approx(2.0)  # one in the last half second


def test_what_comes_and_goes_is_booked_and_the_balance_holds():
    r = run(falling(), 1.5)
    m = r["feed.mass"][-1] / 3
    # each comes in with m g 2 m of potential energy and goes with the same in all
    assert r["system.energy.events"][-1] == pytest.approx(0.0, abs=1e-4)
    inside = int(np.searchsorted(r.time, 0.55))  # all three are falling
    assert r["system.population"][inside] == 3
    assert r["system.energy.events"][inside] == pytest.approx(3 * m * G * DROP, rel=1e-9)
    assert energy_error(r) < 1e-9
    assert r["system.energy.kinetic"][-1] == 0.0


def test_a_thin_region_is_not_leapt_over():
    gate = outlet("gate", size=(1, 1, 1e-3), effect="only counts")
    r = run(falling(frame("gate_at", z=1.0), gate), 1.5, tol="draft")
    assert moments(r, "gate") == pytest.approx(
        np.sqrt(2 * (DROP - 1.0005) / G) + 0.25 * np.arange(3), abs=1e-5
    )
    assert r["gate.count"][-1] == 3
    assert r["gate.inside"].max() <= 1.0
    assert r["gate.inside"][-1] == 0.0
    assert r["bin.count"][-1] == 3


def test_a_region_moves_and_turns_with_its_frame():
    """A plate that sweeps past a ball at rest counts it when its border arrives."""
    carrier = body("carrier", velocity=(1.0, 0, 0))
    gate = outlet("gate", size=(0.2, 0.2, 0.2), effect="only counts", takes=("ball",))
    at = frame("gate_at", "carrier", x=-1.0, orientation=(0, 0, np.pi / 4))
    r = run([carrier, ball(), at, gate], 1.5)
    reach = 0.1 * np.sqrt(2)  # of the square along its diagonal
    assert moments(r, "gate") == pytest.approx([1.0 - reach], abs=1e-5)
    assert np.isfinite(r["ball.position.x"]).all()
    leaves = r.time[np.flatnonzero(r["gate.inside"])[-1]]
    assert leaves == pytest.approx(1.0 + reach, abs=0.011)


def test_copies_start_with_the_motion_of_their_frame():
    spin, arm = 3.0, 0.5
    rotor = body("rotor", angular_velocity=(0, 0, spin))
    hub = joint("hub", "post", "eye", "turn z")
    shot = ball(velocity=(0.5, 0, 0), angular_velocity=(0, 2.0, 0))
    frames = [frame("post"), frame("eye", "rotor"), frame("nozzle", "rotor", x=arm)]
    r = run([rotor, shot, *frames, hub, feeder(at="nozzle", first=0.4, number=1)], 1.0)
    angle = 0.4 * spin
    out, along = np.array([np.cos(angle), np.sin(angle)]), np.array([-np.sin(angle), np.cos(angle)])
    here = r.time > 0.4
    velocity = np.column_stack([r["ball_1.velocity.x"], r["ball_1.velocity.y"]])[here]
    expected = 0.5 * out + spin * arm * along
    assert velocity == pytest.approx(np.tile(expected, (len(velocity), 1)), abs=1e-9)
    place = np.column_stack([r["ball_1.position.x"], r["ball_1.position.y"]])[here]
    flown = (r.time[here] - 0.4)[:, None] * expected
    assert place == pytest.approx(arm * out + flown, abs=1e-9)
    turning = [r[f"ball_1.angular_velocity.{axis}"][-1] for axis in "xyz"]
    assert turning == pytest.approx([*(2.0 * along), spin], abs=1e-6)


@pytest.mark.parametrize("settings", [{}, {"integrator": "quick", "step": "2 ms"}])
def test_a_belt_carries_copies_at_the_pace_of_the_feeder(settings):
    block = impeto.Body(
        name="block", position=(-1, 0, 0.06),
        shapes=(impeto.Box(size=(0.1, 0.1, 0.1), density=500),),
    )  # fmt: skip
    bed = impeto.Body(name="ground", shapes=(impeto.Box(size=(2.4, 1, 1), position=(0, 0, -0.5)),))
    elements = [
        DOWN, bed, block, impeto.BeltSurface(name="belt", body="ground", value=0.8),
        rule(static_friction=0.6, kinetic_friction=0.5), feeder(body="block", interval=0.5),
        frame("gate_at", x=0.5), outlet("gate", size=(0.05, 1, 1), effect="only counts"),
        frame("bin_at", x=1.5), outlet(),
    ]  # fmt: skip
    r = run(elements, 4.2, tol="normal", rate=50, **settings)
    passed = moments(r, "gate")
    assert np.diff(passed) == pytest.approx([0.5, 0.5], abs=1e-3 if not settings else 5e-3)
    # v²/(2 μ g) is lost while it comes up to speed, whatever the normal force does in between:
    # its impulse is that of the weight since the start
    assert passed[0] == pytest.approx(1.475 / 0.8 + 0.8 / (2 * 0.5 * G), abs=0.01)
    assert r["bin.count"][-1] == 3
    assert r["gate.count"][-1] == 3
    assert r["system.population"][-1] == 0


def test_a_copy_waits_until_its_place_is_free():
    still = impeto.Body(name="block", position=(0, 0, 0.05), shapes=(impeto.Box(size=(0.1,) * 3),))
    elements = [
        DOWN, FLOOR, still, rule(), feeder(body="block", interval=0.2, number=3),
        frame("bin_at"), outlet(enabled=False),
        impeto.Event(name="open", time=0.7, action="switch on", target="bin"),
    ]  # fmt: skip
    r = run(elements, 1.0, tol="normal")
    assert moments(r, "feed")[0] == 0.0
    assert texts(r, "feed")[:2] == ["block_1 comes in", "block_2 waits, its place is taken"]
    assert r["feed.waiting"][40] == 1.0
    assert (r["feed.count"][21:70] == 1.0).all()
    # as soon as the outlet takes what lies there, the next one comes and is taken at once
    assert r["bin.count"][-1] >= 2.0
    second = moments(r, "feed")[2]
    assert 0.7 < second < 0.76


def test_a_feeder_that_is_switched_on_begins_then():
    """It does not make up for what it would have fed before."""
    on = impeto.Event(name="begin", time=0.8, action="switch on", target="feed")
    off = impeto.Event(name="halt", time=1.2, action="switch off", target="feed")
    r = run(falling(on, off, interval=0.25, number=9, enabled=False), 2.0)
    assert moments(r, "feed") == pytest.approx([0.8, 1.05], abs=1e-9)
    assert r["feed.count"][-1] == 2


def test_the_pace_of_a_feeder_does_not_change_during_a_run():
    pace = impeto.Parameter(name="pace", value="0.25 s")
    faster = impeto.Event(name="faster", time=0.5, action="set parameter", target="pace",
                          value="0.1 s")  # fmt: skip
    with pytest.raises(ModelError, match="the pace of feed hangs on it"):
        run(falling(pace, faster, interval="pace"), 1.0)


def test_events_ask_for_copies_and_counts_are_watched_by_events():
    """Each ball that passes the gate calls for the next one."""
    gate = outlet("gate", size=(1, 1, 0.02), effect="only counts")
    elements = falling(
        frame("gate_at", z=1.0), gate,
        impeto.Event(name="begin", time=0.1, action="feed one", target="feed"),
        watch("next", "rises", "gate.inside", 0.5, action="feed one", target="feed", again=True),
        watch("full", "rises", "gate.count", 2.5, action="mark"),
        pace="by events", number=4,
    )  # fmt: skip
    r = run(elements, 2.5)
    reach = np.sqrt(2 * (DROP - 1.01) / G)
    came = [mark.time for mark in r.marks if "comes in" in mark.text]
    assert came == pytest.approx(0.1 + reach * np.arange(4), abs=1e-4)
    assert moments(r, "full") == pytest.approx([0.1 + 3 * reach], abs=1e-4)
    assert r["feed.count"][-1] == 4


def test_a_servo_may_follow_a_count_but_not_a_motion():
    gate = outlet("gate", size=(1, 1, 0.2), effect="only counts", takes=("ball",))
    arm = [body("arm", position=(1, 0, 0)), frame("post", x=1.0), frame("eye", "arm"),
           joint("pivot", "post", "eye", "turn y")]  # fmt: skip

    def servo(text):
        return impeto.Servo(
            name="kick", joint="pivot", freedom="turn y", proportional=100, derivative=20,
            reference=impeto.Formula(formula=text),
        )  # fmt: skip

    elements = falling(frame("gate_at", z=1.0), gate, *arm, number=1)
    r = run([*elements, servo("30 deg * (gate.inside > 0.5)")], 0.8)
    enters = np.sqrt(2 * 0.9 / G)
    assert np.abs(r["pivot.turn_y.position"][r.time < enters]).max() < 1e-12
    assert r["pivot.turn_y.position"].max() > 0.05
    with pytest.raises(ModelError, match="on time and on counts"):
        run([*elements, servo("1 rad/m * arm.position.x")], 0.1)


def test_an_outlet_takes_a_body_of_the_model_but_no_part_of_a_machine():
    taken = run([DOWN, ball(position=(0, 0, 1.0)), frame("bin_at"), outlet()], 1.0)
    assert moments(taken, "bin") == pytest.approx([np.sqrt(2 * 0.5 / G)], abs=1e-5)
    assert not present_at(taken, 0.9)["ball"]
    held = [DOWN, ball(), frame("hook"), frame("eye", "ball"), frame("bin_at"),
            joint("pin", "hook", "eye", "turn y")]  # fmt: skip
    r = run([*held, outlet()], 0.1)  # without names it leaves the pendulum alone
    assert r["bin.count"][-1] == 0
    with pytest.raises(ModelError, match=r"'pin' is fastened to ball, which cannot be taken"):
        run([*held, outlet(takes=("ball",))], 0.1)
    assert run([*held, outlet(takes=("ball",), effect="only counts")], 0.1)["bin.count"][-1] == 1


def one_only():
    return impeto.Model("m", [FLOOR, ball(), rule(first="ball_2", second="ground"), feeder()])


def test_rules_and_groups_that_name_the_body_mean_its_copies():
    group = impeto.Group(name="stuff", members=("ba*",))
    pairs = contact_pairs(
        impeto.Model("m", [FLOOR, ball(), group, rule(first="stuff", second="ground"), feeder()])
    )
    assert pairs == {"touch": (("ground", "ball"),)}  # under the name that the model knows
    alone = impeto.Model("m", [ball(), rule(first="ball", second="ball"), feeder()])
    assert contact_pairs(alone) == {"touch": (("ball", "ball"),)}
    one = contact_pairs(one_only())
    assert one == {"touch": (("ground", "ball"),)}
    tables = build_system(resolve(one_only())).tables
    assert (tables.pairing >= 0).sum() == 2  # both ways round
    off = impeto.Model("m", [FLOOR, ball(), rule(), feeder(enabled=False)])
    assert contact_pairs(off) == {"touch": (("ground", "ball"),)}


def test_health_and_the_linear_view_see_the_machine_without_copies():
    spring = impeto.Spring(name="spring", frame_a="hook", frame_b="eye", stiffness=100)
    machine = [body("mass", position=(0, 0, -1)), frame("hook"), frame("eye", "mass"), spring,
               frame("rail"), joint("guide", "rail", "eye", "slide z")]  # fmt: skip
    model = impeto.Model("m", [*machine, ball(), feeder()])
    assert check(model).free == 1
    assert [mode.frequency for mode in linear_view(model).modes] == pytest.approx(
        [10 / (2 * np.pi)]
    )


def test_a_thin_mesh_that_is_fed_is_named_once():
    thin = impeto.Body(name="ball", shapes=[impeto.Mesh(file="plate", unit="m")])
    plate = trimesh.creation.box((0.3, 0.3, 0.002))  # askew, so that no axis can be finer
    plate.apply_transform(trimesh.transformations.euler_matrix(0.6, 0.5, 0.4))
    model = impeto.Model("m", [FLOOR_BELOW, thin, rule(resolution="coarse"), feeder(number=20)],
                         geometry={"plate": triangles(plate)})  # fmt: skip
    found = [one.element for one in check(model).findings if "too coarse" in one.message]
    assert found == ["ball"]


def test_pairs_of_many_copies_come_without_counting_them_one_by_one():
    model = impeto.Model("m", [FLOOR, ball(), body("rod"), rule(), feeder(number=900)])
    assert contact_pairs(model) == {"touch": (("ball", "ball"), ("ground", "ball"))}


def test_a_feeder_inside_the_machine_is_found_before_the_run():
    model = impeto.Model("m", [FLOOR, ball(position=(0, 0, 0.02)), rule(), feeder()])
    found = overlaps(model)
    assert [(one.body_a, one.body_b) for one in found] in (
        [("ground", "ball")],
        [("ball", "ground")],
    )
    assert found[0].depth == pytest.approx(0.03)
    assert any(finding.element == "ball" for finding in check(model).findings)


@pytest.mark.parametrize(
    ("elements", "message"),
    [
        ([ball(), feeder(number=0)], "0 copies cannot be made"),
        ([ball(), feeder(number=2.5)], "2.5 copies cannot be made"),
        ([ball(), feeder(number=1e6)], "1e.06 copies cannot be made"),
        ([ball(), feeder(interval=0)], "greater than zero"),
        ([ball(), feeder(first=-1)], "before the start"),
        ([ball(), body("ball_2"), feeder()], "its copy would be called 'ball_2', which is taken"),
        ([feeder(body="ground"), FLOOR], "the ground cannot be fed"),
        ([ball(), feeder(body="nobody")], "there is no body called 'nobody'"),
        ([ball(), frame("eye", "ball"), frame("hook"), joint("pin", "hook", "eye"), feeder()],
         "'pin' is fastened to ball, whose copies come and go"),
        ([ball(), frame("eye", "ball"), impeto.Outlet(name="bin", frame="eye"), feeder()],
         "'bin' is fastened to ball"),
        ([ball(), frame("bin_at"), outlet(size=(1, 0, 1))], "its region has no room"),
        ([ball(), frame("bin_at"), outlet(window=0)], "greater than zero"),
        ([ball(), feeder(), watch("w", "rises", "ball.position.z", 0)], "a body that is fed"),
        ([ball(), impeto.Event(name="e", action="feed one", target="ball")], "is not a feeder"),
        ([ball(), feeder(number=600), feeder(name="more", number=600)], "1200 copies in all"),
    ],
)  # fmt: skip
def test_what_cannot_be_fed_or_taken_is_said_in_a_sentence(elements, message):
    with pytest.raises(ModelError, match=message):
        run([DOWN, *elements], 0.1)


def test_hundreds_of_copies_cost_nothing_before_they_come_and_after_they_left():
    """Only what is there is looked at for contact, and steps the error control."""
    elements = [
        *falling(FLOOR_BELOW, rule(first="ball", second="ground"), interval=0.004, number=300)
    ]
    r = run(elements, 2.2, tol="normal", rate=20, integrator="quick", step="4 ms")
    assert r["feed.count"][-1] == 300
    assert r["system.population"].max() < 180
    assert r["bin.count"][-1] == 300
    lonely = run(falling(number=1), 0.6, tol="normal")
    crowded = run(falling(number=200, interval=10), 0.6, tol="normal")
    assert crowded.statistics.evaluations == lonely.statistics.evaluations


FLOOR_BELOW = impeto.Body(name="ground", shapes=(impeto.HalfSpace(position=(0, 0, -5)),))


def test_copies_of_one_mesh_share_its_field():
    body_ = impeto.Body(name="ball", shapes=(impeto.ToothedWheel(),))
    model = impeto.Model("m", [FLOOR, body_, rule(), feeder(number=40)])
    tables = build_system(resolve(model)).tables
    assert len(tables.shape) == 41
    assert len(tables.grid) == 1


def test_clearance_of_a_copy_is_known_while_it_is_there():
    r = run([FLOOR_BELOW, DOWN, ball(position=(0, 0, 2)), feeder(first=0.2, number=1)], 0.5)
    clear = r["ball_1.clearance.ground"]
    there = r.time > 0.201
    assert np.isnan(clear[~there]).all()
    assert clear[there] == pytest.approx(r["ball_1.position.z"][there] + 4.95, abs=1e-9)


def test_a_pose_of_a_recording_leaves_copies_to_their_feeder():
    r = simulate(impeto.Model("m", [DOWN, ball(), body("other"), feeder()]), until=0.5)
    pose = pose_at(r, 0.4, "later")
    assert [state.body for state in pose.bodies] == ["other"]
    again = impeto.Model("m", [*r.model.elements.values(), pose],
                         settings=impeto.RunSettings(pose="later"))  # fmt: skip
    assert simulate(again, until=0.1)["feed.count"][-1] == 1
