"""The shell: every command as a process or through main(), with its exit status."""

import os
import subprocess
import sys
from csv import reader

import pytest

import impeto
from impeto.launch import main
from impeto.services import model_file
from tests.conftest import unjudged
from tests.services.test_studies import hanging


@pytest.fixture
def saw(tmp_path, gang_saw):
    path = tmp_path / "saw.impeto.json"
    model_file.save(unjudged(gang_saw), path)
    return path


def test_run_writes_a_recording_and_prints_figures(saw, tmp_path, capsys):
    status = main(["run", str(saw), "--until", "0.2 s", "--out", str(tmp_path)])
    out = capsys.readouterr().out
    assert status == 0
    assert "crank_drive.torque" in out
    assert "energy error" in out
    assert impeto.open_recording(tmp_path / "saw-base.h5").time[-1] == pytest.approx(0.2)


def test_all_cases_and_parameters_set_from_the_shell(saw, tmp_path):
    options = ["--all-cases", "--set", "crank_radius=0.2 m", "--until", "0.1 s"]
    status = main(["run", str(saw), *options, "--out", str(tmp_path / "runs")])
    assert status == 0
    names = sorted(p.name for p in (tmp_path / "runs").iterdir())
    assert names == [
        "saw-base.h5", "saw-heavy_flywheel.h5", "saw-motor_with_droop.h5",
        "saw-no_counterweight.h5",
    ]  # fmt: skip
    r = impeto.open_recording(tmp_path / "runs" / "saw-base.h5")
    stroke = r["frame_eye.position.z"].max() - r["frame_eye.position.z"].min()
    assert stroke <= 0.4 + 1e-9


def test_a_case_that_cannot_be_solved_is_told_and_the_others_are_recorded(saw, tmp_path, capsys):
    odd = impeto.Case(name="Odd", values={"crank_radius": "3 kg"})
    model_file.save(model_file.load(saw).with_case(odd), saw)
    out = tmp_path / "runs"
    assert main(["run", str(saw), "--all-cases", "--until", "0.1 s", "--out", str(out)]) == 1
    told = capsys.readouterr()
    assert "Odd: " in told.err
    assert "Base: recorded in" in told.out
    assert len(list(out.iterdir())) == 4


def test_a_trade_off_and_recordings_of_points_in_the_shell(tmp_path, capsys):
    stiff = impeto.FigureOf(name="stiff", channel="k + 0 N/m*t/(1 s)", figure="max")
    sag = impeto.FigureOf(name="sag", channel="block.position.z", figure="peak")
    path = tmp_path / "hanging.impeto.json"
    model_file.save(hanging().without("high").with_element(stiff).with_element(sag), path)
    asked = ["--vary", "k=1 kN/m : 8 kN/m"]
    told = ["--figure", "sag", "--against", "stiff", "--runs", "40"]
    assert main(["optimise", str(path), *asked, *told]) == 0
    said = capsys.readouterr().out
    assert said.split()[:3] == ["sag", "stiff", "k"]
    assert "of 40 runs" in said
    kept = ["--out", str(tmp_path / "a.study"), "--recordings", str(tmp_path / "points")]
    assert main(["sweep", str(path), "--vary", "k=1 kN/m : 8 kN/m : 2", *kept]) == 0
    assert len(list((tmp_path / "points").iterdir())) == 2


def test_targets_are_a_table_of_all_cases_and_a_missed_one_is_the_status(saw, tmp_path, capsys):
    model = model_file.load(saw)
    for element in (
        impeto.FigureOf(name="bearing", channel="main_bearing.force", figure="max"),
        impeto.Target(name="bearing_lasts", figure="bearing", value="1 MN"),
    ):
        model = model.with_element(element)
    path = tmp_path / "judged.impeto.json"
    model_file.save(model, path)
    given = ["run", str(path), "--all-cases", "--until", "0.2 s", "--out", str(tmp_path)]
    assert main(given) == 0
    told = capsys.readouterr().out.splitlines()
    heads = next(line for line in told if line.startswith(" ") and "Base" in line)
    assert all(case in heads for case in model.cases)
    row = next(line for line in told if line.startswith("bearing_lasts: bearing below 1 MN"))
    assert row.count("met by") == len(model.cases)
    strict = impeto.Target(name="bearing_lasts", figure="bearing", value="1 kN")
    model_file.save(model.with_element(strict), path)
    assert main(given) == 1
    assert "Base: bearing_lasts" in capsys.readouterr().err


def test_diff_tells_fields_and_figures_that_differ(saw, tmp_path, capsys):
    figure = impeto.FigureOf(name="bearing", channel="main_bearing.force", figure="max")
    one = model_file.load(saw).with_element(figure)
    other = one.with_element(impeto.Parameter(name="rim_thickness", value="120 mm"))
    paths = [tmp_path / f"{name}.impeto.json" for name in "ab"]
    runs = [tmp_path / f"{name}.h5" for name in "ab"]
    for model, path, run in zip((one, other), paths, runs, strict=True):
        model_file.save(model, path)
        impeto.simulate(model, "Motor with droop", until=0.2).save(run)
    assert main(["diff", *map(str, paths)]) == 0
    assert "rim_thickness, Value: 90 mm → 120 mm" in capsys.readouterr().out
    assert main(["diff", *map(str, runs)]) == 0
    told = capsys.readouterr().out
    assert "bearing, figure:" in told
    assert " %)" in told
    assert main(["diff", str(paths[0]), str(paths[0])]) == 0
    assert capsys.readouterr().out == "Nothing differs.\n"


def test_check_prints_motions_and_redundancy_and_fails_on_a_bad_model(saw, tmp_path, capsys):
    assert main(["check", str(saw)]) == 0
    out = capsys.readouterr().out
    assert "Redundant: guide_right, slide x" in out
    bad = impeto.load(saw).with_element(impeto.Body(name="stray"))
    model_file.save(bad, saw)
    assert main(["check", str(saw)]) == 1
    assert "stray: it has no mass" in capsys.readouterr().out


def csv_of(path):
    with path.open(newline="") as file:
        return list(reader(file))


def test_export_writes_the_channels_that_words_find(saw, tmp_path, capsys):
    main(["run", str(saw), "--until", "0.1 s", "--out", str(tmp_path)])
    csv = tmp_path / "pin.csv"
    recording = str(tmp_path / "saw-base.h5")
    assert main(["export", recording, "--csv", str(csv), "--channels", "crank_pin.force.x"]) == 0
    assert csv.read_text().splitlines()[0] == "time [s],crank_pin.force.x [N]"
    formulas = "average(rod.pitch, 20 ms), 2*crank_pin.force.x"
    assert main(["export", recording, "--csv", str(csv), "--channels", formulas]) == 0
    heads = next(iter(csv_of(csv)))
    assert heads == ["time [s]", "average(rod.pitch, 20 ms) [rad]", "2*crank_pin.force.x [N]"]
    assert main(["export", recording, "--csv", str(csv), "--channels", "wing"]) == 1
    assert "no channel 'wing'" in capsys.readouterr().err


@pytest.mark.parametrize(
    ("arguments", "status", "words"),
    [
        (["run", "missing.impeto.json"], 1, "cannot be read: no such file"),
        (["check", "missing.impeto.json"], 1, "cannot be read"),
        (["run", "SAW", "--until", "0 s"], 1, "must be greater than zero"),
        (["run", "SAW", "--case", "Nothing"], 1, "There is no case 'Nothing'"),
        (["run", "SAW", "--set", "wing=3"], 1, "'wing' is not a parameter"),
        (["run", "SAW", "--accuracy", "best"], 1, "'best' is not an accuracy"),
    ],
)
def test_failures_are_one_sentence_and_a_status(saw, arguments, status, words, capsys):
    given = [str(saw) if a == "SAW" else a for a in arguments]
    assert main(given) == status
    error = capsys.readouterr().err
    assert words in error
    assert len(error.strip().splitlines()) == 1


def test_wrong_usage_exits_with_two():
    with pytest.raises(SystemExit) as error:
        main(["fly"])
    assert error.value.code == 2


def without_display():
    return {k: v for k, v in os.environ.items()
            if k not in ("DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM")}  # fmt: skip


def test_the_demo_without_a_display_does_the_same_job_headless(tmp_path):
    done = subprocess.run(
        [sys.executable, "-m", "impeto", "demo"],
        cwd=tmp_path, env=without_display(), capture_output=True, text=True, timeout=120,
    )  # fmt: skip
    assert done.returncode == 0, done.stderr
    assert "There is no display" in done.stdout
    assert "crank_pin.force" in done.stdout
    folder = tmp_path / "impeto-demo-gang_saw"
    assert str(folder) in done.stdout
    assert {p.suffix for p in folder.iterdir()} >= {".h5", ".csv", ".png"}
    assert (folder / "gang_saw.png").stat().st_size > 30_000


def test_the_window_without_a_display_says_so():
    done = subprocess.run(
        [sys.executable, "-m", "impeto"], env=without_display(), capture_output=True, text=True
    )
    assert done.returncode == 1
    assert "There is no display" in done.stderr


def test_headless_use_imports_neither_qt_nor_the_3d_view():
    script = (
        "import sys, impeto, impeto.launch;"
        "print([m for m in ('PyQt6', 'vtkmodules', 'pyqtgraph') if m in sys.modules])"
    )
    done = subprocess.run(
        [sys.executable, "-c", script], capture_output=True, text=True, check=True
    )
    assert done.stdout.strip() == "[]"


def test_a_second_process_compiles_nothing(tmp_path):
    """The kernels come from the cache: no new file appears in it."""
    from pathlib import Path

    root = Path(impeto.__file__).parent / "core"
    before = {(p, p.stat().st_mtime_ns) for p in root.rglob("*.nb*")}
    script = "import impeto.services.warmup as w; w.prepare()"
    subprocess.run([sys.executable, "-c", script], check=True)
    assert before
    assert {(p, p.stat().st_mtime_ns) for p in root.rglob("*.nb*")} == before


@pytest.fixture
def hung(tmp_path, monkeypatch):
    """A mass on a spring with a figure and a target, in the present folder."""
    from tests.services.test_studies import hanging

    monkeypatch.chdir(tmp_path)
    model_file.save(hanging(), tmp_path / "hung.impeto.json")
    return str(tmp_path / "hung.impeto.json")


def test_a_sweep_prints_figures_writes_a_table_and_goes_on_where_it_was(hung, tmp_path, capsys):
    vary = ["sweep", hung, "--vary", "k=1 kN/m:4 kN/m:4", "--vary", "mass=5 kg, 10 kg"]
    assert main([*vary, "--csv", "points.csv"]) == 0
    said = capsys.readouterr().out
    assert said.startswith("8 runs on ")
    assert "kept in hung.study" in said
    assert "7 of 8 meet all targets; 0 failed" in said
    with (tmp_path / "points.csv").open() as file:
        rows = list(reader(file))
    assert rows[0] == [
        "point",
        "k [N/m]",
        "mass [kg]",
        "lowest",
        "margin of high",
        "met",
        "problem",
    ]
    assert float(rows[2][3]) == pytest.approx(-0.1961, rel=1e-3)
    assert rows[2][5] == "no"
    assert main(vary) == 0
    assert (tmp_path / "hung.study").exists()
    assert main(["sweep", hung, "--vary", "mass=0 kg, 5 kg", "--out", "other.study"]) == 1
    assert "1 failed" in capsys.readouterr().out


@pytest.mark.parametrize(("options", "said"), [
    (["sweep", "--vary", "m=1:2:3"], "'m' is not a parameter"),
    (["sweep", "--vary", "k"], "says no values"),
    (["sweep", "--sweep", "none"], "there is no sweep 'none'"),
    (["sweep", "--vary", "k=1 N/m : 2 N/m : 9999", "--vary", "mass=1 kg : 2 kg : 999"],
     "add --yes"),
    (["sweep", "--vary", "k=4 kN/m, 5 kN/m", "--scheduler", "tcp://127.0.0.1:1"],
     "No Dask scheduler answers"),
    (["optimise", "--vary", "k=1 kN/m:2 kN/m", "--figure", "deepest"], "no figure 'deepest'"),
])  # fmt: skip
def test_studies_that_cannot_be_are_told(hung, options, said, capsys):
    assert main([options[0], hung, *options[1:]]) == 1
    assert said.lower() in capsys.readouterr().err.lower()


def test_best_values_and_sensitivities_in_the_shell(hung, tmp_path, capsys):
    options = ["--vary", "mass=5 kg : 20 kg", "--figure", "lowest", "--runs", "30"]
    assert main(["optimise", hung, *options, "--out", "best.impeto.json"]) == 0
    assert "lowest: −100" in capsys.readouterr().out
    best = impeto.load(tmp_path / "best.impeto.json").cases["Best"].values["mass"].si
    assert best == pytest.approx(0.1 * 2000 / (2 * 9.80665), rel=1e-3)
    assert main(["sensitivities", hung]) == 0
    lines = {line.split()[0]: line.split()[-1] for line in capsys.readouterr().out.splitlines()}
    assert float(lines["k"]) == pytest.approx(-1.0, abs=2e-3)
    assert float(lines["mass"]) == pytest.approx(1.0, abs=2e-3)
