"""What a script uses beside the elements."""

import csv

import numpy as np
import pytest

import impeto


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


def test_masses_are_those_of_the_drawn_bodies_in_the_world():
    model = impeto.Model("m", [
        impeto.Body(name="a", mass=2, inertia=(1, 2, 3), position=(1, 0, 0)),
        impeto.Body(name="b", mass=1, inertia=(1, 1, 1), orientation=("90 deg", 0, 0)),
    ])  # fmt: skip
    found = impeto.masses(model)
    assert found[""].mass == 3.0
    np.testing.assert_allclose(found[""].center, [2 / 3, 0, 0])
    np.testing.assert_allclose(np.diag(found[""].inertia), [2.0, 3 + 2 / 3, 4 + 2 / 3])
