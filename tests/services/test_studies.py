"""Many runs: in processes, on a cluster, kept on disk, gone on with after an end by force."""

import contextlib
import importlib.metadata
import multiprocessing
import os
import signal
import sqlite3
import subprocess
import sys
import time
from contextlib import contextmanager
from pathlib import Path

import numpy as np
import pytest

import impeto
from impeto.core.errors import FileError, ModelError
from impeto.core.model.studies import Fit, Optimisation, Varied
from impeto.services import case_runs, model_file
from impeto.services.studies import tasks
from impeto.services.studies.study_file import StudyFile
from impeto.services.workers.processes import Processes
from impeto.services.workers.task import DIED, Watch

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


def die_at(asked, values, wanted, keep):
    """In place of a run: its process ends, as where memory runs out."""
    os.kill(os.getpid(), signal.SIGKILL)


def test_a_run_whose_process_dies_is_a_point_that_failed(monkeypatch):
    from impeto.services.workers import processes

    monkeypatch.setattr(tasks, "solve_point", die_at)
    copied = multiprocessing.get_context("fork")  # else a process does not know of the line above
    monkeypatch.setattr(processes, "new_context", lambda: copied)
    found = impeto.sweep(hanging(), {"mass": MASS}, workers=(where := Processes(2)))
    where.close()
    assert found.problems == {0: DIED, 1: DIED}


SCRIPT = """
import sys
sys.path.insert(0, {root!r})
import impeto
from tests.services.test_studies import hanging
impeto.sweep(hanging(), {{"k": "1 kN/m : 4 kN/m : 60"}}, {path!r})
"""


def killed_and_continued(path, wait):
    """How many points were kept when it was killed after `wait`; just the rest is solved then."""
    script = SCRIPT.format(root=str(Path(__file__).parents[2]), path=str(path))
    run = subprocess.Popen([sys.executable, "-c", script], start_new_session=True)
    while not path.exists() and run.poll() is None:
        time.sleep(0.01)
    wait(run)
    os.killpg(run.pid, signal.SIGKILL)
    run.wait()
    there, kept = _numbers_in(path), []
    whole = impeto.sweep(
        hanging(),
        {"k": "1 kN/m : 4 kN/m : 60"},
        path,
        progress=lambda done, of, number, answer: kept.append(number) or True,
    )
    assert whole.is_whole
    assert whole.figures["lowest"] == pytest.approx(-20.0 * 9.80665 / whole.values[:, 0], rel=1e-4)
    assert sorted([*there, *kept]) == list(range(60))  # none lost, none solved twice
    return len(there)


def _numbers_in(path):
    """Of the points that a file holds, read by nothing of ours."""
    with contextlib.closing(sqlite3.connect(path)) as base:
        try:
            return [row[0] for row in base.execute("SELECT number FROM point")]
        except sqlite3.OperationalError:  # killed before it had a table
            return []


ORPHANS = """
import sys, os
sys.path.insert(0, {root!r})
import impeto
from tests.services.test_studies import Slow
from impeto.services.workers.processes import Processes
from impeto.services.workers.task import Watch
where = Processes(2)
for _ in where.answers(Slow(), {{k: None for k in range(4)}}, Watch()):
    pass
"""


class Slow:
    """A task whose runs say in which process they are, and take long."""

    def run(self, number, item, wanted, tell):
        print(os.getpid(), flush=True)
        time.sleep(600.0)

    def lost(self, item, why):
        return why


def goes_on(number):
    """Whether a process is there, and more than what is left of one that nobody buried."""
    try:
        return "\nState:\tZ" not in Path(f"/proc/{number}/status").read_text()
    except OSError:
        return False


def test_processes_end_when_the_one_that_asks_is_killed():
    script = ORPHANS.format(root=str(Path(__file__).parents[2]))
    run = subprocess.Popen([sys.executable, "-c", script], stdout=subprocess.PIPE, text=True)
    numbers = [int(run.stdout.readline()) for _ in range(2)]
    run.kill()
    run.wait()
    ended = time.monotonic() + 30.0
    while any(map(goes_on, numbers)):
        assert time.monotonic() < ended, "they go on for nobody"
        time.sleep(0.1)
    run.stdout.close()


@pytest.mark.parametrize("kept", [0, 1])
def test_a_sweep_that_is_killed_goes_on_where_it_was(tmp_path, kept):
    path = tmp_path / "killed.study"

    def some_are_kept(run):  # however slow the machine is
        while run.poll() is None and len(_numbers_in(path)) < kept:
            time.sleep(0.002)

    assert kept <= killed_and_continued(path, some_are_kept) <= 60


@pytest.mark.slow
def test_a_sweep_that_is_killed_twenty_times_at_random_loses_nothing(tmp_path):
    rng = np.random.default_rng(3)
    for k in range(20):
        killed_and_continued(tmp_path / f"{k}.study", lambda run: time.sleep(rng.uniform(0.0, 1.5)))


# A cluster


@contextmanager
def cluster(workers, nanny=False):
    """A scheduler and workers in processes of their own, on this machine; its address."""
    from distributed.utils import open_port

    port = open_port()
    address = f"tcp://127.0.0.1:{port}"
    quiet = {"stdout": subprocess.DEVNULL, "stderr": subprocess.DEVNULL}
    dask = str(Path(sys.executable).with_name("dask"))
    jobs = [subprocess.Popen([dask, "scheduler", "--host", "127.0.0.1", "--port", str(port),
                              "--no-dashboard"], **quiet)]  # fmt: skip
    nurse = "--nanny" if nanny else "--no-nanny"
    jobs += [subprocess.Popen([dask, "worker", address, "--nthreads", "1", "--no-dashboard",
                               nurse], **quiet) for _ in range(workers)]  # fmt: skip
    try:
        yield address, jobs
    finally:
        for job in jobs:
            job.terminate() if nanny else job.kill()  # a nanny takes its worker with it
            job.wait()


def test_a_cluster_gives_what_processes_give_and_a_lost_worker_costs_no_point(tmp_path):
    from impeto.services.workers.cluster import Cluster

    vary = {"k": "1 kN/m : 4 kN/m : 40"}
    with cluster(2) as (address, jobs):
        where = Cluster(address, 60.0)
        assert where.count >= 1

        def progress(done, _of, _number, _answer):
            if done == 5 and jobs[1].poll() is None:
                jobs[1].kill()
            return True

        found = impeto.sweep(hanging(), vary, tmp_path / "a.study", workers=where,
                             progress=progress)  # fmt: skip
        where.close()
    here = impeto.sweep(hanging(), vary)
    assert found.is_whole
    assert found.figures["lowest"].tolist() == here.figures["lowest"].tolist()


def test_cases_and_recordings_go_through_a_cluster_and_a_shared_folder(tmp_path):
    cases = [
        impeto.Case(name=name, values={"k": k}) for name, k in (("soft", 1000), ("odd", "1 s"))
    ]
    model = hanging().changed(cases=cases)
    problems = {}
    with cluster(1) as (address, _):
        found = impeto.simulate_all(model, workers=address, folder=tmp_path / "runs",
                                    problems=problems)  # fmt: skip
        swept = impeto.sweep(hanging(), {"k": "1 kN/m : 2 kN/m : 2"}, workers=address,
                             recordings=tmp_path / "swept")  # fmt: skip
        with cluster_at(address) as where:
            stopped = stopped_run(where)
    assert list(found) == ["soft"]
    assert "odd" in str(problems["odd"]) or "spring" in str(problems["odd"])
    kept = impeto.open_recording(tmp_path / "runs" / "soft.h5")
    assert kept["block.position.z"].min() == pytest.approx(-2 * 10 * 9.80665 / 1000, rel=1e-4)
    for number in range(2):
        point = impeto.open_recording(tmp_path / "swept" / f"point-{number:05d}.h5")
        assert point.model == swept.model_at(number)
        assert point["block.position.z"].min() == swept.figures["lowest"][number]
    assert stopped.stopped
    assert 0.0 < stopped.time[-1] < 1e5


@contextmanager
def cluster_at(address):
    from impeto.services.workers.cluster import Cluster

    where = Cluster(address, 60.0)
    yield where
    where.close()


def stopped_run(where):
    """A long run that is ended as soon as it says how far it is."""
    model = hanging().changed(settings=impeto.RunSettings(outputs="10 Hz"))
    watch = case_runs.CaseWatch(["Base"], lambda share, _: share == 0.0)
    return case_runs.simulate_cases(model, ["Base"], "1e5 s", watch=watch, workers=where)["Base"]


class Deadly:
    """A task of which one run ends the process that it is in."""

    def run(self, number, item, wanted, tell):
        if item == "deadly":
            os.kill(os.getpid(), signal.SIGKILL)
        return number

    def lost(self, item, why):
        return why


def test_runs_beside_one_that_kills_its_process_are_solved():
    items = {0: "deadly"} | dict.fromkeys(range(1, 9), "harmless")
    answers = dict((where := Processes(2)).answers(Deadly(), items, Watch()))
    where.close()
    assert answers == {number: number or DIED for number in range(9)}


@pytest.mark.slow
def test_runs_that_share_a_job_with_one_that_kills_its_worker_are_tried_singly(monkeypatch):
    """Workers start again; the scheduler gives a job up at once."""
    monkeypatch.setenv("DASK_DISTRIBUTED__SCHEDULER__ALLOWED_FAILURES", "0")
    monkeypatch.setenv("PYTHONPATH", os.pathsep.join([str(Path(__file__).parents[2]), *sys.path]))
    items = dict.fromkeys(range(40), "harmless") | {17: "deadly"}
    with cluster(1, nanny=True) as (address, _), cluster_at(address) as where:
        answers = dict(where.answers(Deadly(), items, Watch()))
    assert answers == {number: DIED if number == 17 else number for number in range(40)}


def test_a_cluster_that_cannot_be_used_or_goes_away_is_told_in_a_sentence(tmp_path, monkeypatch):
    from impeto.services.workers.cluster import Cluster, ClusterError

    with pytest.raises(ClusterError, match=r"No Dask scheduler answers at tcp://127\.0\.0\.1:1"):
        Cluster("tcp://127.0.0.1:1", 1.0)
    with pytest.raises(ClusterError, match="No Dask scheduler answers at nonsense"):
        Cluster("nonsense", 1.0)
    with cluster(1) as (address, jobs):
        with monkeypatch.context() as other:
            other.setattr(importlib.metadata, "version", lambda name: "99.0")
            with pytest.raises(ClusterError, match=r"has Impeto [\d.]+, this is 99\.0: install"):
                Cluster(address, 60.0)
        where = Cluster(address, 60.0)

        def progress(done, _of, _number, _answer):
            if done == 3:
                jobs[0].kill()
            return True

        with pytest.raises(ClusterError, match=r"was lost\. What was solved is kept"):
            impeto.sweep(hanging(), {"k": "1 kN/m : 4 kN/m : 400"}, tmp_path / "a.study",
                         workers=where, progress=progress)  # fmt: skip
        where.close()
    kept = impeto.sweep(hanging(), {"k": "1 kN/m : 4 kN/m : 400"}, tmp_path / "a.study",
                        progress=lambda *_: False)  # fmt: skip
    assert len(kept.answers) >= 3


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
