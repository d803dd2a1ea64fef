"""Where runs are solved: in processes, on a cluster; what is killed, lost or stopped on the way."""

import contextlib
import gc
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
from impeto.services import case_runs
from impeto.services.studies import tasks
from impeto.services.workers.processes import Processes
from impeto.services.workers.task import DIED, Watch
from tests.services.test_studies import MASS, hanging


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


class Owner:
    """Something in a cycle, as windows are, that does something to the world when it goes."""

    def __init__(self, path):
        self.own, self.path = self, path

    def __del__(self):
        self.path.touch()


class Collecting:
    """A task whose runs look for garbage, and say whether the owner went with it."""

    def __init__(self, path):
        self.path = path

    def run(self, number, item, wanted, tell):
        gc.collect()
        return self.path.exists()

    def lost(self, item, why):
        return why


def test_a_copied_process_throws_nothing_away_that_it_was_copied_with(tmp_path, monkeypatch):
    from impeto.services.workers import processes

    copied = multiprocessing.get_context("fork")
    monkeypatch.setattr(processes, "new_context", lambda: copied)
    was = gc.isenabled()
    gc.disable()
    try:
        Owner(tmp_path / "gone")
        answers = dict(
            (where := Processes(1)).answers(Collecting(tmp_path / "gone"), {0: 0}, Watch())
        )
        where.close()
    finally:
        if was:
            gc.enable()
    assert answers == {0: False}
    gc.collect()
    assert (tmp_path / "gone").exists()


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
from tests.services.test_workers import Slow
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


def test_a_cluster_that_loses_all_its_workers_is_not_waited_for_without_end(tmp_path, monkeypatch):
    from impeto.services.workers import cluster as module

    monkeypatch.setattr(module, "LONELY", 1.0)
    with cluster(1) as (address, jobs), cluster_at(address) as where:

        def progress(done, _of, _number, _answer):
            if done == 3:
                jobs[1].kill()
            return True

        with pytest.raises(module.ClusterError, match="has no workers any more"):
            impeto.sweep(hanging(), {"k": "1 kN/m : 4 kN/m : 4000"}, tmp_path / "a.study",
                         workers=where, progress=progress)  # fmt: skip


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
