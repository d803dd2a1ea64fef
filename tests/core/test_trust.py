"""When the mark is green, and when it must not be."""

from dataclasses import replace

import numpy as np
import pytest

import impeto
from impeto.core.results.trust import GOOD, deepest_contact, trust
from impeto.core.simulate import simulate
from impeto.services import model_file
from tests.core.building import DOWN, body, frame, joint, run

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
