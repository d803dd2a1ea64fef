"""Mirrors: what is seen on the other side moves as the mirror image does."""

from dataclasses import replace

import numpy as np
import pytest

import impeto as im
from impeto.core.model.scope import Scope
from impeto.core.repeats.reflected import negative

CORNERS = np.array([(0, 0, 0), (0.1, 0, 0), (0, 0.1, 0), (0, 0, 0.1)], dtype=float)
WEDGE = im.Triangles(CORNERS, np.array([(0, 2, 1), (0, 1, 3), (1, 2, 3), (0, 3, 2)]))
DOWN = im.Gravity(name="gravity")
ACROSS = np.diag([1.0, -1.0, 1.0])
SHAPES = (
    im.Extrusion(
        outline="0 mm, 0 mm; 80 mm, -10 mm; 80 mm, 50 mm round 5 mm; 0 mm, 30 mm arc 60 mm",
        length="30 mm", position=(0.1, 0.02, 0), orientation=("20 deg", "30 deg", "40 deg"),
    ),
    im.Swept(path="0 mm, 0 mm, 0 mm; 100 mm, 20 mm, 0 mm; 150 mm, 90 mm, 60 mm",
             section="0 mm, 0 mm; 12 mm, 0 mm; 0 mm, 20 mm"),
    im.Cone(position=(0, 0.1, 0), orientation=("10 deg", "0 deg", "70 deg")),
    im.ToothedWheel(position=(0, 0.2, 0.1), orientation=("90 deg", "15 deg", "0 deg")),
)  # fmt: skip


def arm(shapes=SHAPES, **about):
    """An arm on an oblique pin, with a spring, a load and something that turns it."""
    elements = [
        DOWN,
        im.Body(name="base", mass="40 kg", inertia=(1, 1, 1), position=(0.1, 0, 0.6)),
        im.Body(name="arm_left", position=(0.3, 0.4, 1),
                orientation=("10 deg", "-20 deg", "35 deg"), shapes=shapes, **about),
        im.Frame(name="pin_left_a", position=(0.3, 0.4, 1),
                 orientation=("25 deg", "40 deg", "0 deg")),
        im.Frame(name="pin_left_b", body="arm_left"),
        im.Frame(name="eye_left", body="arm_left", position=(0.2, 0.05, 0.02)),
        im.Frame(name="hook_left", body="base", position=(0.1, 0.3, 0)),
        im.Frame(name="hold", position=(0.1, 0, 0.6)), im.Frame(name="held", body="base"),
        im.Joint(name="fixed", frame_a="hold", frame_b="held", free=("slide x",)),
    ]  # fmt: skip
    model = im.Model("arms", elements)
    scope = Scope(model)
    from impeto.core.bodies.placement import pose_of, written
    from impeto.core.geometry.rotation import roll_pitch_yaw

    _, of_arm = pose_of(scope, model["arm_left"])
    _, of_pin = pose_of(scope, model["pin_left_a"])
    turned = written(roll_pitch_yaw(of_arm.T @ of_pin), "angle")
    model = model.with_element(replace(model["pin_left_b"], orientation=turned))
    for element in (
        im.Joint(name="pin_left", frame_a="pin_left_a", frame_b="pin_left_b", behaviours=(
            im.Behaviour(freedom="turn z", stiffness=3, free_position=0.2, damping=0.1),)),
        im.Spring(name="strut_left", frame_a="eye_left", frame_b="hook_left", stiffness=400),
        im.Load(name="push_left", frame="eye_left", direction=(1, 2, 0), value=3.0),
        im.Load(name="twist_left", frame="eye_left", applies="torque", axes="body",
                direction=(1, 2, 3), value=0.2),
        im.Mirror(name="sides", bodies=("arm_left",)),
    ):  # fmt: skip
        model = model.with_element(element)
    return model


def seen_right(run, name):
    """(N, 3) of a body on the left as it would be seen on the right."""
    return np.stack([run[f"{name}.{axis}"] for axis in "xyz"], axis=1) @ ACROSS


@pytest.mark.parametrize(
    "about",
    [{}, {"angular_velocity": (0, 0, 0)},
     {"mass": "3 kg", "center": (0.1, 0.05, 0.02), "inertia": (0.05, 0.06, 0.07),
      "inertia_products": (0.01, -0.005, 0.008), "point_masses": (
          im.PointMass(mass="1 kg", position=(0.1, -0.2, 0)),)}],
)  # fmt: skip
def test_the_other_side_moves_as_the_mirror_image(about):
    run = im.simulate(arm(**about), until=0.6, tol=1e-9)
    right = np.stack([run[f"eye_right.position.{axis}"] for axis in "xyz"], axis=1)
    np.testing.assert_allclose(right, seen_right(run, "eye_left.position"), atol=2e-8)
    centre = np.stack([run[f"arm_right.center.position.{axis}"] for axis in "xyz"], axis=1)
    np.testing.assert_allclose(centre, seen_right(run, "arm_left.center.position"), atol=2e-8)
    np.testing.assert_allclose(
        run["pin_right.turn_z.position"], run["pin_left.turn_z.position"], atol=2e-7
    )
    np.testing.assert_allclose(run["strut_right.force"], run["strut_left.force"], atol=1e-4)
    assert abs(run["pin_left.turn_z.position"]).max() > 0.05


def test_masses_and_surfaces_of_all_shapes_are_mirrored():
    wedge = im.Mesh(file="wedge.stl", unit="m", position=(0.1, 0.2, 0.3),
                    orientation=("30 deg", "0 deg", "20 deg"))  # fmt: skip
    model = arm((*SHAPES, wedge)).changed(geometry={"wedge.stl": WEDGE})
    found = im.masses(model)
    left, right = found["arm_left"], found["arm_right"]
    assert right.mass == pytest.approx(left.mass, rel=1e-12)
    np.testing.assert_allclose(right.center, ACROSS @ left.center, atol=1e-9)
    np.testing.assert_allclose(right.inertia, ACROSS @ left.inertia @ ACROSS, atol=1e-9)


def test_names_take_the_other_side_and_what_connects_both_is_there_once():
    model = arm()
    bar = im.Spring(name="bar", frame_a="eye_left", frame_b="eye_right")
    rule = im.ContactRule(name="rule", first=("arm_left",), second=("ground",))
    whole = Scope(model.with_element(bar).with_element(rule)).model
    assert {"arm_right", "pin_right", "pin_right_a", "strut_right", "hook_right"} <= set(
        whole.elements
    )
    assert "bar_mirrored" not in whole.elements
    assert whole["rule"].first == ("arm_left", "arm_right")
    assert whole["strut_right"].frame_b == "hook_right"
    assert whole["hook_right"].body == "base"
    plain = im.Model("m", [im.Body(name="pad", position=(0, 1, 0), shapes=(im.Box(),)),
                           im.Mirror(name="m", bodies=("pad",))])  # fmt: skip
    np.testing.assert_allclose(im.masses(plain)["pad_mirrored"].center, [0, -1, 0], atol=1e-12)


def test_a_plane_by_a_frame_and_a_row_that_is_mirrored():
    pad = im.Body(name="pad", position=(0, 1, 0), shapes=(im.Sphere(),))
    row = im.Repeat(name="row", bodies=("pad",), count=3, step=(0, 0.5, 0))
    plane = im.Frame(name="plane", position=(0.4, 0, 0), orientation=(0, 0, "45 deg"))
    both = im.Mirror(name="both", bodies=("pad",), plane="plane", normal="x")
    found = im.masses(im.Model("m", [pad, row, plane, both]))
    # About the plane through (0.4, 0) square to (1, 1): x, y become 0.4 − y, 0.4 − x.
    np.testing.assert_allclose(found["pad_3_mirrored"].center, [0.4 - 2, 0.4, 0], atol=1e-12)


def test_what_cannot_keep_its_sign_is_refused_in_a_sentence():
    model = arm()
    screw = replace(model["pin_left"], free=("slide z", "turn z"))
    push = im.Drive(name="push", joint="pin_left", freedom="slide z")
    with pytest.raises(im.ModelError, match="slide z, turn z of pin_left cannot all keep"):
        im.simulate(model.with_element(screw).with_element(push), until=0.01)
    slide = replace(model["pin_left"], free=("slide z",), behaviours=())
    run = im.simulate(model.with_element(slide).with_element(push), until=0.2)
    np.testing.assert_allclose(
        run["pin_right.slide_z.position"], run["pin_left.slide_z.position"], atol=1e-9
    )
    right = np.stack([run[f"arm_right.position.{axis}"] for axis in "xyz"], axis=1)
    np.testing.assert_allclose(right, seen_right(run, "arm_left.position"), atol=1e-9)


@pytest.mark.parametrize(
    ("text", "other"),
    [("3 mm", "-3 mm"), ("-3 mm", "3 mm"), ("0 mm", "0 mm"), ("a", "-a"), ("2*a", "-(2*a)"),
     ("-a+b", "-(-a+b)"), ("0.5*w", "-(0.5*w)"), ("0.5 m", "-0.5 m")],
)  # fmt: skip
def test_a_value_as_written_is_turned_round_as_one_would_write_it(text, other):
    assert negative(im.Body(name="x", mass=text).mass).text == other


def wheels(*mirrors, **about):
    """A wheel at the front left, seen in mirrors."""
    wheel = im.Body(name="wheel_front_left", position=(1, 0.5, 0), shapes=(im.Sphere(),), **about)
    return im.Model("wheels", [DOWN, wheel, *mirrors])


def test_four_corners_come_of_two_mirrors_whose_sides_have_words():
    across = im.Mirror(name="across", bodies=("wheel_front_left",))
    along = im.Mirror(name="along", bodies=("wheel_front_left",), normal="x", sides="front, rear")
    rule = im.ContactRule(name="rule", first=("wheel_front_left",), second=("ground",))
    model = wheels(across, along).with_element(rule)
    at = {name: tuple(np.round(mass.center, 9)) for name, mass in im.masses(model).items()
          if name.startswith("wheel")}  # fmt: skip
    assert at == {
        "wheel_front_left": (1, 0.5, 0), "wheel_front_right": (1, -0.5, 0),
        "wheel_rear_left": (-1, 0.5, 0), "wheel_rear_right": (-1, -0.5, 0),
    }  # fmt: skip
    assert set(Scope(model).model["rule"].first) == set(at)
    twice = replace(along, sides="left, right")
    with pytest.raises(im.ModelError, match="makes 'wheel_front_right', which another makes"):
        im.simulate(wheels(across, twice), until=0.01)
    for sides in ("front", "left, left", "a, b, c"):
        with pytest.raises(im.ModelError, match="sides"):
            im.simulate(wheels(replace(across, sides=sides)), until=0.01)


@pytest.mark.parametrize(
    ("read", "normal", "fits"),
    [("position.x", "y", True), ("position.y", "y", False), ("velocity.y", "y", False),
     ("velocity", "y", True), ("angular_velocity.y", "y", True), ("angular_velocity.x", "y", False),
     ("angular_velocity", "y", True), ("position.x", "x", False)],
)  # fmt: skip
def test_formulas_read_only_what_has_the_same_sign_in_the_mirror(read, normal, fits):
    unit = {"p": "m", "v": "m/s", "a": "rad/s"}[read[0]]
    model = wheels(
        im.Frame(name="hub_left", body="wheel_front_left", position=(0, 0.02, 0.05)),
        im.Load(name="push_left", frame="hub_left", direction=(1, 2, 3),
                value=f"0.3 N*wheel_front_left.{read}/(1 {unit})"),
        im.Mirror(name="mirror", bodies=("wheel_front_left",), normal=normal),
        velocity=(0.3, 0.2, 0.1), angular_velocity=(1, 2, 3),
    )  # fmt: skip
    if not fits:
        with pytest.raises(im.ModelError, match=f"it reads wheel_front_left.{read}, which has"):
            im.simulate(model, until=0.01)
        return
    run = im.simulate(model, until=0.5, tol=1e-9)
    right = np.stack([run[f"wheel_front_right.position.{axis}"] for axis in "xyz"], axis=1)
    np.testing.assert_allclose(right, seen_right(run, "wheel_front_left.position"), atol=1e-7)


@pytest.mark.parametrize("carrier", ["post", "arm_left"])
@pytest.mark.parametrize("applies", ["force", "torque"])
def test_loads_in_other_axes_are_mirrored_whether_their_body_stays_or_not(carrier, applies):
    model = arm()
    for element in (
        im.Body(name="post", position=(0, 0, 3), orientation=("20 deg", "30 deg", "40 deg"),
                mass="1 kg", inertia=(1, 1, 1)),
        im.Frame(name="axes_left", body=carrier, orientation=("15 deg", "-35 deg", "50 deg")),
        im.Load(name="pull_left", frame="eye_left", applies=applies, axes="other",
                axes_frame="axes_left", direction=(1, 2, 3), value=2.0),
        im.Load(name="press_left", frame="hook_left", counter_frame="eye_left", applies=applies,
                axes="body", direction=(3, -1, 2), value=1.0),
    ):  # fmt: skip
        model = model.with_element(element)
    run = im.simulate(model, until=0.4, tol=1e-9)
    right = np.stack([run[f"eye_right.position.{axis}"] for axis in "xyz"], axis=1)
    np.testing.assert_allclose(right, seen_right(run, "eye_left.position"), atol=1e-7)
    assert np.ptp(right, axis=0).max() > 0.01


@pytest.mark.parametrize(
    "path",
    ["0 mm, 0 mm, 0 mm; 0 mm, 0 mm, 90 mm; 60 mm, 30 mm, 140 mm",
     "0 mm, 0 mm, 0 mm; 200 mm, 30 mm, 0 mm; 90 mm, 150 mm, 60 mm closed",
     "0 mm, 0 mm, 50 mm; 200 mm, 30 mm, 0 mm; 0 mm, 0 mm, 0 mm closed"],
)  # fmt: skip
def test_sections_of_upright_and_closed_paths_are_mirrored(path):
    closed = path.endswith(" closed")
    bar = im.Swept(path=path.removesuffix(" closed"), closed=closed, bend_radius="20 mm",
                   section="0 mm, 0 mm; 12 mm, 0 mm; 0 mm, 20 mm")  # fmt: skip
    found = im.masses(arm((bar,)))
    left, right = found["arm_left"], found["arm_right"]
    np.testing.assert_allclose(right.center, ACROSS @ left.center, atol=1e-9)
    np.testing.assert_allclose(right.inertia, ACROSS @ left.inertia @ ACROSS, atol=1e-10)


@pytest.mark.parametrize("special", ["point on path", "body on path"])
def test_what_follows_a_path_follows_its_mirror_image(special):
    """A rail in oblique axes, with a spring along it and a drag; its points too are mirrored."""
    x = np.linspace(0, 4, 13)
    points = np.stack([x, 0.3 + 0.2 * np.sin(2 * x), 0.3 * np.cos(1.5 * x)], axis=1)
    spring = im.Behaviour(freedom="slide x", stiffness=30, free_position=1.0, damping=0.3)
    turned = ("20 deg", "10 deg", "-15 deg")
    model = im.Model("rails", [
        DOWN, im.Path(name="rail_left",
                      points=tuple(im.PathPoint(position=tuple(map(float, p))) for p in points)),
        im.Body(name="sledge_left", mass=3.0, inertia=(0.05, 0.09, 0.12),
                inertia_products=(0.01, 0.005, -0.02), center=(0.03, 0.02, 0.05)),
        im.Frame(name="foot_left", position=(0.1, 0.5, 0.2), orientation=turned),
        im.Frame(name="shoe_left", body="sledge_left"),
        im.Frame(name="nose_left", body="sledge_left", position=(0.1, 0.05, 0.1)),
        im.Joint(name="slide_left", frame_a="foot_left", frame_b="shoe_left", special=special,
                 path="rail_left", behaviours=(spring,)),
        im.Load(name="push_left", frame="nose_left", direction=(1, 0.5, 0), value=4.0),
    ])  # fmt: skip
    there = placed(model, special == "body on path")
    both = there.with_element(im.Mirror(name="sides", bodies=("sledge_left",)))
    run = im.simulate(both, until=1.2, tol=1e-9)
    assert np.ptp(run["slide_left.slide_x.position"]) > 0.3
    np.testing.assert_allclose(
        run["slide_right.slide_x.position"], run["slide_left.slide_x.position"], atol=1e-7
    )
    for quantity, signs in (("position", (1, -1, 1)), ("angular_velocity", (-1, 1, -1))):
        left, right = (run.vector(f"sledge_{side}.{quantity}") for side in ("left", "right"))
        np.testing.assert_allclose(right, left * signs, atol=1e-6, err_msg=quantity)


def placed(model, turned):
    """The sledge at the second point of its rail, with its axes along it where it is to turn."""
    foot, rail = model["foot_left"], model["rail_left"]
    scope = Scope(model)
    from impeto.core.bodies.placement import placement, pose_of
    from impeto.core.joints.paths import axes_along, spline, written_points

    origin, axes = pose_of(scope, foot)
    curve = spline(written_points(scope, rail), closed=False)
    along = axes @ axes_along(curve, curve.x[1:2])[0].T if turned else np.eye(3)
    at = origin + axes @ curve(curve.x[1])
    return model.with_element(replace(model["sledge_left"], **placement(at, along)))
