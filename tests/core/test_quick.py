"""Quick mode: fixed steps with impulses, against closed forms and against the accurate mode."""

from dataclasses import replace

import numpy as np
import pytest

import impeto
from impeto.core.errors import ModelError
from impeto.core.events.model import END_RUN, FALLS
from impeto.core.results.trust import GOOD, trust
from impeto.core.simulate import simulate
from impeto.services import model_file
from tests.core.building import DOWN, G, frame

FLOOR = impeto.Body(name="ground", shapes=(impeto.HalfSpace(),))


def quick(elements, until, step="5 ms", rate=200, **about):
    settings = impeto.RunSettings(outputs=rate, integrator="quick", step=step, **about)
    return simulate(impeto.Model("quick", elements, settings=settings), until=until)


def rule(restitution=0.0, friction=0.0, **about):
    about = {"stiffness": "10 kN/mm"} | about
    return impeto.ContactRule(
        name="touch", restitution=restitution, static_friction=friction, kinetic_friction=friction,
        **about,
    )  # fmt: skip


@pytest.mark.parametrize("friction", [0.5, 0.2])
def test_a_block_on_a_slope_stays_or_slides_with_the_acceleration_of_coulombs_law(friction):
    angle = np.radians(20.0)
    turned = ("0 deg", "20 deg", "0 deg")
    slope = impeto.Body(name="ground", shapes=(impeto.HalfSpace(orientation=turned),))
    block = impeto.Body(
        name="block", position=(0.1 * np.sin(angle), 0, 0.1 * np.cos(angle)), orientation=turned,
        shapes=(impeto.Box(size=(0.3, 0.3, 0.2)),),
    )  # fmt: skip
    r = quick([slope, DOWN, block, rule(friction=friction)], 1.0)
    down = r["block.position.x"] / np.cos(angle)
    slides = max(np.sin(angle) - friction * np.cos(angle), 0.0) * G
    v = r["block.velocity.x"] / np.cos(angle)
    assert v[-1] - v[100] == pytest.approx(slides * 0.5, abs=1e-5)
    assert slides > 0.0 or np.abs(down[-1] - down[20]) < 1e-5
    pressed = r["touch.normal"][50:]
    weight = r.system.mechanism.bodies[1].mass * G
    np.testing.assert_allclose(pressed, weight * np.cos(angle), rtol=1e-4)


def test_a_ball_bounces_with_the_restitution_and_keeps_its_account():
    ball = impeto.Body(name="ball", position=(0, 0, 1.1), shapes=(impeto.Sphere(radius=0.1),))
    r = quick([FLOOR, DOWN, ball, rule(restitution=0.5)], 1.0)
    z, v = r["ball.position.z"] - 0.1, r["ball.velocity.z"]
    meets = int(np.argmax(v > 0.0))
    assert v[meets] / -v[meets - 1] == pytest.approx(0.5, abs=0.02)  # the step ends off the floor
    # It turns round within a step, up to the way of a step above the floor.
    assert z[meets:].max() == pytest.approx(0.25, abs=1.5 * 0.005 * np.sqrt(2 * G))
    assert np.abs(r["system.energy.balance"]).max() < 0.05 * np.ptp(r["system.energy.potential"])
    assert r.statistics.integrator == "quick"
    judged = trust(r)
    assert judged.level != GOOD
    assert any("Fixed steps" in line for line in judged.lines)


def test_a_soft_contact_keeps_its_stiffness():
    ball = impeto.Body(name="ball", position=(0, 0, 0.099), shapes=(impeto.Sphere(radius=0.1),))
    soft = rule(restitution=0.1, stiffness="60 N/mm")
    r = quick([FLOOR, DOWN, ball, soft], 2.0, step="1 ms")
    weight = r.system.mechanism.bodies[1].mass * G
    assert r["touch.depth"][-1] == pytest.approx(weight / 60e3, rel=1e-3)


def test_halving_the_step_halves_the_difference_to_the_accurate_mode():
    bob = impeto.Body(name="bob", position=(0.5, 0, 1), shapes=(impeto.Sphere(radius=0.05),))
    pivot = impeto.Frame(name="pivot", position=(0, 0, 1))
    pin = impeto.Joint(name="pin", frame_a="pivot", frame_b="eye", free=("turn y",))
    elements = [DOWN, bob, pivot, frame("eye", "bob", x=-0.5), pin]
    exact = simulate(impeto.Model("m", elements), until=1.0)["bob.position.z"][-1]
    off = [abs(quick(elements, 1.0, step, 100)["bob.position.z"][-1] - exact)
           for step in ("2 ms", "1 ms")]  # fmt: skip
    assert off[0] / off[1] == pytest.approx(2.0, abs=0.3)
    assert quick(elements, 1.0).statistics.worst_gap < 1e-9


def test_a_heap_comes_to_rest_without_sinking_in():
    rng = np.random.default_rng(0)
    shapes = [
        impeto.Box(size=(0.14, 0.1, 0.08)), impeto.Sphere(radius=0.055),
        impeto.Capsule(radius=0.04, length=0.08), impeto.Cylinder(radius=0.045, length=0.1),
    ]  # fmt: skip
    places = [(0.12 * (k % 2), 0.12 * (k // 2 % 2), 0.1 + 0.15 * (k // 4)) for k in range(16)]
    bodies = [
        impeto.Body(name=f"part_{k}", position=places[k],
                    orientation=tuple(rng.uniform(-0.5, 0.5, 3)), shapes=(shapes[k % 4],))
        for k in range(16)
    ]  # fmt: skip
    r = quick([FLOOR, DOWN, *bodies, rule(restitution=0.3, friction=0.5)], 3.0, rate=50)
    assert r["touch.depth"].max() < 0.01
    assert r["touch.depth"][-1] < 0.003
    speeds = [abs(r[f"part_{k}.velocity.z"][-1]) for k in range(16)]
    assert np.median(speeds) < 1e-2
    assert min(r[f"part_{k}.position.z"].min() for k in range(16)) > 0.03
    weight = sum(body.mass for body in r.system.mechanism.bodies[1:]) * G
    on_floor = r["touch.normal"][-20:]
    assert on_floor.min() > 0.999 * weight  # the floor carries all, and parts may carry parts


def test_a_small_fast_ball_does_not_pass_a_thin_plate():
    plate = impeto.Body(
        name="ground", shapes=(impeto.Plate(length=0.5, width=0.5, thickness=0.001),)
    )
    ball = impeto.Body(name="ball", position=(0, 0, 0.3), velocity=(0, 0, -60),
                       shapes=(impeto.Sphere(radius=0.004),))  # fmt: skip
    r = quick([plate, ball, rule(restitution=0.5)], 0.05)
    assert r["ball.position.z"].min() > 0.0
    assert r["ball.velocity.z"][-1] == pytest.approx(30.0, rel=1e-6)


def test_a_belt_carries_a_box_up_to_its_speed_and_counts_its_work():
    belt = impeto.BeltSurface(name="belt", body="ground", value=impeto.Constant(value="0.5 m/s"))
    box = impeto.Body(name="box", position=(0, 0, 0.05), shapes=(impeto.Box(size=(0.2, 0.2, 0.1)),))
    r = quick([FLOOR, DOWN, box, belt, rule(friction=0.3)], 1.0, step="2 ms", rate=500)
    reached = np.argmax(r["box.velocity.x"] > 0.499) / 500
    assert reached == pytest.approx(0.5 / (0.3 * G), abs=0.006)
    mass = r.system.mechanism.bodies[1].mass
    assert r["belt.work"][-1] == pytest.approx(mass * 0.25, rel=0.03)  # half becomes heat
    assert r["touch.dissipated"][-1] == pytest.approx(mass * 0.125, rel=0.06)


def test_the_forwarder_differs_little_from_the_accurate_mode():
    model = model_file.load_demo("log_forwarder")
    fast = model.with_case(replace(model.cases["Damped"], name="Fast look", integrator="quick"))
    accurate, quickly = (simulate(fast, case, until=2.0) for case in ("Damped", "Fast look"))
    assert quickly.statistics.integrator == "quick"
    name = "trailer.position.z"
    off = quickly[name] - accurate[name]
    assert np.sqrt(np.mean(off**2)) < 0.02 * np.ptp(accurate[name])
    assert quickly.statistics.accepted == 1000  # two outputs' distance is the step


def test_a_step_of_nothing_is_refused_and_an_event_ends_a_quick_run():
    ball = impeto.Body(name="ball", position=(0, 0, 1), shapes=(impeto.Sphere(radius=0.1),))
    with pytest.raises(ModelError, match="quick step must be greater"):
        quick([FLOOR, DOWN, ball, rule()], 1.0, step="0 ms")
    low = impeto.Event(name="low", channel="ball.position.z", level="0.5 m", when=FALLS,
                       action=END_RUN)  # fmt: skip
    r = quick([FLOOR, DOWN, ball, rule(), low], 1.0)
    assert r.time[-1] == pytest.approx(np.sqrt(2 * 0.5 / G), abs=0.01)


def test_the_chain_stays_hooked_and_pulls_the_log_as_fast_as_it_is_hauled():
    r = simulate(model_file.load_demo("drag_chain"), until=1.5)
    links = np.array([
        [r[f"link_{k}.position.{axis}"] for axis in "xyz"] for k in range(1, 41)
    ])  # fmt: skip
    pitch = np.linalg.norm(np.diff(links, axis=0), axis=1)
    assert pitch.max() < 0.064 + 0.004  # 64 mm, and half a wire that links give way
    hauled = r["hauler.position.x"][-1] - r["hauler.position.x"][0]
    assert hauled == pytest.approx(0.6 * (1.5 - 0.25), rel=1e-3)
    followed = r["log.position.x"][-1] - r["log.position.x"][0]
    assert followed == pytest.approx(hauled, abs=0.1)  # chain that lay slack or in a bend


def links_in_a_bend(count=8, pitch=0.0641):
    """Meshed links in a pipe of which they fill a quarter bend, pulled with 20 kN at one end."""
    bend = count * pitch / 2.2
    straight = (count * pitch - np.pi / 2 * bend) / 2
    start, along, across = -(straight + bend) + pitch / 2, (0, "90 deg", 0), ("90 deg", 0, 0)

    def path(beyond):
        begin, end = -(straight + bend + beyond), bend + straight + beyond
        return f"{begin} m, 0 m, 0 m; 0 m, 0 m, 0 m round {bend} m; 0 m, {end} m, 0 m"

    bars = [((0, y, 0), along, 0.08) for y in (0.022, -0.022)]
    bars += [((x, 0, 0), across, 0.044) for x in (0.04, -0.04)]
    link = impeto.Body(name="link", position=(start, 0, 0), orientation=("45 deg", 0, 0), shapes=[
        impeto.Capsule(position=at, orientation=turn, radius=0.008, length=length)
        for at, turn, length in bars
    ])  # fmt: skip
    pipe = impeto.Swept(path=path(0.1), bar_radius=0.06, inner_radius=0.045)
    rubs = {"stiffness": "20 kN/mm", "restitution": 0.1, "static_friction": 0.2,
            "kinetic_friction": 0.2}  # fmt: skip
    model = impeto.Model("Bend", [
        DOWN, impeto.Body(name="ground", shapes=(pipe,)), link,
        impeto.Repeat(name="chain", bodies=("link",), along="a path", path=path(0.0), count=count,
                      spacing=pitch, turn=("-90 deg", 0, 0), turning="to and fro"),
        impeto.Group(name="links", members=("link",)),
        impeto.ContactRule(name="each_other", first=("links",), second=("links",), **rubs),
        impeto.ContactRule(name="wall", first=("links",), second=("ground",), **rubs),
        impeto.Frame(name="eye", body=f"link_{count}", position=(0.03, 0, 0)),
        impeto.Load(name="pull", frame="eye", direction=(0, 1, 0),
                    value=impeto.Ramp(start="0 N", end="20 kN", finish="0.3 s")),
    ])  # fmt: skip
    free = ("turn x", "turn y", "turn z")
    return impeto.joined(model, "anchor", "ground", "link_1", (start - 0.03, 0, 0), free=free)


def test_links_that_quiver_under_a_steady_pull_go_on_holding():
    """At short steps a contact trembles: what presses it in and out is work in its spring too."""
    model = links_in_a_bend()
    short = impeto.RunSettings(integrator="quick", step="0.25 ms", outputs="200 Hz", until="0.4 s")
    r = impeto.simulate(model.changed(settings=short))
    held = np.linalg.norm(r.vector("anchor.force"), axis=1)[-10:]
    assert np.ptp(held) < 0.01 * held.mean()
    assert 20e3 * np.exp(-0.2 * np.pi / 2) < held.mean() < 20e3  # Euler's rope
    assert max(r["each_other.depth"].max(), r["wall.depth"].max()) < 0.008  # a bar's radius


def test_work_of_a_servo_counts_the_mean_speed_of_a_step():
    """A hard swing at long steps: what it puts in is what the arm has, to the order of the step."""
    arm = impeto.Body(name="arm", mass=5, inertia=(1, 1, 1))
    servo = impeto.Servo(name="kick", joint="pivot", freedom="turn z", proportional=500,
                         derivative=40, limit=250, reference=1.0)  # fmt: skip
    frames = [impeto.Frame(name="post"), impeto.Frame(name="hub", body="arm")]
    pivot = impeto.Joint(name="pivot", frame_a="post", frame_b="hub", free=("turn z",))
    r = quick([arm, *frames, pivot, servo], 0.1)
    assert r["kick.work"] == pytest.approx(r["system.energy.kinetic"], rel=1e-6, abs=1e-9)
    assert r["system.energy.kinetic"].max() > 30.0


@pytest.mark.parametrize(("mode", "within"), [("automatic", 0.01), ("quick", 0.05)])
def test_what_friction_holds_at_rest_is_what_the_way_there_has_left(mode, within):
    """A block slides down a slope into a string with a damper and sticks where it first stands:
    balance alone would allow from 32 to 80 N."""
    angle, mu, mass, stiffness, damping = np.radians(35.0), 0.3, 10.0, 20e3, 200.0
    slope = impeto.Body(name="ground", shapes=(impeto.Plate(length=4, width=2, thickness=0.2),))
    down = impeto.Gravity(
        name="gravity", size=9.81, direction=(float(np.sin(angle)), 0, -float(np.cos(angle)))
    )
    block = impeto.Body(
        name="block", position=(0, 0, 0.05), mass=mass, inertia=(0.1, 0.1, 0.1),
        shapes=(impeto.Box(size=(0.2, 0.2, 0.1)),),
    )  # fmt: skip
    rule = impeto.ContactRule(
        name="lies", restitution=0, static_friction=mu, kinetic_friction=mu, stiffness="10 kN/mm",
    )  # fmt: skip
    string = impeto.Spring(
        name="string", frame_a="wall", frame_b="eye", stiffness=stiffness, damping=damping
    )
    frames = [impeto.Frame(name="wall", position=(-1, 0, 0.005)),
              impeto.Frame(name="eye", body="block", position=(-0.1, 0, -0.045))]  # fmt: skip
    settings = impeto.RunSettings(integrator=mode, step="1 ms", outputs="100 Hz")
    model = impeto.Model("m", [down, slope, block, rule, string, *frames], settings=settings)
    r = simulate(model, until=1.0)
    steady = mass * 9.81 * (np.sin(angle) - mu * np.cos(angle))
    share = damping / (2.0 * np.sqrt(stiffness * mass))
    first = steady * (1.0 + np.exp(-np.pi * share / np.sqrt(1.0 - share**2)))
    assert r["string.force"][-1] == pytest.approx(first, rel=within)
    assert abs(r["block.velocity.x"][-1]) < 1e-5


@pytest.mark.parametrize("ground", ["half-space", "box", "plate"])
@pytest.mark.parametrize("kind", ["cylinder", "tube", "capsule"])
def test_a_bar_that_strikes_with_its_side_leaves_with_the_asked_restitution(kind, ground):
    """Both ends of what touches meet in one step, also where a step ends right at the face."""
    level = {"orientation": (0, "90 deg", 0), "radius": 0.05, "length": 0.3}
    shape = {
        "cylinder": impeto.Cylinder(**level), "capsule": impeto.Capsule(**level),
        "tube": impeto.Tube(inner_radius=0.04, **level),
    }[kind]  # fmt: skip
    face = {
        "half-space": impeto.HalfSpace(), "plate": impeto.Plate(length=2, width=2, thickness=0.05),
        "box": impeto.Box(size=(2, 2, 0.2), position=(0, 0, -0.1)),
    }[ground]  # fmt: skip
    rule = impeto.ContactRule(name="touch", stiffness="10 kN/mm", restitution=0.5,
                              static_friction=0.0, kinetic_friction=0.0)  # fmt: skip
    floor = impeto.Body(name="ground", shapes=[face])
    chosen = impeto.RunSettings(integrator="quick", step="4 ms", outputs=100)
    for speed in (0.5, 2.0, 10.0, 50.0):
        for gap in (0.01, 0.02, 0.033):
            bar = impeto.Body(name="bar", position=(0, 0, 0.05 + gap), velocity=(0, 0, -speed),
                              shapes=[shape])  # fmt: skip
            r = simulate(impeto.Model("m", [floor, bar, rule], settings=chosen), None, 0.1)
            assert r["bar.velocity.z"][-1] == pytest.approx(0.5 * speed, rel=1e-2)


@pytest.mark.parametrize("kind", ["tube", "box"])
@pytest.mark.parametrize("stiffness", [1e1, 1e2, 1e3, 1e4, 1e6])
def test_what_is_soft_against_the_step_neither_gains_energy_nor_lets_through(kind, stiffness):
    """Points of contact change in number as the bodies go into each other, 6 mm thick at most."""
    shape = {
        "tube": impeto.Tube(radius="10 mm", inner_radius="7 mm", length="30 mm"),
        "box": impeto.Box(size=("20 mm", "20 mm", "20 mm")),
    }[kind]
    turned = {"a": (np.pi / 2, 0.0, 0.0), "b": (0.0, np.pi / 2, 0.0)}
    first, second = (
        impeto.Body(
            name=name, shapes=(shape,), position=(side * 0.0265, 0, 0),
            velocity=(-side * 0.5, 0, 0), orientation=turned[name] if kind == "tube" else (0, 0, 0),
        )
        for name, side in (("a", -1), ("b", 1))
    )  # fmt: skip
    soft = impeto.ContactRule(
        name="touch", first=("a",), second=("b",), stiffness=stiffness, restitution=0.5,
        static_friction=0, kinetic_friction=0,
    )  # fmt: skip
    run = quick([first, second, soft], until=0.15, step="2 ms", rate=500)
    kinetic = run["system.energy.kinetic"]
    assert kinetic.max() <= kinetic[0] * (1 + 1e-9)
    assert run["b.velocity.x"][-1] > run["a.velocity.x"][-1]
    assert run["b.position.x"][-1] > run["a.position.x"][-1]
