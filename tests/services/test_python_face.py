"""What a script uses beside the elements."""

import csv
import dataclasses
import sys

import h5py
import numpy as np
import pytest
from pyarrow import parquet

import impeto
from impeto.services import model_file


@pytest.fixture(scope="module")
def saw(gang_saw):
    return impeto.simulate(gang_saw, until="0.5 s")


def test_outputs_are_a_rate_or_the_instants_themselves(gang_saw):
    assert len(impeto.simulate(gang_saw, until="0.1 s", outputs=100).time) == 11
    assert len(impeto.simulate(gang_saw, until="0.1 s", outputs="50 Hz").time) == 6
    asked = np.array([0.013, 0.05, 0.0777])
    for integrator in ("automatic", "quick"):
        settings = impeto.RunSettings(integrator=integrator)
        r = impeto.simulate(gang_saw.changed(settings=settings), until=0.1, outputs=asked)
        np.testing.assert_array_equal(r.time, [0.0, *asked, 0.1])
    with pytest.raises(impeto.ModelError, match="between zero and the end"):
        impeto.simulate(gang_saw, until=0.1, outputs=[0.2])


def test_numbers_of_numpy_are_numbers():
    body = impeto.Body(
        name="b", mass=np.float32(2.0), inertia=np.array([1, 1, 1]),
        position=np.array([0.1, 0.2, 0.3]),
    )  # fmt: skip
    assert str(body.mass) == "2.0 kg"
    assert str(body.position[1]) == "0.2 m"
    assert str(impeto.Parameter(name="count", value=np.int64(3)).value) == "3.0"
    with pytest.raises(impeto.FormulaError, match="not a number"):
        impeto.Parameter(name="count", value=np.nan)


def test_vectors_figures_trust_and_sizing_are_at_hand(saw):
    force = saw.vector("crank_pin.force")
    np.testing.assert_allclose(np.linalg.norm(force, axis=1), saw["crank_pin.force"])
    whole, part = saw.figures("crank_drive.torque"), saw.figures("crank_drive.torque", 0.2, 0.3)
    assert whole.maximum >= part.maximum
    assert 0.2 <= part.peak_time <= 0.3
    assert saw.trust.level == "good"
    assert any("Energy" in line for line in saw.trust.lines)
    cloud = saw.sizing("crank_drive")
    np.testing.assert_array_equal(cloud.effort, np.abs(saw["crank_drive.torque"]))
    for asking in (lambda: saw.sizing("nobody"), lambda: saw.figures("rod.pitch", 7.0, 8.0)):
        with pytest.raises(impeto.ChannelError):
            asking()


def test_tables_are_written_in_the_units_of_choice(saw, tmp_path):
    path = tmp_path / "pin.csv"
    saw.export_csv(path, ["crank_pin.force.x", "rod.pitch"], units={"crank_pin.force.x": "kN"})
    rows = list(csv.reader(path.read_text().splitlines()))
    assert rows[0] == ["time [s]", "crank_pin.force.x [kN]", "rod.pitch [rad]"]
    assert float(rows[5][1]) == pytest.approx(saw["crank_pin.force.x"][4] / 1000, rel=1e-12)
    with pytest.raises(impeto.FormulaError, match="no unit of a force"):
        saw.export_csv(path, ["crank_pin.force.x"], units={"crank_pin.force.x": "mm"})


def test_a_table_as_hdf5_has_each_channel_with_its_unit(saw, tmp_path):
    path = tmp_path / "pin.h5"
    names = ["crank_pin.force.x", "crank_pin.force.x/2", "rate(rod.pitch)"]
    saw.export_hdf5(path, names, units={"crank_pin.force.x": "kN"})
    with h5py.File(path) as file:
        found = {values.attrs["channel"]: (values.attrs["unit"], values[:]) for values in
                 file.values()}  # fmt: skip
    assert {name: unit for name, (unit, _) in found.items()} == {
        "time": "s", "crank_pin.force.x": "kN", "crank_pin.force.x/2": "N",
        "rate(rod.pitch)": "rad/s",
    }  # fmt: skip
    force = saw["crank_pin.force.x"]
    np.testing.assert_allclose(found["crank_pin.force.x"][1], force / 1000, rtol=1e-12)
    np.testing.assert_allclose(found["crank_pin.force.x/2"][1], force / 2, rtol=1e-12)
    with pytest.raises(impeto.ChannelError, match="no channel"):
        saw.export_hdf5(path, ["no.such"])


def test_values_at_an_event_are_those_of_its_instant():
    model = impeto.Model("fall", [
        impeto.Gravity(name="g", size="10 m/s^2"),
        impeto.Body(name="ball", mass=1, inertia=(1, 1, 1)),
        impeto.Event(name="deep", when="channel falls", channel="ball.position.z", level="-2 m"),
    ])  # fmt: skip
    r = impeto.simulate(model, until=1.0, outputs=20)
    there = r.at("deep")
    assert there.time == pytest.approx([0.4**0.5], abs=1e-8)
    assert there["ball.velocity.z"] == pytest.approx([-(40**0.5)], abs=1e-6)
    with pytest.raises(impeto.ChannelError, match="Nothing is marked of 'shallow'"):
        r.at("shallow")


def test_masses_are_those_of_the_drawn_bodies_in_the_world():
    model = impeto.Model("m", [
        impeto.Body(name="a", mass=2, inertia=(1, 2, 3), position=(1, 0, 0)),
        impeto.Body(name="b", mass=1, inertia=(1, 1, 1), orientation=("90 deg", 0, 0)),
    ])  # fmt: skip
    found = impeto.masses(model)
    assert found[""].mass == 3.0
    np.testing.assert_allclose(found[""].center, [2 / 3, 0, 0])
    np.testing.assert_allclose(np.diag(found[""].inertia), [2.0, 3 + 2 / 3, 4 + 2 / 3])


def test_all_that_acts_on_a_body_sums_to_zero_with_its_inertia():
    """D'Alembert: by wrenches of rows, coordinates, lines, bushings, loads and contacts."""
    for name, until, instants in (
        ("gang_saw", 0.3, (0.0, 0.13, 0.3)), ("scale_platform", 0.3, (0.1,)),
        ("offcut_kicker", 0.35, (0.05, 0.31)), ("log_forwarder", 0.2, (0.2,)),
    ):  # fmt: skip
        r = impeto.simulate(model_file.load_demo(name), until=until)
        for body in list(r.bodies)[1:7]:
            for time in instants:
                acting = r.loads(body, time)
                assert {"gravity", "inertia"} >= {a.element for a in acting[:1]}
                size = max(np.abs(a.force).max() for a in acting)
                turning = max(np.abs(a.torque).max() for a in acting)
                assert np.abs(sum(a.force for a in acting)).max() < 1e-9 * size, (name, body)
                assert np.abs(sum(a.torque for a in acting)).max() < 1e-9 * (turning + size)
    with pytest.raises(impeto.ChannelError, match="no body"):
        r.loads("nobody", 0.0)


@pytest.mark.parametrize("play", [{}, {"backlash": "0.2 mm", "tooth_stiffness": "1 MN/m"}])
@pytest.mark.parametrize("duty", [0.5, -0.5])
def test_loads_of_gears_a_motor_with_friction_and_a_path_balance(play, duty):
    """On either flank of the teeth, and after whole turns."""
    shop = impeto.Model("m", [impeto.Gravity(name="g")])
    for name, x in (("a", 0.0), ("b", 0.3)):
        disc = impeto.Cylinder(radius=0.1, length=0.02, position=(0.01, 0, 0))
        shop = shop.with_element(impeto.Body(name=name, position=(x, 0, 0), shapes=[disc]))
        shop = impeto.joined(shop, f"{name}_pin", "ground", name, (x, 0, 0), z=(0, 0, 1))
    motor = impeto.Motor(
        name="motor", joint="a_pin", supply="48 V", ratio=5, duty=duty, efficiency=0.8,
        no_load_friction="0.01 N*m", rotor_inertia="1e-4 kg*m^2",
    )  # fmt: skip
    pair = impeto.Gears(name="pair", joint_a="a_pin", joint_b="b_pin", radius_a=0.1, radius_b=0.2,
                        **play)  # fmt: skip
    dip = impeto.Path(name="dip", points=[
        impeto.PathPoint(position=(0.5 * k, 0, (0.5 * k - 1) ** 2)) for k in range(5)])  # fmt: skip
    runner = impeto.Body(name="runner", position=(1, 0, 0), velocity=(1, 0, 0), mass=1,
                         inertia=(1, 1, 1))  # fmt: skip
    shop = impeto.joined(shop.with_element(runner), "rail", "ground", "runner", (1, 0, 0))
    ends = dataclasses.replace(shop["rail_a"], position=(0, 0, 0)), dip
    rail = dataclasses.replace(
        shop["rail"], special="body on path", path="dip", free=("slide x",),
        behaviours=(impeto.Friction(freedom="slide x", kinetic=0.1),),
    )  # fmt: skip
    for element in (motor, pair, *ends, rail):
        shop = shop.with_element(element)
    r = impeto.simulate(shop, until=0.6)
    assert abs(r["a_pin.turn_z.position"][-1]) > 4.0
    for body in ("a", "b", "runner"):
        for time in (0.0, 0.2, 0.6):
            acting = r.loads(body, time)
            size = max(np.abs(np.append(a.force, a.torque)).max() for a in acting)
            assert np.abs(sum(a.force for a in acting)).max() < 1e-9 * size
            assert np.abs(sum(a.torque for a in acting)).max() < 1e-9 * size


def test_the_loads_on_a_crank_are_its_joints_and_drive_by_name(saw):
    acting = {a.element: a for a in saw.loads("rod", 0.25)}
    at = int(np.argmin(np.abs(saw.time - 0.25)))
    pins = {"crank_pin", "frame_pin"} & set(acting)
    assert pins
    for pin in pins:
        assert np.linalg.norm(acting[pin].force) == pytest.approx(saw[f"{pin}.force"][at])


def test_a_run_can_be_read_at_any_instant(saw):
    asked = [0.0123456, 0.25, 0.4999]
    there = saw.at(asked)
    np.testing.assert_array_equal(there.time, asked)
    crank = impeto.simulate(saw.model, until=0.5, outputs=asked, tol="fine")
    np.testing.assert_allclose(there["rod.pitch"], crank["rod.pitch"][1:4], atol=1e-6)
    np.testing.assert_array_equal(saw.at(0.25)["rod.pitch"], there["rod.pitch"][1:2])
    with pytest.raises(impeto.ChannelError, match=r"from 0 to 0\.5 s"):
        saw.at(0.6)
    ball = impeto.Body(name="ball", position=(0, 0, 0.2), shapes=[impeto.Sphere(radius=0.05)])
    floor = impeto.Body(name="ground", shapes=[impeto.HalfSpace()])
    drop = impeto.simulate(
        impeto.Model("m", [impeto.Gravity(name="g"), ball, floor, impeto.ContactRule(name="rule")]),
        until=0.4,
    )
    hit = next(mark.time for mark in drop.marks if "touches" in mark.text)
    near = drop.at([hit - 0.05, hit + 2e-4])
    assert near["rule.normal"][0] == 0.0
    assert near["rule.normal"][1] > 0.0
    assert len(near.touch) == int(near.touch_end[-1])


def test_the_moment_of_contact_is_about_the_frame_that_is_asked():
    """A block of 0.4 m at rest, its weight half a metre beside a frame of the ground."""
    block = impeto.Body(name="block", position=(0.5, 0, 0.1),
                        shapes=[impeto.Box(size=(0.4, 0.4, 0.2))])  # fmt: skip
    floor = impeto.Body(name="ground", shapes=[impeto.HalfSpace()])
    r = impeto.simulate(impeto.Model("m", [
        impeto.Gravity(name="g"), block, floor, impeto.Frame(name="foot"),
        impeto.ContactRule(name="rule", restitution=0.0)]), until=2.0)  # fmt: skip
    weight = r["block.touch.ground.force.z"][-1]
    moment = r.contact_moment("block", "ground", "foot")[-1]
    np.testing.assert_allclose(moment, [0.0, -0.5 * weight, 0.0], atol=1e-3 * weight)
    np.testing.assert_allclose(r.contact_moment("ground", "block", "foot")[-1], -moment)
    with pytest.raises(impeto.ChannelError, match="no body 'cube'"):
        r.contact_moment("cube", "ground", "foot")


def test_frames_have_orientations_and_those_of_the_ground_channels():
    turned = ("10 deg", "20 deg", "30 deg")
    arm = impeto.Body(name="arm", mass=1, inertia=(1, 1, 1), orientation=(0, 0, "90 deg"))
    r = impeto.simulate(impeto.Model("m", [
        arm, impeto.Frame(name="wall", position=(1, 2, 3), orientation=turned),
        impeto.Frame(name="hand", body="arm", position=(0.5, 0, 0)),
    ]), until=0.1)  # fmt: skip
    np.testing.assert_allclose(r.vector("wall.position")[-1], [1, 2, 3])
    np.testing.assert_allclose(r.vector("wall.velocity"), 0.0)
    np.testing.assert_allclose(
        [r[f"wall.{angle}"][-1] for angle in ("roll", "pitch", "yaw")], np.radians([10, 20, 30])
    )
    assert r["hand.yaw"][-1] == pytest.approx(np.pi / 2)
    assert r["hand.rotation.yx"][-1] == pytest.approx(1.0)
    np.testing.assert_allclose(r.vector("hand.position")[-1], [0, 0.5, 0], atol=1e-12)


def test_channels_as_parquet_are_read_back_with_their_units(saw, tmp_path, monkeypatch):
    path = tmp_path / "saw.parquet"
    saw.export_parquet(path, ["crank_pin.force.x"], units={"crank_pin.force.x": "kN"})
    read = parquet.read_table(path)
    assert read.column_names == ["time", "crank_pin.force.x"]
    assert read.schema.field("crank_pin.force.x").metadata == {b"unit": b"kN"}
    assert read["crank_pin.force.x"].to_numpy() == pytest.approx(saw["crank_pin.force.x"] / 1e3)
    with pytest.raises(impeto.ChannelError):
        saw.export_parquet(tmp_path / "none.parquet", ["no.such"])
    assert not (tmp_path / "none.parquet").exists()
    monkeypatch.setitem(sys.modules, "pyarrow", None)
    with pytest.raises(impeto.FileError, match="pip install"):
        saw.export_parquet(path, ["crank_pin.force.x"])


def test_frames_and_joints_are_placed_where_they_are_in_the_world():
    arm = impeto.Body(name="arm", position=(1, 1, 0), orientation=("30 deg", "20 deg", "70 deg"))
    model = impeto.Model("m", [arm])
    frame = impeto.frame_at(model, "tip", "arm", ("1 m", 2, 0), z=(0, 3, 0), x=(1, 5, 0))
    r = impeto.simulate(
        model.with_element(dataclasses.replace(arm, mass=1, inertia=(1, 1, 1))).with_element(frame),
        until=0.01,
    )
    np.testing.assert_allclose(r.vector("tip.position")[0], [1, 2, 0], atol=1e-9)
    axes = [[r[f"tip.rotation.{i}{j}"][0] for j in "xyz"] for i in "xyz"]
    np.testing.assert_allclose(axes, [[1, 0, 0], [0, 0, 1], [0, -1, 0]], atol=1e-9)
    towards = impeto.frame_at(model, "eye", "ground", to=(0, 0, "-2 m"))
    assert impeto.frame_at(model, "eye", "ground", z=(0, 0, -7)) == towards
    assert impeto.frame_at(model, "eye", "ground", x=(0, 1, 0)).position == towards.position
    for wrong, why in (
        ({"z": (0, 0, 0)}, "z axis says nothing"), ({"z": (1, 0, 0), "x": (2, 0, 0)}, "x axis"),
        ({"z": (1, 0, 0), "to": (1, 0, 0)}, "given twice"), ({"z": (1, 0)}, "three components"),
    ):  # fmt: skip
        with pytest.raises(impeto.ModelError, match=why):
            impeto.frame_at(model, "f", "arm", **wrong)
    with pytest.raises(impeto.ModelError, match="no body 'leg'"):
        impeto.frame_at(model, "f", "leg")


def test_a_joint_at_a_point_holds_as_drawn():
    arm = impeto.Body(name="arm", position=(0.5, 0, 1), shapes=[impeto.Box(size=(1, 0.1, 0.1))])
    model = impeto.Model("m", [impeto.Gravity(name="g"), arm])
    model = impeto.joined(model, "pin", "ground", "arm", (0, 0, 1), z=(0, 1, 0))
    assert not impeto.check(model).findings
    r = impeto.simulate(model, until=1.0)
    np.testing.assert_allclose(r.vector("pin_b.position"), [[0, 0, 1]] * len(r.time), atol=1e-9)
    assert np.ptp(r["arm.position.y"]) < 1e-9
    with pytest.raises(impeto.ModelError, match="there is a pin_a already"):
        impeto.joined(model, "pin", "ground", "arm")


def test_a_typed_mass_is_spread_as_the_shapes_are():
    shapes = [
        impeto.Box(size=(1, 0.2, 0.1), position=(0.3, 0, 0), density="1000 kg/m^3"),
        impeto.Sphere(radius=0.1, position=(-0.3, 0, 0.1), density="500 kg/m^3"),
    ]
    drawn = impeto.Model("m", [impeto.Body(name="b", shapes=shapes)])
    typed = impeto.Model("m", [impeto.Body(name="b", shapes=shapes, mass=7)])
    own, spread = impeto.masses(drawn)["b"], impeto.masses(typed)["b"]
    assert spread.mass == 7.0
    np.testing.assert_allclose(spread.center, own.center)
    np.testing.assert_allclose(spread.inertia, own.inertia * 7.0 / own.mass)
    moved = impeto.Model("m", [impeto.Body(name="b", shapes=shapes, mass=7, center=(0, 0, 0))])
    np.testing.assert_allclose(impeto.masses(moved)["b"].inertia, spread.inertia)
    np.testing.assert_allclose(impeto.masses(moved)["b"].center, 0.0)


def test_a_spring_with_damping_is_a_spring_and_a_damper_side_by_side():
    def hung(*straight):
        weight = impeto.Body(name="w", mass=2, inertia=(1, 1, 1), position=(0, 0, -1))
        frames = [impeto.Frame(name="top"), impeto.Frame(name="eye", body="w")]
        return impeto.simulate(
            impeto.Model("m", [impeto.Gravity(name="g"), weight, *frames, *straight]), until=2.0
        )

    ends = {"frame_a": "top", "frame_b": "eye"}
    one = hung(impeto.Spring(name="s", stiffness=500, damping=6, **ends))
    two = hung(impeto.Spring(name="s", stiffness=500, **ends),
               impeto.Damper(name="d", damping=6, **ends))  # fmt: skip
    np.testing.assert_allclose(one["w.position.z"], two["w.position.z"], atol=1e-9)
    np.testing.assert_allclose(one["s.force"], two["s.force"] + two["d.force"], atol=1e-6)
    np.testing.assert_allclose(one["s.dissipated"], two["d.dissipated"], atol=1e-7)
    assert one.trust.level == "good"
    assert "s.dissipated" not in two.channels("s.")
