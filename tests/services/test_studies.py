"""Many runs: in processes, on a cluster, kept on disk, gone on with after an end by force."""

import sqlite3

import numpy as np
import pytest

import impeto
from impeto.core.errors import FileError, ModelError
from impeto.core.model.studies import Fit, Optimisation, Varied
from impeto.services import model_file
from impeto.services.studies.study_file import StudyFile

STIFF, MASS = "1 kN/m : 4 kN/m : 4", "5 kg, 10 kg"


def hanging(limit="-100 mm", fails="0 N"):
    """A mass that is let go on a spring: it goes down by 2 m g/k."""
    return impeto.Model("hanging", [
        impeto.Gravity(name="gravity"), impeto.Parameter(name="k", value="2 kN/m"),
        impeto.Parameter(name="mass", value="10 kg"),
        impeto.Body(name="block", mass="mass", inertia=(1, 1, 1)),
        impeto.Frame(name="top", position=(0, 0, 1)), impeto.Frame(name="eye", body="block"),
        impeto.Spring(name="spring", frame_a="top", frame_b="eye", stiffness="k",
                      free_length="1 m"),
        impeto.Joint(name="guide", frame_a="top", frame_b="eye", free=["slide z"]),
        impeto.FigureOf(name="lowest", channel="block.position.z", figure="min"),
        impeto.Target(name="high", figure="lowest", limit="above", value=limit),
    ], settings=impeto.RunSettings(until="0.6 s", outputs=2000))  # fmt: skip


def closed_form(values):
    return -2.0 * values[:, 1] * 9.80665 / values[:, 0]


def test_a_sweep_in_processes_has_the_figures_of_the_closed_form(tmp_path):
    told = []

    def progress(done, of, number, answer):
        told.append((done, of))
        return True

    found = impeto.sweep(hanging(), {"k": STIFF, "mass": MASS}, tmp_path / "a.study",
                         progress=progress)  # fmt: skip
    exact = closed_form(found.values)
    assert found.figures["lowest"] == pytest.approx(exact, rel=1e-4)
    assert found.margins["high"] == pytest.approx((exact + 0.1) / 0.1, abs=1e-3)
    assert found.meets.tolist() == (exact >= -0.1).tolist()
    assert told == [(k + 1, 8) for k in range(8)]
    one = impeto.simulate(found.model_at(5))
    assert one["block.position.z"].min() == found.figures["lowest"][5]


def test_a_sweep_that_was_stopped_is_gone_on_with_and_nothing_is_solved_twice(tmp_path):
    path, vary, solved = tmp_path / "a.study", {"k": "1 kN/m : 4 kN/m : 30"}, []

    def some(done, _of, number, _answer):
        solved.append(number)
        return done < 7

    part = impeto.sweep(hanging(), vary, path, progress=some)
    assert 7 <= len(part.answers) < 30
    assert not part.is_whole
    assert np.isnan(part.figures["lowest"]).sum() == 30 - len(part.answers)

    def rest(_done, _of, number, _answer):
        solved.append(number)
        return True

    whole = impeto.sweep(hanging(), vary, path, progress=rest)
    assert whole.is_whole
    assert sorted(solved) == list(range(30))
    assert impeto.sweep(hanging(), vary, path, progress=rest).figures["lowest"].tolist() == (
        whole.figures["lowest"].tolist()
    )
    assert len(solved) == 30


def test_a_point_that_is_solved_but_has_no_recording_gets_one(tmp_path):
    vary = {"k": "1 kN/m : 4 kN/m : 3"}
    impeto.sweep(hanging(), vary, tmp_path / "a.study")
    solved = []
    for _ in range(2):
        found = impeto.sweep(
            hanging(), vary, tmp_path / "a.study", recordings=tmp_path / "points",
            progress=lambda done, of, number, answer: solved.append(number) or True,
        )  # fmt: skip
    assert sorted(solved) == [0, 1, 2]  # once
    for number, lowest in enumerate(found.figures["lowest"]):
        kept = impeto.open_recording(tmp_path / "points" / f"point-{number:05d}.h5")
        assert kept["block.position.z"].min() == lowest


def test_points_of_another_model_are_not_mixed_in(tmp_path):
    impeto.sweep(hanging(), {"mass": MASS}, tmp_path / "a.study")
    for model, vary in ((hanging("-90 mm"), {"mass": MASS}), (hanging(), {"mass": "5 kg, 11 kg"})):
        with pytest.raises(FileError, match="points of another model, case or sweep"):
            impeto.sweep(model, vary, tmp_path / "a.study")
    (tmp_path / "b.study").write_text("no data base at all, but long enough to be taken for one")
    with pytest.raises(FileError, match=r"b\.study is not a file of solved points"):
        impeto.sweep(hanging(), {"mass": MASS}, tmp_path / "b.study")


def test_a_file_of_points_with_nonsense_is_refused(tmp_path):
    StudyFile(tmp_path / "a.study", "key").close()
    base = sqlite3.connect(tmp_path / "a.study")
    base.execute("INSERT INTO point VALUES (0, '[]', '[1, 2]', '{}', '', 1.0, '{}')")
    base.commit()
    base.close()
    with pytest.raises(FileError, match=r"a\.study cannot be read"):
        StudyFile(tmp_path / "a.study", "key").solved()


def test_points_that_fail_are_points_with_their_reason():
    found = impeto.sweep(hanging(), {"mass": "0 kg, 5 kg, -1 kg"})
    assert sorted(found.problems) == [0, 2]
    assert all("block" in problem for problem in found.problems.values())
    assert np.isfinite(found.figures["lowest"]).tolist() == [False, True, False]
    share = found.share_met()
    assert (share.met, share.solved) == (1, 3)
    assert share.low < 1 / 3 < share.high
    with pytest.raises(ModelError, match="no figure to sweep"):
        impeto.sweep(hanging().without("high").without("lowest"), {"mass": MASS})


# Searches


def test_sensitivities_of_a_machine_are_those_of_the_closed_form():
    found = {s.parameter: s for s in impeto.sensitivities(hanging(), ["k", "mass"])}
    assert found["k"].elasticity == pytest.approx(-1.0, rel=1e-3)
    assert found["mass"].elasticity == pytest.approx(1.0, rel=1e-3)
    with pytest.raises(ModelError, match="'m' is not a parameter"):
        impeto.sensitivities(hanging(), ["m"])


def test_the_scatter_of_a_figure_is_shared_out_among_parameters():
    """2 m g/k: with the same relative scatter mass and stiffness weigh alike."""
    vary = {"k": "normal(2 kN/m, 40 N/m)", "mass": "normal(10 kg, 0.2 kg)"}
    found = impeto.variance(hanging(), vary, 128)[0]
    assert found.first == pytest.approx([0.5, 0.5], abs=0.1)
    assert found.total == pytest.approx([0.5, 0.5], abs=0.1)


def test_the_softest_spring_that_meets_a_target_is_found_and_becomes_a_case():
    model = hanging().with_element(
        impeto.FigureOf(name="stiff", channel="k + 0 N/m*t/(1 s)", figure="max")
    )
    study = Optimisation(name="search", vary=[Varied(parameter="k", values="1 kN/m : 8 kN/m")],
                         figure="stiff", runs=40)  # fmt: skip
    found = impeto.optimise(model, study)
    assert found.values["k"] == pytest.approx(2 * 10 * 9.80665 / 0.1, rel=1e-3)
    solved = impeto.simulate(found.with_case("Best"), "Best")
    assert solved.judged().targets[0].margin == pytest.approx(0.0, abs=1e-3)
    for vary, said in (("2 kN/m, 3 kN/m", "needs two bounds"), ("9 kN/m : 1 kN/m", "reversed")):
        study = Optimisation(name="s", vary=[Varied(parameter="k", values=vary)], figure="stiff")
        with pytest.raises(ModelError, match=said):
            impeto.optimise(model, study)


def slide():
    """A block on a sprung slide with damper and dry friction, let go 200 mm from its middle."""
    behaviours = (
        impeto.Behaviour(freedom="slide x", stiffness="k", damping="c", free_position=0.0),
        impeto.Friction(freedom="slide x", kinetic=0.0, constant="dry"),
        impeto.StartValue(freedom="slide x", position="200 mm", speed=0.0),
    )
    return impeto.Model("slide", [
        impeto.Parameter(name="k", value="3 kN/m"), impeto.Parameter(name="c", value="20 N*s/m"),
        impeto.Parameter(name="dry", value="12 N"),
        impeto.Body(name="block", mass=15.0, inertia=(1, 1, 1)),
        impeto.Frame(name="rail"), impeto.Frame(name="eye", body="block"),
        impeto.Joint(name="guide", frame_a="rail", frame_b="eye", free=["slide x"],
                     behaviours=behaviours),
    ])  # fmt: skip


def test_stiffness_damping_and_friction_of_a_slide_are_found_from_its_noisy_curve(tmp_path):
    """1 % of noise on its own curve, 2000 readings: each value within 1 %."""
    model = slide()
    curve = impeto.simulate(model, until=2.0, outputs=1000.0)
    noise = 0.01 * 0.2 * np.random.default_rng(4).normal(size=len(curve.time))
    lines = [f"{t},{x}" for t, x in
             zip(curve.time, curve["guide.slide_x.position"] + noise, strict=True)]  # fmt: skip
    (tmp_path / "measured.csv").write_text("\n".join(["t [s],x [m]", *lines]))
    model = model.with_element(impeto.import_csv(tmp_path / "measured.csv", "measured"))
    vary = {"k": "1 kN/m : 6 kN/m", "c": "0 N*s/m : 80 N*s/m", "dry": "0 N : 40 N"}
    study = Fit(name="fit", vary=[Varied(parameter=n, values=v) for n, v in vary.items()],
                channel="guide.slide_x.position", dataset="measured", column="x")  # fmt: skip
    start = model.with_element(impeto.Parameter(name="k", value="2 kN/m"))
    start = start.with_element(impeto.Parameter(name="c", value="50 N*s/m"))
    start = start.with_element(impeto.Parameter(name="dry", value="3 N"))
    _, found = impeto.fit(start, study)
    assert found.values == pytest.approx([3000.0, 20.0, 12.0], rel=0.01)
    assert found.left == pytest.approx(0.002, rel=0.1)
    with pytest.raises(ModelError, match="'y' is no column of measured"):
        impeto.fit(start, Fit(name="f", vary=study.vary, channel=study.channel,
                              dataset="measured", column="y"))  # fmt: skip


def test_studies_are_kept_in_model_files(tmp_path):
    study = Optimisation(name="search", vary=[Varied(parameter="k", values="1 kN/m : 8 kN/m")],
                         figure="lowest")  # fmt: skip
    model = (
        hanging()
        .with_element(study)
        .with_element(
            impeto.ParameterSweep(name="wide", vary=[Varied(parameter="mass", values=MASS)])
        )
    )
    impeto.save(model, tmp_path / "m.impeto.json")
    again = impeto.load(tmp_path / "m.impeto.json")
    assert again == model
    assert again.renamed("k", "stiffness")["search"].vary[0].parameter == "stiffness"
    assert impeto.sweep(again, again["wide"]).figures["lowest"] == pytest.approx(
        [-0.0490333, -0.0980665], rel=1e-4
    )
    assert model_file.parse(model_file.to_text(model)) == model
