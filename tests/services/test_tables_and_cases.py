"""Tables of time histories, several cases in processes, and room on disk."""

import _thread
import subprocess
import sys
import threading
from pathlib import Path

import numpy as np
import pytest

import impeto
from impeto.core.errors import FileError, ModelError
from impeto.core.results.trust import trust
from impeto.services import case_runs, model_file, scratch
from impeto.services.workers import processes
from tests.core.building import body, frame, joint


def pushed(case_values=()):
    """A block on a slide with a load by parameter."""
    cases = [impeto.Case(name=f"case {v}", values={"push_size": v}) for v in case_values]
    return impeto.Model("pushed", [
        impeto.Parameter(name="push_size", value="1 N"), body("b"), frame("g"), frame("f", "b"),
        joint("j", "g", "f", "slide x"),
        impeto.Load(name="push", frame="f", direction=(1, 0, 0), value="push_size"),
    ], cases=cases)  # fmt: skip


@pytest.mark.parametrize("text", [
    "time [s],push [N],temperature\n0,1,20\n1,2,21\n2,-3,22\n",
    "time [s];push [N];temperature\n0,0;1,0;20\n1;2;21\n2;-3;22\n",
    "time [ms]\tpush [N]\ttemperature\n0\t1\t20\n1000\t2\t21\n\n2000\t-3\t22\n",
])  # fmt: skip
def test_tables_with_any_separator_and_unit_become_the_signals_of_their_columns(text, tmp_path):
    path = tmp_path / "bench.csv"
    path.write_text(text)
    data = impeto.import_csv(path, "bench")
    assert data.file == "bench.csv"
    model = impeto.mapped(pushed(), data)
    r = impeto.simulate(model, until=2.0)
    np.testing.assert_allclose(r["push.value"], np.interp(r.time, [0, 1, 2], [1, 2, -3]), atol=1e-9)
    kept = tmp_path / "model.impeto.json"
    impeto.save(model, kept)
    kept_model = impeto.load(kept)  # the numbers travel with the model
    assert kept_model["bench"].columns == data.columns
    r.save(tmp_path / "run.h5")
    again = impeto.open_recording(tmp_path / "run.h5")
    np.testing.assert_array_equal(again["push.value"], r["push.value"])


@pytest.mark.parametrize(("text", "words"), [
    ("time [s],push [N]\n0,1\n", "two of numbers"),
    ("time [s]\n0\n1\n", "two columns"),
    ("time [s],a,a\n0,1,1\n1,2,2\n", "titles that differ"),
    ("time [s],push [N]\n0,1\n1\n", "line 3: 1 values stand under 2 titles"),
    ("time [s],push [N]\n0,x\n1,2\n", "line 2: 'x' is not a number"),
])  # fmt: skip
def test_a_table_that_cannot_be_read_is_refused_with_its_line(text, words, tmp_path):
    path = tmp_path / "bad.csv"
    path.write_text(text)
    with pytest.raises(FileError, match=words):
        impeto.import_csv(path, "bad")
    with pytest.raises(FileError, match="cannot be read"):
        impeto.import_csv(tmp_path / "none.csv", "none")


def test_cases_in_processes_give_what_one_after_the_other_gives():
    model = pushed(("1 N", "2 N", "5 N"))
    told = []
    together = impeto.simulate_all(model, until=0.5, progress=lambda s, _: told.append(s) or True)
    assert list(together) == list(model.cases)
    for name, recording in together.items():
        alone = impeto.simulate(model, name, until=0.5)
        np.testing.assert_array_equal(recording["b.position.x"], alone["b.position.x"])
    assert told
    assert told[-1] <= 1.0


def test_a_case_that_cannot_run_is_named_by_the_processes():
    with pytest.raises(ModelError, match="case 3 m") as caught:
        impeto.simulate_all(pushed(("1 N", "3 m")), until=0.1)
    assert caught.value.element == "push"


def test_a_case_that_fails_is_told_and_the_others_go_on(tmp_path):
    problems, ended = {}, []
    files = case_runs.files_of(("case 1 N", "case 3 m"), tmp_path)
    found = case_runs.simulate_cases(
        pushed(("1 N", "3 m", "2 N")), ["case 3 m", "case 1 N"], "0.1 s", files=files,
        ended=lambda case, _: ended.append(case), problems=problems,
    )  # fmt: skip
    assert list(found) == ended == ["case 1 N"]
    assert list(problems) == ["case 3 m"]
    kept = impeto.open_recording(files["case 1 N"])
    np.testing.assert_array_equal(kept.time, found["case 1 N"].time)


def test_one_case_is_stopped_and_keeps_what_is_solved_while_the_others_end():
    saw = model_file.load_demo("gang_saw")
    long, short = list(saw.cases)[:2]
    model = saw.with_case(impeto.Case(name=long, until="600 s"))
    model = model.changed(settings=impeto.RunSettings(until="0.2 s", outputs="20 Hz"))
    watch = case_runs.CaseWatch([long, short])

    def wanted():
        if watch.shares[long] > 0.0:
            watch.stop(long)
        return True

    watch.watch.wanted = wanted
    found = case_runs.simulate_cases(model, [long, short], watch=watch)
    assert found[long].stopped
    assert 0.0 < found[long].time[-1] < 600.0
    assert found[short].time[-1] == pytest.approx(0.2)


def test_no_two_cases_share_a_file():
    names = ["Wet log", "wet_log", "a/b", "a b", "../x"]
    paths = case_runs.files_of(names, Path("out"), "saw-")
    assert len(set(paths.values())) == len(names)
    assert {path.parent for path in paths.values()} == {Path("out")}


def test_large_arrays_live_in_a_file_and_behave_like_others():
    room = scratch.Scratch()
    small, large = room.allocate((10, 3)), room.allocate((5_000_000,))
    assert small.base is None
    assert isinstance(large.base, np.memmap) or large.base is not None
    large[123] = 4.0
    assert large.sum() == 4.0
    assert large.flags.writeable


def test_trust_turns_amber_and_red_when_energy_is_lost_on_purpose():
    """A damper whose loss is not counted: the audit must see it."""
    from dataclasses import replace

    model = impeto.Model("m", [
        body("b", velocity=(1.0, 0, 0)), frame("g", x=-1.0), frame("f", "b"),
        joint("j", "g", "f", "slide x"),
        impeto.Damper(name="d", frame_a="g", frame_b="f", damping=2.0)])  # fmt: skip
    honest = impeto.simulate(model, until=1.0)
    assert trust(honest).level == "good"
    for share, level in ((0.999, "doubtful"), (0.5, "bad")):
        state = honest.state.copy()
        state[:, 13:] *= share
        assert trust(replace(honest, state=state)).level == level


def test_processes_are_copies_only_where_a_script_has_a_single_thread():
    """A thread of the window is none of Python's list: a copy of that process could hang."""
    told, done = [], threading.Event()

    def ask():
        told.append(processes.new_context().get_start_method())
        done.set()

    _thread.start_new_thread(ask, ())
    assert done.wait(20.0)
    assert told == ["forkserver"]


def test_a_script_needs_no_main_guard_to_solve_cases_at_once(tmp_path):
    """Processes are copies of the script's, or would run it again and again."""
    script = tmp_path / "script.py"
    script.write_text(
        "import impeto\n"
        "from impeto.services import model_file\n"
        "print('began')\n"
        "saw = model_file.load_demo('gang_saw')\n"
        "runs = impeto.simulate_all(saw, list(saw.cases)[:2], until=0.05)\n"
        "print(sorted(runs) == sorted(list(saw.cases)[:2]), [r.stopped for r in runs.values()])\n"
    )
    done = subprocess.run(
        [sys.executable, str(script)], capture_output=True, text=True, timeout=300, check=True
    )
    assert done.stdout.split("\n")[:2] == ["began", "True ['', '']"]
