"""Sweeps: one process against two, a local Dask cluster, overhead of a point, in one run.

Run: .venv/bin/python bench/sweep.py
"""

from __future__ import annotations

import subprocess
import sys
import time
from dataclasses import replace
from pathlib import Path

from distributed.utils import open_port

import impeto
from impeto.core.studies.point import solve_point
from impeto.services import model_file
from impeto.services.studies.sweeping import asked_of
from impeto.services.workers.cluster import Cluster
from impeto.services.workers.processes import Processes

RUNS = 200
ROUNDS = 3  # by turns, as a machine is faster at one time than at another


def main():
    model = model_file.load_demo("gang_saw").with_element(
        impeto.FigureOf(name="bearing", channel="main_bearing.force", figure="RMS")
    )
    model = model.changed(settings=replace(model.settings, until="4 s"))
    vary = {"rim_thickness": f"60 mm : 200 mm : {RUNS}"}
    varied = tuple(impeto.Varied(parameter=n, values=v) for n, v in vary.items())
    whole = asked_of(model, impeto.ParameterSweep(name="s", vary=varied))
    solve_point(whole.asked, whole.values[0])
    began = time.perf_counter()
    alone = sum(solve_point(whole.asked, point).seconds for point in whole.values[:50])
    print(f"a point in this process: {1e3 * alone / 50:.1f} ms, "
          f"{20.0 * (time.perf_counter() - began - alone):.2f} ms beside the solve")  # fmt: skip
    spent = {}
    for count in (1, 2):
        spent[count] = swept(model, vary, Processes(count))
        print(f"{RUNS} runs in {count} processes: {spent[count]:.1f} s, "
              f"{1e3 * (spent[count] * count - RUNS * alone / 50) / RUNS:.1f} ms "
              "a point beside the solve")  # fmt: skip
    print(f"two against one: {spent[1] / spent[2]:.2f} times")
    port = open_port()
    address, dask = f"tcp://127.0.0.1:{port}", str(Path(sys.executable).with_name("dask"))
    quiet = {"stdout": subprocess.DEVNULL, "stderr": subprocess.DEVNULL}
    jobs = [subprocess.Popen([dask, "scheduler", "--host", "127.0.0.1", "--port", str(port),
                              "--no-dashboard"], **quiet)]  # fmt: skip
    jobs += [subprocess.Popen([dask, "worker", address, "--nthreads", "1", "--no-dashboard"],
                              **quiet) for _ in range(2)]  # fmt: skip
    try:
        where = Cluster(address, 60.0)
        while where.count < 2:
            time.sleep(0.2)
            where.count = sum(where._client.nthreads().values())
        swept(model, {"rim_thickness": "60 mm : 200 mm : 4"}, where)
        rounds = [(swept(model, vary, where), swept(model, vary, Processes(2)))
                  for _ in range(ROUNDS)]  # fmt: skip
        by_dask, here = (sum(seconds) for seconds in zip(*rounds, strict=True))
        each = ", ".join(f"{a / b:.2f}" for a, b in rounds)
        print(f"by Dask: {by_dask:.1f} s, {by_dask / here:.2f} of two processes ({each})")
        where.close()
    finally:
        for job in jobs:
            job.kill()


def swept(model, vary, where):
    began = time.perf_counter()
    impeto.sweep(model, vary, workers=where)
    spent = time.perf_counter() - began
    if isinstance(where, Processes):
        where.close()
    return spent


if __name__ == "__main__":
    main()
