"""When the mark is green, and when it must not be."""

from dataclasses import replace

import numpy as np
import pytest

import impeto
from impeto.core.dynamics.state import extras_at
from impeto.core.dynamics.tables import X_CONTACTS
from impeto.core.results.trust import BAD, GOOD, deepest_contact, trust
from impeto.core.simulate import simulate
from impeto.services import model_file
from tests.core.building import DOWN, body, frame, joint, run
from tests.estimates import hanging_chain

FLOOR = impeto.Body(name="ground", shapes=(impeto.HalfSpace(),))


def cube(stiffness):
    """A cube of a metre and 8 t that is let down onto a floor."""
    box = impeto.Box(size=("1 m",) * 3, density="8000 kg/m^3")
    return simulate(impeto.Model("m", [
        DOWN, FLOOR, impeto.Body(name="cube", position=(0, 0, 0.5), shapes=(box,)),
        impeto.ContactRule(name="lies", stiffness=stiffness, restitution=0.1),
    ]), until=1.0)  # fmt: skip


def test_a_body_that_sinks_into_another_is_not_trusted():
    soft, hard = cube("0.03 kN/mm"), cube("100 kN/mm")
    share, pair = deepest_contact(soft)
    assert share > 0.5
    assert pair in ("cube and ground", "ground and cube")
    assert trust(soft).level != GOOD
    assert any("pressed in" in line and "cube" in line for line in trust(soft).lines)
    assert deepest_contact(hard)[0] < 0.01


def test_a_knock_between_two_outputs_is_seen_by_the_mark():
    """A ball at 50 m/s against a plate of rubber: 1 ms of contact, outputs every 20 ms."""
    plate = impeto.Box(size=("0.5 m", "0.5 m", "40 mm"), position=("0 m", "0 m", "-20 mm"))
    r = simulate(impeto.Model("m", [
        impeto.Body(name="ground", shapes=(plate,)),
        impeto.Body(name="ball", position=(0, 0, 0.06), velocity=(0, 0, -50),
                    shapes=(impeto.Sphere(radius="50 mm"),)),
        impeto.ContactRule(name="hits", stiffness="10 kN/mm", restitution=0.5),
    ]), until=0.02, outputs=50.0)  # fmt: skip
    assert not r.stopped
    assert r["ball.velocity.z"][-1] == pytest.approx(25.0, rel=1e-2)
    assert r["hits.depth"].max() <= 0.0
    share, pair = deepest_contact(r)
    assert share > 0.5
    assert "ball" in pair
    assert trust(r).level != GOOD


def pendulum(tol):
    bar = body("bar", 2.0, (0.01, 2 / 12, 2 / 12), position=(0.5, 0, 0))
    return run([DOWN, bar, frame("g"), frame("f", "bar", -0.5), joint("pin", "g", "f", "turn y")],
               3.0, tol)  # fmt: skip


@pytest.mark.parametrize(("tol", "passes"), [("draft", 5e-5), ("normal", 5e-5), ("fine", 5e-8)])
def test_what_may_be_missing_of_the_energy_follows_the_accuracy(tol, passes):
    honest = pendulum(tol)
    assert trust(honest).level == GOOD
    n = honest.system.moving

    def lossy(share):
        """The same recording with that share of the kinetic energy in play taken away."""
        whole = np.array(honest.state)
        k = honest["system.energy.kinetic"]
        last = int(np.argmax(k))
        whole[last, 7 * n : 13 * n] *= np.sqrt(1.0 - share)
        return trust(replace(honest, state=whole)).level

    assert lossy(passes) == GOOD
    assert lossy(100 * passes) != GOOD


def test_a_run_that_was_cancelled_is_not_called_wrong(gang_saw):
    r = simulate(gang_saw, until=5.0, tol="fine", progress=lambda share, solved: solved < 0.1)
    assert r.cancelled
    assert r.stopped
    assert trust(r).level == GOOD


def test_a_start_speed_that_moves_a_floating_base_is_said():
    base = body("base", 10.0, position=(0, 0, 0))
    rotor = body("rotor", 1.0)
    els = [base, rotor, frame("a", "base"), frame("b", "rotor"),
           joint("axle", "a", "b", "turn z",
                 behaviours=(impeto.StartValue(freedom="turn z", speed="3000 rpm"),))]  # fmt: skip
    notes = simulate(impeto.Model("m", els), until=0.01).notes
    assert any("axle also moves base" in note and "keep it in place" in note for note in notes)
    held = [replace(base, keep_in_place=True), *els[1:]]
    assert not simulate(impeto.Model("m", held), until=0.01).notes


def test_clearance_and_contacts_read_both_ways_in_every_case():
    ball = impeto.Body(name="ball", position=(0, 0, 0.2), shapes=(impeto.Sphere(radius=0.05),))
    r = simulate(impeto.Model("m", [
        DOWN, FLOOR, ball, impeto.ContactRule(name="lies"),
        impeto.Event(name="low", when="channel falls", channel="lies.gap", level="1 cm"),
    ], cases=[impeto.Case(name="Base", switches={"low": False})]), until=0.5)  # fmt: skip
    np.testing.assert_allclose(r["ball.clearance.ground"][0], 0.15, rtol=1e-9)
    np.testing.assert_array_equal(r["ground.touch.ball.normal"], r["ball.touch.ground.normal"])
    np.testing.assert_array_equal(r["ground.touch.ball.force.z"], -r["ball.touch.ground.force.z"])


def test_a_mend_that_makes_a_singular_start_is_not_offered():
    """Every offered mend of the demos keeps the free motions and leaves a regular pose."""
    for name in ("gang_saw", "winch_gears"):
        model = model_file.load_demo(name)
        health = impeto.check(model)
        for finding in health.findings:
            for mend in finding.mends:
                if mend.text.startswith("Free"):
                    after = impeto.check(impeto.mended(model, mend))
                    assert after.free == health.free
                    assert len(after.redundant) < len(health.redundant)


def parallelogram(angle, speed):
    """Two cranks of 0.3 m, 1 m apart, with a coupler that stays level while they turn."""
    c, s = float(np.cos(angle)), float(np.sin(angle))
    way = (-0.3 * speed * s, 0.0, -0.3 * speed * c)
    half = tuple(0.5 * v for v in way)
    bars = [
        body(name, 1.0, (1e-3, 1e-2, 1e-2), position=(x + 0.15 * c, 0, -0.15 * s),
             orientation=(0, angle, 0), velocity=half, angular_velocity=(0, speed, 0))
        for name, x in (("near", 0.0), ("far", 1.0))
    ]  # fmt: skip
    coupler = body("coupler", 2.0, (1e-3, 0.2, 0.2), velocity=way,
                   position=(0.5 + 0.3 * c, 0, -0.3 * s))  # fmt: skip
    frames = [frame("g1"), frame("g2", x=1.0), frame("n1", "near", -0.15),
              frame("n2", "near", 0.15), frame("f1", "far", -0.15), frame("f2", "far", 0.15),
              frame("c1", "coupler", -0.5), frame("c2", "coupler", 0.5)]  # fmt: skip
    pins = [joint(f"pin_{a}_{b}", a, b, "turn y")
            for a, b in (("g1", "n1"), ("g2", "f1"), ("n2", "c1"), ("f2", "c2"))]  # fmt: skip
    return [DOWN, *bars, coupler, *frames, *pins]


@pytest.mark.parametrize("angle", [0.3, 0.8, 1.3, 1.8, 2.3])
@pytest.mark.parametrize("tol", ["normal", "fine"])
def test_a_flat_parallelogram_goes_on_as_it_came_and_says_that_it_could_not(angle, tol):
    r = run(parallelogram(angle, 9.0), 2.0, tol, rate=1000.0)
    energy = r["system.energy.total"]
    assert np.abs(energy - energy[0]).max() < 1e-4 * np.ptp(r["system.energy.kinetic"])
    assert np.abs(r["coupler.pitch"]).max() < 1e-4
    height = r["coupler.position.z"]
    flat = np.flatnonzero(np.diff(np.sign(height)) != 0)
    told = np.array([mark.time for mark in r.marks if "singular pose" in mark.text])
    assert len(told) == len(flat) > 0
    assert np.abs(told - r.time[flat]).max() <= 2.0 / 1000.0
    assert r.statistics.singular == told[0]
    assert trust(r).level != GOOD
    assert any("singular pose" in line for line in trust(r).lines)


def test_a_parallelogram_that_stays_clear_of_its_flat_pose_says_nothing():
    r = run(parallelogram(1.2, 0.5), 0.5, "normal")
    assert r.statistics.singular == np.inf
    assert trust(r).level == GOOD


def test_a_motion_that_is_sensitive_is_told_as_such():
    """A double pendulum from the level is chaotic: no estimate of steps alone knows its error."""
    calm, wild = (run(hanging_chain(2), until, "normal") for until in (1.0, 20.0))
    assert calm.statistics.growth < 30.0
    assert trust(calm).level == GOOD
    assert wild.statistics.growth > 1e4
    assert wild.statistics.error == 1.0
    assert trust(wild).level != GOOD
    assert any("sensitive" in line for line in trust(wild).lines)


def dropped(until, tilt, restitution=0.6, **settings):
    """A cube of timber with 0.2 m edges that falls on a floor from 0.5 m, tilted (roll, pitch)."""
    box = impeto.Box(size=("0.2 m",) * 3, density="600 kg/m^3")
    return simulate(impeto.Model("m", [
        DOWN, FLOOR,
        impeto.Body(name="cube", position=(0, 0, 0.6), orientation=(*tilt, 0), shapes=(box,)),
        impeto.ContactRule(name="lies", stiffness="2 kN/mm", restitution=restitution,
                           static_friction=0.3, kinetic_friction=0.3),
    ], settings=impeto.RunSettings(**settings)), until=until)  # fmt: skip


@pytest.mark.parametrize("accuracy", ["draft", "normal", "fine"])
def test_the_error_of_a_run_with_contacts_is_bounded_by_a_coarser_run_beside_it(accuracy):
    """Beside a run at 1e-11, over one blow on a corner, where nothing is left to chance."""
    r = dropped(0.6, (0.5, 0.3), accuracy=accuracy)
    true = dropped(0.6, (0.5, 0.3), tolerance=1e-11)
    off = max(np.abs(r[name] - true[name]).max() / size for name, size in (
        ("cube.position.x", 0.2), ("cube.position.z", 0.2), ("cube.roll", 1.0)))  # fmt: skip
    assert r.statistics.compared == pytest.approx(0.6)
    assert off < 10.0 * r.statistics.error
    assert r.statistics.error < {"draft": 0.1, "normal": 0.03, "fine": 1e-3}[accuracy]
    assert any("30 times as coarse, places differ" in line for line in trust(r).lines)


def test_where_chance_decides_how_bodies_come_to_lie_the_mark_says_so():
    r = dropped(3.0, (0.6, 0.4), 0.9, accuracy="draft")
    assert r.statistics.error == 1.0
    assert 0.3 < r.statistics.compared < 3.0  # the first blow is at 0.25 s
    found = trust(r)
    assert (found.level, found.cause) == ("doubtful", "chance decides")
    assert any("chance decides where bodies come to lie" in line for line in found.lines)


@pytest.mark.parametrize("step", ["2 ms", "0.5 ms"])
def test_quick_mode_knows_its_error_from_twice_the_step(step):
    """A box thrown flat over a floor slides 0.5·v²/(μ g) and stops, closed form."""
    box = impeto.Box(size=("0.4 m", "0.4 m", "0.1 m"), density="600 kg/m^3")
    r = simulate(impeto.Model("m", [
        DOWN, FLOOR,
        impeto.Body(name="slab", position=(0, 0, 0.05), velocity=(2, 0, 0), shapes=(box,)),
        impeto.ContactRule(name="lies", stiffness="2 kN/mm", restitution=0.0, static_friction=0.4,
                           kinetic_friction=0.4),
    ], settings=impeto.RunSettings(integrator="quick", step=step)), until=1.0)  # fmt: skip
    off = abs(r["slab.position.x"][-1] - 2.0**2 / (2 * 0.4 * 9.80665)) / 0.4
    assert off < 10.0 * r.statistics.error < 0.2
    assert any("twice the step" in line for line in trust(r).lines)


def test_recordings_keep_how_far_they_can_be_trusted(tmp_path):
    model = impeto.Model("m", parallelogram(0.3, 9.0))
    r = impeto.simulate(model, until=0.5)
    r.save(tmp_path / "r.h5")
    again = impeto.open_recording(tmp_path / "r.h5")
    assert again.statistics == r.statistics
    assert again.trust == r.trust


def test_a_joint_that_is_released_is_no_singular_pose():
    bar = body("bar", position=(0.5, 0, 0))
    let_go = impeto.Event(name="let_go", when="channel rises", channel="pin.turn_y.position",
                          level="60 deg", action="switch off", target="pin")  # fmt: skip
    r = run([DOWN, bar, frame("hook"), frame("eye", "bar", -0.5),
             joint("pin", "hook", "eye", "turn y"), let_go], 1.0, "normal")  # fmt: skip
    assert [mark.element for mark in r.marks] == ["let_go"]
    assert r.statistics.singular == np.inf
    assert trust(r).level == GOOD


@pytest.mark.parametrize("stiffness", [1000.0, 1778.0])
def test_energy_that_contacts_give_in_quick_mode_is_never_passed_over(stiffness):
    """A tube's side on another's end, soft against the step: where the impulses leave more motion
    than there was, the mark says so."""
    tube = impeto.Tube(radius="10 mm", inner_radius="7 mm", length="30 mm")
    thrown = [
        impeto.Body(name=name, shapes=(tube,), position=(side * 0.026225, 0, 0), orientation=turned,
                    velocity=(-0.5 * side, 0, 0))
        for name, side, turned in (("a", -1, (np.pi / 2, 0, 0)), ("b", 1, (0, np.pi / 2, 0)))
    ]  # fmt: skip
    rule = impeto.ContactRule(name="r", restitution=0.5, static_friction=0, kinetic_friction=0,
                              stiffness=stiffness)  # fmt: skip
    r = run([*thrown, rule], 0.15, rate=500.0, integrator="quick", step=0.002)
    energy = r["system.energy.kinetic"]
    told = [line for line in trust(r).lines if "Contacts gave" in line]
    gained = energy.max() / energy[0] - 1.0
    assert told or gained <= 0.01
    assert trust(r).level == BAD or gained <= 0.1


def test_a_contact_that_gives_more_than_it_took_makes_a_bad_mark():
    r = cube("100 kN/mm")
    assert not [line for line in trust(r).lines if "Contacts gave" in line]
    account = extras_at(r.system.moving) + int(r.system.tables.extra[X_CONTACTS])
    state = r.state.copy()
    state[len(state) // 2 :, account] -= 0.5 * np.ptp(r["system.energy.potential"])
    spoilt = trust(replace(r, state=state))
    assert spoilt.level == BAD
    assert any("Contacts gave" in line for line in spoilt.lines)


def test_the_mark_names_what_it_comes_from():
    from tests.core.test_repeats import chain, written_out

    good = impeto.simulate(written_out(2), until=0.2)
    assert good.trust.level == "good"
    assert good.trust.cause.startswith("energy")
    wild = impeto.simulate(chain("12"), until=4.0)  # it swings as it likes
    assert wild.trust.level == "bad"
    assert wild.trust.cause.startswith("estimated error")
