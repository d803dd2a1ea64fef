"""Contact of meshes, outlines and teeth, against closed forms and invariants."""

from functools import lru_cache

import numpy as np
import pytest
import trimesh
from scipy.spatial.transform import Rotation

import impeto
from impeto.core.check import check
from impeto.core.contact.travel import UNSEEN
from impeto.core.simulate import simulate
from tests.core.building import G, frame, joint
from tests.core.test_contact import FLOOR, friction, rule
from tests.core.test_solids import TORUS, triangles

DOWN = impeto.Gravity(name="gravity", size=G)


@lru_cache
def made(what):
    return triangles({
        "cube": lambda: trimesh.creation.box((0.1, 0.1, 0.1)),
        "ball": lambda: trimesh.creation.icosphere(subdivisions=4, radius=0.05),
        "slab": lambda: trimesh.creation.box((0.3, 0.3, 0.04)),
        "ring": lambda: trimesh.creation.torus(*TORUS, major_sections=192, minor_sections=64),
        "plate": lambda: trimesh.creation.box((0.3, 0.3, 0.002)),
        "angle": angle_iron,
    }[what]())  # fmt: skip


def angle_iron():
    """An L of two legs, not convex."""
    outline = [(0, 0), (0.12, 0), (0.12, 0.03), (0.03, 0.03), (0.03, 0.12), (0, 0.12)]
    points = np.array([(x, y, z) for z in (0.0, 0.05) for x, y in outline])
    caps = [(0, 3, 2), (0, 2, 1), (0, 5, 4), (0, 4, 3)]
    faces = [*caps, *[(c + 6, b + 6, a + 6) for a, b, c in caps]]
    for k in range(6):
        j = (k + 1) % 6
        faces += [(k, j, j + 6), (k, j + 6, k + 6)]
    return trimesh.Trimesh(points, faces, process=False)


def piece(name, file, **rest):
    return impeto.Body(name=name, shapes=[impeto.Mesh(file=file, unit="m", density=1000)], **rest)


def run(elements, files, until, tol="normal", rate=500.0, **settings):
    chosen = impeto.RunSettings(outputs=rate, **settings)
    geometry = {name: made(name) for name in files}
    model = impeto.Model("m", elements, settings=chosen, geometry=geometry)
    recording = simulate(model, None, until, tol)
    assert not recording.stopped, recording.stopped
    return recording


@pytest.mark.parametrize("e", [0.2, 0.9])
def test_a_ball_of_triangles_leaves_a_wall_with_the_asked_restitution(e):
    thrown = piece("ball", "ball", position=(0, 0, 0.06), velocity=(0, 0, -1))
    r = run([FLOOR, thrown, rule(restitution=e)], ["ball"], 0.05)
    assert r["ball.velocity.z"][-1] == pytest.approx(e, rel=5e-3)


@pytest.mark.parametrize("speed", [0.5, 5.0])
def test_a_cube_that_strikes_with_one_corner_leaves_with_the_asked_restitution(speed):
    """One place in six takes all of the impact; the damper is not to be that of a sixth."""
    turned = Rotation.align_vectors([[0, 0, -1]], [[1, 1, 1]])[0].as_euler("ZYX")[::-1]
    thrown = piece(
        "cube", "cube", orientation=tuple(map(float, turned)), velocity=(0, 0, -speed),
        position=(0, 0, 0.05 * 3**0.5 + 0.002),
    )  # fmt: skip
    block = impeto.Box(size=(0.3, 0.3, 0.04), position=(0, 0, -0.02))
    ground = impeto.Body(name="ground", shapes=(block,))
    until = 0.004 + 0.006 / speed
    r = run([ground, thrown, rule(restitution=0.5, stiffness="10 kN/mm")], ["cube"], until)
    assert r["cube.velocity.z"][-1] == pytest.approx(0.5 * speed, rel=1e-3)


LEVEL, TURNED, ON_EDGE = (0.0, 0.0, 0.0), (0.0, 0.0, 0.6), (np.pi / 4, 0.0, 0.0)


@pytest.mark.parametrize("speed", [0.5, 5.0, 50.0])
@pytest.mark.parametrize(
    ("below", "turn", "within"),
    [("slab", LEVEL, 5e-3), ("cube", LEVEL, 1e-2), ("cube", TURNED, 2e-2), ("slab", ON_EDGE, 1e-2)],
    ids=["on a larger face", "edges over edges", "turned over its like", "on an edge"],
)
def test_flat_faces_of_meshes_part_with_their_restitution(below, turn, within, speed):
    """A blow through both centres: what turns the bodies is lost to it. Places along edges that
    cross are not quite balanced."""
    high = 0.05 if turn != ON_EDGE else 0.05 * 2**0.5
    thick = 0.05 if below == "cube" else 0.02
    bodies = [
        piece("a", "cube", position=(0, 0, high + 1e-3), orientation=turn, velocity=(0, 0, -speed)),
        piece("b", below, position=(0, 0, -thick - 1e-3)),
    ]
    until = 0.006 + 0.012 / speed
    r = run([*bodies, rule(restitution=0.5, stiffness="30 kN/mm")], ["cube", below], until)
    parting = r["a.velocity.z"][-1] - r["b.velocity.z"][-1]
    assert parting == pytest.approx(0.5 * speed, rel=within)
    assert r["system.energy.kinetic"].max() <= r["system.energy.kinetic"][0] * (1.0 + 1e-6)


def test_a_cube_of_triangles_comes_to_rest_on_its_corners():
    thrown = piece("cube", "cube", position=(0, 0, 0.07), orientation=(0.05, 0.09, 0.3))
    r = run([FLOOR, DOWN, thrown, rule(**friction(0.4))], ["cube"], 1.5)
    assert r["touch.points"][-1] >= 4
    assert r["touch.normal"][-1] == pytest.approx(G, rel=1e-3)
    sunk = 0.05 - r["cube.position.z"][-1]  # at most as on four corners; faces bulge by some µm
    assert 0 < sunk < 1.01 * G / 1e6
    moved = [r[f"cube.velocity.{k}"][-1] for k in "xyz"]
    assert np.abs(moved).max() < 1e-4


@pytest.mark.parametrize("what", ["cube", "angle"])
def test_elastic_meshes_never_gain_energy(what):
    thrown = piece(
        what, what, position=(0, 0, 0.2), orientation=(0.4, 0.7, 0.2), angular_velocity=(3, -2, 5)
    )
    r = run([FLOOR, DOWN, thrown, rule(restitution=1.0, **friction(0.3))], [what], 2.0)
    free = r["touch.points"] == 0
    total = r["system.energy.total"][free]
    most = np.maximum.accumulate(total[::-1])[::-1]  # the most that is still to come
    assert (most - total).max() < 2e-3 * np.ptp(r["system.energy.kinetic"])
    assert abs(r["system.energy.balance"]).max() < 1e-4 * np.ptp(r["system.energy.kinetic"])


def test_linked_rings_slide_over_each_other_without_ripple():
    steel = impeto.Mesh(file="ring", unit="m", density=7850)
    elements = [
        impeto.Body(name="upper", orientation=(np.pi / 2, 0, 0), shapes=[steel]),
        impeto.Body(name="lower", position=(0, 0, -0.0759), orientation=(0, np.pi / 2, 0),
                    shapes=[steel]),
        impeto.Gravity(name="gravity"), frame("hub"), joint("axle", "hub", "own", "turn y"),
        frame("own", "upper", orientation=(-np.pi / 2, 0, 0)),
        impeto.Drive(name="turn", joint="axle", freedom="turn y", prescribes="speed",
                     value="0.5 rad/s * rise(t, 0 s, 0.3 s)"),
        rule(restitution=0.2, stiffness="1 kN/mm", **friction(0.1)),
    ]  # fmt: skip
    r = run(elements, ["ring"], 3.0)
    force = r["touch.normal"][r.time > 1.5]
    assert force.std() < 0.01 * force.mean()
    weight = r.system.mechanism.bodies[2].mass * 9.80665
    drag = np.arctan(0.1)  # it hangs off by the angle of friction
    assert force.mean() == pytest.approx(weight * np.cos(drag), rel=5e-3)


def gear_pair(turn=10.0, damping=2.0):
    def wheel(name, x, teeth, phase):
        shape = impeto.ToothedWheel(module="5 mm", teeth=str(teeth), width="30 mm")
        return impeto.Body(name=name, position=(x, 0, 0), orientation=(0, 0, phase), shapes=[shape])

    drag = impeto.Behaviour(freedom="turn z", damping=damping)
    return [
        wheel("pinion", 0, 20, "0 deg"), wheel("gear", 0.15, 40, "4.5 deg"),
        frame("p0"), frame("g0", x=0.15), frame("p1", "pinion"), frame("g1", "gear"),
        joint("pinion_axle", "p0", "p1", "turn z"),
        joint("gear_axle", "g0", "g1", "turn z", behaviours=[drag]),
        impeto.Drive(name="motor", joint="pinion_axle", freedom="turn z", prescribes="speed",
                     value=f"{turn} rad/s * rise(t, 0 s, 0.2 s)"),
        rule(stiffness="10 kN/mm", restitution=0.3, **friction(0.0)),
    ]  # fmt: skip


def test_teeth_keep_the_ratio_and_bear_the_tooth_force():
    r = run(gear_pair(), [], 1.0, rate=2000)
    steady = r.time > 0.4
    turned = [r[f"{name}_axle.turn_z.position"][steady] for name in ("pinion", "gear")]
    ratio = (turned[1][-1] - turned[1][0]) / (turned[0][-1] - turned[0][0])
    assert ratio == pytest.approx(-0.5, rel=1e-3)
    torque = 2.0 * 5.0  # drag of the gear at half of the pinion's speed
    assert r["touch.normal"][steady].mean() == pytest.approx(
        torque / (0.1 * np.cos(np.deg2rad(20.0))), rel=2e-2
    )
    assert r["motor.torque"][steady].mean() == pytest.approx(0.5 * torque, rel=2e-2)


def test_a_ball_in_a_drawn_trough_swings_with_its_period():
    deep, r = 0.5, 0.05
    trough = impeto.Extrusion(
        outline="-0.4 m, 0.3 m; -0.4 m, -0.1 m; 0.4 m, -0.1 m; 0.4 m, 0.3 m arc -0.5 m",
        length="0.4 m", orientation=(np.pi / 2, 0, 0),
    )  # fmt: skip
    ground = impeto.Body(name="ground", shapes=[trough])
    low = 0.3 + np.sqrt(deep**2 - 0.4**2) - deep  # the bottom of the arc
    start = 0.02
    ball = impeto.Body(
        name="ball",
        shapes=[impeto.Sphere(radius=r)],
        position=(start, 0, low + deep - np.sqrt((deep - r) ** 2 - start**2)),
    )
    recording = run([ground, DOWN, ball, rule(stiffness="1 kN/mm", **friction(0.0))], [], 5.0)
    x, t = recording["ball.position.x"], recording.time
    down = np.flatnonzero((x[:-1] > 0) & (x[1:] <= 0))
    cross = t[down] + (t[down + 1] - t[down]) * x[down] / (x[down] - x[down + 1])
    amplitude = np.arcsin(start / (deep - r))
    period = 2 * np.pi * np.sqrt((deep - r) / G) * (1 + amplitude**2 / 16)
    assert np.diff(cross).mean() == pytest.approx(period, rel=1e-3)


@pytest.mark.parametrize("speed", [20.0, 200.0])
def test_a_small_fast_ball_does_not_leap_through_a_thin_mesh(speed):
    shot = impeto.Body(name="shot", position=(0.031, 0.017, 0.2), velocity=(0, 0, -speed),
                       shapes=[impeto.Sphere(radius=0.004)])  # fmt: skip
    plate = impeto.Body(name="ground", shapes=[impeto.Mesh(file="plate", unit="m")])
    r = run([plate, shot, rule(stiffness="1 kN/mm", restitution=0.5)], ["plate"], 0.4 / speed,
            rate=2e3 * speed)  # fmt: skip
    assert r["shot.position.z"].min() > 0.0
    assert r["shot.velocity.z"][-1] > 0.3 * speed


def heap():
    """Cubes, rings and angle irons that fall onto each other."""
    return [
        piece(f"part_{k}", ("cube", "ring", "angle")[k % 3], orientation=(0.3 * k, 0.2 * k, 0),
              position=(0.15 * (k % 3), 0.15 * (k // 3), 0.15))
        for k in range(6)
    ]  # fmt: skip


def lowest(r):
    return min(r[f"part_{k}.position.z"].min() for k in range(6))


def test_nothing_in_a_heap_of_meshes_falls_through_the_floor():
    r = run([FLOOR, DOWN, *heap(), rule(**friction(0.4))], ["cube", "ring", "angle"], 0.8, "draft")
    assert lowest(r) > -2e-3  # an angle iron's origin is at its corner
    heaviest = max(b.mass for b in r.system.mechanism.bodies[1:])
    softest = 0.25 * 1e6  # N/m: a corner alone
    assert r["touch.depth"].max() < np.sqrt(2 * G * 0.15 * heaviest / softest)  # without damping
    assert r["system.energy.total"].max() <= r["system.energy.total"][0] * (1 + 1e-4)


def test_in_quick_mode_a_heap_of_meshes_comes_to_rest_with_its_weight():
    r = run([FLOOR, DOWN, *heap(), rule(**friction(0.4))], ["cube", "ring", "angle"], 2.0,
            integrator="quick", step="2 ms", rate=50)  # fmt: skip
    assert lowest(r) > -2e-3
    weight = sum(b.mass for b in r.system.mechanism.bodies[1:]) * G
    assert r["touch.normal"][-10:].mean() == pytest.approx(weight, rel=0.05)


def test_an_open_mesh_is_named_with_a_warning_and_still_runs():
    whole = made("cube")
    wide = impeto.Triangles(whole.vertices, whole.faces[1:])
    model = impeto.Model("m", [FLOOR, DOWN, piece("cube", "cube"), rule()],
                         geometry={"cube": wide})  # fmt: skip
    told = [f.message for f in check(model).findings if f.element == "cube"]
    assert any("not closed: it has 3 edges" in message for message in told)
    assert not simulate(model, until=0.01).stopped


def test_a_mesh_that_was_not_read_is_named():
    model = impeto.Model("m", [piece("hook", "hook.stl")])
    finding = check(model).findings[0]
    assert (finding.severity, finding.element) == ("bad", "hook")
    assert "'hook.stl' has not been read" in finding.message


def test_a_ring_that_comes_down_nearly_flat_is_felt_all_the_way_around():
    """Its lowest point races around it: z − R sin of the tilt − r is where that is."""
    large, small = TORUS
    ring = piece("ring", "ring", position=(0, 0, 0.02), orientation=(0.05, 0.03, 0),
                 angular_velocity=(1.0, -2.0, 3.0))  # fmt: skip
    r = run([FLOOR, DOWN, ring, rule(restitution=0.3, **friction(0.3))], ["ring"], 0.5, rate=2000)
    upright = r["ring.rotation.zz"]
    lowest = r["ring.position.z"] - large * np.sqrt(1.0 - upright**2) - small
    assert lowest.min() > -3 * UNSEEN * small  # found late more than once before it lifts off
    bears = r["touch.normal"] > 0.0
    assert np.abs(lowest[bears] + r["touch.depth"][bears]).max() < UNSEEN * small
