"""Contact against the remaining cases of the reference problem, and what is kept of it in files."""

import numpy as np
import pytest

import impeto
from impeto.core.errors import FileError
from impeto.core.simulate import simulate
from impeto.services import model_codec, recording_file
from tests.core.building import run
from tests.reference_problems import problem

FILE = "09-friction-rolling-bounce"
FLOOR = impeto.Body(name="ground", shapes=(impeto.HalfSpace(),))


def thrown(case, radius):
    """The ball of a case on its plane, as its file says, with a stiff contact."""
    known = problem(FILE, case)
    data, contact = known["bodies"][0], known["contact"]
    inertia = data["inertia_about_com"]
    ball = impeto.Body(
        name="ball",
        position=tuple(data["com"]),
        velocity=tuple(data["v_com"]),
        angular_velocity=tuple(data["omega"]),
        mass=data["mass"],
        inertia=tuple(float(inertia[k][k]) for k in range(3)),
        shapes=(impeto.Sphere(radius=radius),),
    )
    rule = impeto.ContactRule(
        name="touch",
        stiffness="5 kN/mm",
        restitution=contact["restitution"],
        static_friction=contact["mu_static"],
        kinetic_friction=contact["mu_kinetic"],
        rolling_resistance=0.0,
    )
    gravity = impeto.Gravity(name="gravity", size=-known["gravity"][2])
    return known, [FLOOR, ball, rule, gravity]


@pytest.mark.parametrize("case", ["sphere-slide-to-roll", "sphere-backspin", "sphere-overspin"])
def test_a_spinning_ball_ends_rolling_as_the_closed_form_says(case):
    known, elements = thrown(case, 0.1)
    times, values = known["reference"]["t"], known["reference"]["values"]
    r = run(elements, times[-1], tol="normal", rate=200.0)
    speed = np.interp(times, r.time, r["ball.velocity.x"])
    assert np.abs(speed - values["v"]).max() < 2e-3 * np.abs(values["v"]).max()
    turning = np.interp(times, r.time, r["ball.angular_velocity.y"])
    assert np.abs(turning - values["omega_y"]).max() < 3e-3 * np.abs(values["omega_y"]).max()
    scalars = known["scalars"]
    assert r["ball.velocity.x"][-1] == pytest.approx(scalars["rolling_speed"], rel=1e-3)
    assert r["ball.angular_velocity.y"][-1] == pytest.approx(scalars["rolling_omega"], rel=1e-3)


def test_impacts_of_a_bouncing_ball_come_at_the_times_of_the_closed_form():
    known, elements = thrown("bouncing-ball", 0.05)
    impacts = known["scalars"]["impact_times"][:3]
    r = run(elements, impacts[-1] + 0.1, tol="normal", rate=2000.0)
    begun = [mark.time for mark in r.marks if mark.text == "touches ground"]
    assert len(begun) == 3
    # a contact of 5 kN/mm takes a millisecond, each bounce a little longer than a rigid one
    assert begun == pytest.approx(impacts, abs=4e-3)
    peak = known["scalars"]["peak_heights"][0]
    flight = (r.time > impacts[0]) & (r.time < impacts[1])
    assert (r["ball.position.z"][flight].max() - 0.05) == pytest.approx(peak, rel=0.02)


def everything():
    """A model with each kind of element and shape that contact has."""
    shapes = (
        impeto.Capsule(), impeto.Cone(top_radius="10 mm"), impeto.Plate(), impeto.Sphere(),
    )  # fmt: skip
    return impeto.Model("all", [
        impeto.Body(name="ground", shapes=(
            impeto.HalfSpace(position=(0, 0, -1)),
            impeto.Road(profile="smooth 0 m: 0 m; 1 m: 0.1 m; 2 m: 0 m"),
        )),
        impeto.Body(name="part", position=(0, 0, 2), shapes=shapes),
        impeto.Group(name="parts", members=("part*",)),
        impeto.Surface(name="felt", stiffness="10 N/mm", static_friction="0.8"),
        impeto.ContactRule(name="soft", first=("parts",), surface_a="felt", surface_b="felt"),
        impeto.ContactRule(name="apart", first=("part",), second=("ground",),
                           effect="never touches"),
        impeto.BeltSurface(name="belt", body="ground", shape="2", value="1 m/s"),
    ])  # fmt: skip


def test_a_model_with_contacts_comes_back_from_its_file_the_same():
    model = everything()
    again = model_codec.decode(model_codec.encode(model))
    assert again.elements == model.elements
    assert again["soft"].first == ("parts",)
    with pytest.raises(impeto.ModelError, match="is not a choice"):
        impeto.ContactRule(name="r", pairing="cheese on toast")
    with pytest.raises(impeto.ModelError, match="needs two surfaces"):
        impeto.ContactRule(name="r", surface_a="felt")


def test_a_recording_keeps_its_points_of_contact(tmp_path):
    _, elements = thrown("bouncing-ball", 0.05)
    r = simulate(impeto.Model("bounce", elements), until=0.6)
    path = tmp_path / "bounce.h5"
    recording_file.save_recording(r, path)
    again = recording_file.open_recording(path)
    np.testing.assert_array_equal(again.touch, r.touch)
    np.testing.assert_array_equal(again["ball.touch.ground.normal"], r["ball.touch.ground.normal"])
    assert again.marks == r.marks
    path.write_bytes(path.read_bytes()[:2000])
    with pytest.raises(FileError, match="is not an Impeto recording"):
        recording_file.open_recording(path)


def test_members_of_a_group_may_be_typed_as_one_text():
    group = impeto.Group(name="g", members="left, link_* ,")
    assert group.members == ("left", "link_*")
    with pytest.raises(impeto.ModelError, match="cannot be a name"):
        impeto.Group(name="g", members="left right")
    with pytest.raises(impeto.ModelError, match="a list of names"):
        impeto.Group(name="g", members=(1, 2))
    model = impeto.Model("m", [impeto.Body(name="left", shapes=(impeto.Box(),)), group])
    assert model.users_of("left") == ["g"]
