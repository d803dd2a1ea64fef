"""Memory of a run of 100 bodies, 10 s at 1000 outputs per second, and how fast it is cancelled.

Run: .venv/bin/python bench/memory.py
"""

from __future__ import annotations

import resource
import time
from dataclasses import replace

from chains import chain

import impeto


def memory():
    """(private, file-backed) resident memory in MB."""
    found = {}
    with open("/proc/self/status") as status:
        for line in status:
            key, _, value = line.partition(":")
            if key in ("RssAnon", "RssFile"):
                found[key] = int(value.split()[0]) / 1024
    return found["RssAnon"], found["RssFile"]


def main():
    model = chain(100)
    model = model.changed(settings=replace(model.settings, outputs="1 kHz"))
    asked = [0.0]

    def stop(share, solved):
        if share > 0.01 and not asked[0]:
            asked[0] = time.perf_counter()
        return not asked[0]

    impeto.simulate(model, until=10.0, tol="draft", progress=stop)
    print(f"cancelled after {time.perf_counter() - asked[0]:.3f} s")
    recording = impeto.simulate(model, until=10.0, tol="draft")
    private, file = memory()
    peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
    print(f"{len(recording.time)} outputs of {recording.state.shape[1]} states: "
          f"private {private:.0f} MB, file-backed {file:.0f} MB, peak {peak:.0f} MB, "
          f"{recording.statistics.wall_seconds:.1f} s")  # fmt: skip


if __name__ == "__main__":
    main()
