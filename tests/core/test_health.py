"""Health and its mends: every mend is applied and seen to put right what was found."""

from dataclasses import replace

import numpy as np
import pytest
from scipy.sparse import csr_array

import impeto
from impeto.core.errors import Cancelled
from impeto.core.posing import free_to_move
from impeto.core.solvers.rank import Freedom, dependent_rows
from impeto.services import model_file
from tests.core.building import DOWN, body, frame, joint


def mended(model, element, text):
    """The model after the mend of an element whose text begins so."""
    health = impeto.check(model)
    mends = [m for f in health.findings if f.element == element for m in f.mends]
    return impeto.mended(model, next(m for m in mends if m.text.startswith(text)))


def test_redundant_guides_are_mended_by_freeing_or_by_making_them_compliant():
    saw = model_file.load_demo("gang_saw")
    health = impeto.check(saw)
    found = next(f for f in health.findings if f.element == "guide_right")
    assert "held by other joints too" in found.message
    freed = mended(saw, "guide_right", "Free")
    assert not impeto.check(freed).redundant
    assert impeto.check(freed).driven == health.driven
    soft = mended(saw, "guide_right", "Make it compliant")
    assert not impeto.check(soft).redundant
    hard = impeto.simulate(saw, until=0.2)
    elastic = impeto.simulate(soft, until=0.2)
    assert not elastic.stopped
    torque = hard["crank_drive.torque"]
    difference = np.abs(elastic["crank_drive.torque"] - torque).max()
    assert difference < 1e-3 * np.abs(torque).max()


def test_frames_apart_are_snapped_together():
    model = impeto.Model("m", [
        DOWN, body("b", position=(1, 0, 0)), frame("g"), frame("f", "b", -0.9, 0.2),
        joint("pin", "g", "f", "turn y")])  # fmt: skip
    health = impeto.check(model)
    assert [f.severity for f in health.findings] == ["bad"]
    assert "apart" in health.findings[0].message
    whole = mended(model, "pin", "Move f to g")
    assert impeto.check(whole).free == 1
    assert not impeto.simulate(whole, until=0.1).stopped


def test_a_floating_body_is_fixed_to_the_ground_where_it_is():
    model = impeto.Model("m", [DOWN, body("b", position=(1, 2, 3))])
    assert impeto.check(model).floating == ("b",)
    fixed = mended(model, "b", "Fix it")
    assert impeto.check(fixed).free == 0
    r = impeto.simulate(fixed, until=0.1)
    assert r["b.position.z"][-1] == pytest.approx(3.0)


def test_what_may_touch_the_ground_or_what_lies_on_it_does_not_float():
    floor = impeto.Body(name="ground", shapes=(impeto.HalfSpace(),))
    balls = [impeto.Body(name=f"ball_{k}", position=(0.3 * k, 0, 0.05), shapes=(impeto.Sphere(),))
             for k in range(3)]  # fmt: skip
    on_floor = impeto.ContactRule(name="on_floor", first=("ball_0",), second=("ground",))
    on_ball = impeto.ContactRule(name="on_ball", first=("ball_1",), second=("ball_0",))
    assert impeto.check(impeto.Model("m", [floor, *balls, on_floor, on_ball])).floating == (
        "ball_2",
    )
    chain = impeto.check(model_file.load_demo("drag_chain"))
    assert chain.floating == ()
    assert chain.findings == ()


def test_a_body_without_inertia_gets_that_of_a_ball():
    model = impeto.Model("m", [impeto.Body(name="b", mass="5 kg"), DOWN])
    ball = mended(model, "b", "Give it")
    assert impeto.check(ball).free == 6


@pytest.mark.parametrize("density", ["7850 t/m^3", "7.85 kg/m^3"])
def test_densities_that_are_wrong_by_a_thousand_are_found_and_corrected(density):
    box = impeto.Box(density=density)
    model = impeto.Model("m", [impeto.Body(name="crank", shapes=(box,))])
    if density == "7.85 kg/m^3":  # like foam: possible, so left alone
        assert not [
            f for f in impeto.check(model).findings if f.mends and "1000" in f.mends[0].text
        ]
        return
    right = mended(model, "crank", "Correct it by 1000")
    assert right["crank"].shapes[0].density.si == pytest.approx(7850.0)
    typed = impeto.Body(name="crank", mass="7850 t", inertia=(1, 1, 1), shapes=(impeto.Box(),))
    less = mended(impeto.Model("m", [typed]), "crank", "Divide")
    assert less["crank"].mass.si == pytest.approx(7850.0)


def test_two_drives_of_one_freedom_are_named_and_one_is_switched_off():
    drive = {"joint": "pin", "freedom": "turn y", "value": "1 rad/s"}
    model = impeto.Model("m", [
        body("b"), frame("g"), frame("f", "b"), joint("pin", "g", "f", "turn y"),
        impeto.Drive(name="first", **drive), impeto.Drive(name="second", **drive)])  # fmt: skip
    finding = next(f for f in impeto.check(model).findings if f.element == "second")
    assert "first" in finding.message
    alone = mended(model, "second", "Switch second off")
    assert not impeto.check(alone).findings
    assert not alone["second"].enabled


def test_a_snap_keeps_the_names_and_leaves_the_rest_alone():
    model = impeto.Model(
        "m", [body("b", position=(0, 0, 1)), frame("g"), frame("f", "b"), joint("weld", "g", "f")]
    )
    changed = mended(model, "weld", "Move f to g")
    assert set(changed.elements) == set(model.elements)
    assert changed["b"] == model["b"]
    assert [q.si for q in changed["f"].orientation] == [0.0, 0.0, 0.0]


def test_bodies_are_told_apart_by_what_moves_them():
    """A cart that is driven, with a heavy one coupled to it, a light pendulum on it, and a post."""
    cart = [
        body("cart"), frame("rail"), frame("on_rail", "cart"),
        joint("slide", "rail", "on_rail", "slide x"),
        body("trailer", 1e6, (1e6, 1e6, 1e6), position=(1, 0, 0)), frame("hook", "cart", 1.0),
        frame("eye", "trailer"), joint("bolt", "hook", "eye"),
        body("bob", 1e-3, (1e-7, 1e-7, 1e-7), position=(0, 0, -1)), frame("top", "cart"),
        frame("string", "bob", z=1.0), joint("pin", "top", "string", "turn y"),
        body("post", position=(5, 0, 0)), frame("foot", x=5.0), frame("end", "post"),
        joint("weld", "foot", "end"),
    ]  # fmt: skip
    drive = impeto.Drive(name="haul", joint="slide", freedom="slide x", value="1 m/s")
    driven = impeto.check(impeto.Model("m", [DOWN, *cart, drive]))
    assert (driven.free, driven.driven) == (1, 1)
    assert driven.loose == ("bob",)
    assert driven.led == ("cart", "trailer")
    free = impeto.check(impeto.Model("m", [DOWN, *cart]))
    assert free.loose == ("cart", "trailer", "bob")
    assert free.led == ()


def test_a_machine_at_its_dead_point_is_driven_as_a_whole():
    health = impeto.check(model_file.load_demo("gang_saw"))
    assert set(health.led) == {"crank", "counterweight", "rod", "saw_frame"}
    assert health.loose == ()


def links(count):
    """A hanging chain of bodies on pins, and its health by counting."""
    elements = [DOWN, frame("hook")]
    for k in range(count):
        elements += [
            body(f"link_{k}", position=(0.1 * k + 0.05, 0, 0)),
            frame(f"eye_{k}", f"link_{k}", -0.05),
            frame(f"end_{k}", f"link_{k}", 0.05),
            joint(f"pin_{k}", f"end_{k - 1}" if k else "hook", f"eye_{k}", "turn y"),
        ]
    return impeto.Model("chain", elements)


def test_the_health_of_long_chains_is_found_by_sparse_rank():
    health = impeto.check(links(600))
    assert (health.free, health.counted, health.redundant) == (600, 600, ())
    assert len(health.loose) == 600
    loop = links(60).with_element(frame("stay", x=6.0))
    ring = impeto.check(loop.with_element(joint("last", "end_59", "stay", "turn y")))
    # The plane is held by all the others; bent, both ways within it are the last pin's own.
    assert {row.owner for row in ring.redundant} == {"last"}
    assert {row.freedom for row in ring.redundant} == {"slide y", "turn x", "turn z"}


@pytest.mark.parametrize("seed", range(6))
def test_sparse_rank_agrees_with_singular_values(seed):
    chance = np.random.default_rng(seed)
    dense = np.zeros((40, 36))
    for row in dense:
        for pair in chance.choice(6, 2, replace=False):
            row[6 * pair : 6 * pair + 6] = chance.normal(size=6)
    dense[7] = dense[:7].T @ chance.normal(size=7)
    dense[20] = dense[3] - 2.0 * dense[11]
    dense /= np.linalg.norm(dense, axis=1)[:, None]
    short = csr_array(dense[:30])
    assert list(dependent_rows(short)) == [7, 20]
    assert len(dependent_rows(csr_array(dense))) == 40 - np.linalg.matrix_rank(dense)
    free = Freedom(short).motion(np.ones(36))
    null = np.linalg.svd(dense[:30])[2][28:]
    assert free == pytest.approx(null.T @ (null @ np.ones(36)), abs=1e-10)


def test_a_check_can_be_stopped():
    with pytest.raises(Cancelled):
        impeto.check(links(3), progress=lambda _share, _solved: False)


def test_a_drive_along_what_other_joints_hold_is_told_and_another_freedom_offered():
    """A jack between two pins: across its axis nothing can move, though the joint leaves it."""
    model = model_file.load_demo("loader_crane")
    motor = model["jack_motor"]
    for freedom, told in (("slide z", False), ("slide y", True), ("turn x", True)):
        changed = model.with_element(
            replace(motor, freedom=freedom, lead="10 mm" if "slide" in freedom else None)
        )
        findings = [f for f in impeto.check(changed).findings if f.element == "jack_motor"]
        assert bool(findings) == told, freedom
        if told:
            assert f"along {freedom} of jack, in which nothing is free" in findings[0].message
    assert free_to_move(model, "jack") == "slide z"
    assert free_to_move(model, "slew") == "turn z"
    # a load on a shaft whose speed is prescribed does work: it is not in vain
    driven = impeto.Drive(name="spin", joint="slew", value="1 rad/s")
    assert not impeto.check(model.with_element(driven)).findings
