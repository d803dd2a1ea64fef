"""A STEP assembly of 300 pieces of 60 parts: from the start of its reader to the first picture, and
what the window does meanwhile. Run: xvfb-run -a .venv/bin/python -m bench.assemblies"""

from __future__ import annotations

import os
import tempfile
import time
from pathlib import Path

import numpy as np
from PyQt6.QtCore import QSettings
from tests.step_files import StepFile, bar, block, cut, place, round_bar

import impeto as im
from impeto.app.document import Document
from impeto.app.main_window import MainWindow
from impeto.app.start import application
from impeto.services import model_file


def yard(path):
    """Bars with two holes, plates with many, rings; their volumes [m³] by name."""
    made, parts, volumes = StepFile("yard"), [], []
    for k in range(60):
        length = 100.0 + 5.0 * k
        if k % 3 == 0:
            shape, bore = bar(length, 20.0), 2 * np.pi * 100.0 * 10.0
            volumes.append((length + 40.0) * 300.0 - bore)
        elif k % 3 == 1:
            count = int(length / 25)
            holes = [round_bar((15 + 20 * i, 40, -5), (0, 0, 1), 6, 60) for i in range(count)]
            shape = cut(block((0, 0, 0), (length, 80, 40)), *holes)
            volumes.append(length * 3200.0 - count * np.pi * 36.0 * 40.0)
        else:
            outer = round_bar((0, 0, 0), (0, 0, 1), 40 + k, 60)
            shape = cut(outer, round_bar((0, 0, -5), (0, 0, 1), 15, 80))
            volumes.append(np.pi * ((40.0 + k) ** 2 - 225.0) * 60.0)
        parts.append(made.part(shape, f"part {k}"))
    for k in range(300):
        at = place(600.0 * (k % 20), 300.0 * (k // 20), 0.0, 0.1 * k)
        made.put(parts[k % 60], f"piece {k}", at)
    made.write(path)
    return {f"piece_{k}": 1e-9 * volumes[k % 60] for k in range(300)}


def main():
    folder = Path(tempfile.mkdtemp())
    os.environ["XDG_CACHE_HOME"] = str(folder / "caches")
    volumes = yard(folder / "yard.step")
    app = application()
    settings = QSettings(str(folder / "settings.ini"), QSettings.Format.IniFormat)
    window = MainWindow(Document(model_file.new_model()), settings)
    window.show()
    while not window.strip.ready:
        app.processEvents()
    began = last = time.perf_counter()
    pauses = []
    window.files.importing.bring_in(folder / "yard.step")
    while window.files.importing.job is not None:
        app.processEvents()
        now = time.perf_counter()
        pauses.append(now - last)
        last = now
        time.sleep(0.002)
    window.grab()
    print(f"from the start of the reader to the picture: {time.perf_counter() - began:.1f} s")
    print(f"longest time without an answer while it was read: {max(pauses[:-1]):.3f} s")
    print(f"taking 300 pieces into the window: {pauses[-1]:.2f} s")
    model = im.freed(window.document.model, volumes)
    masses = im.masses(model)
    off = max(abs(masses[name].mass / (7850 * v) - 1) for name, v in volumes.items())
    print(f"masses against the closed forms: {off:.1e}")
    for what, act in (
        ("choosing two", lambda: window.document.choose(["piece_7", "piece_8"])),
        ("one body of them", window.selection.unite),
        ("all the rest to the ground", window.selection.rest_to_ground),
    ):
        began = time.perf_counter()
        act()
        app.processEvents()
        print(f"{what}: {time.perf_counter() - began:.2f} s")
    window.document._saved = window.document.model
    window.close()


if __name__ == "__main__":
    main()
