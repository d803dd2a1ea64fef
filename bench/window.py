"""The window: warm start, CPU per frame of playback, redraw of a full chart.
Run under a display or Xvfb: xvfb-run -a .venv/bin/python bench/window.py"""

from __future__ import annotations

import subprocess
import sys
import tempfile
import time
from pathlib import Path

import numpy as np

WARM_START = """
import time; began = time.perf_counter()
from PyQt6.QtCore import QSettings
from impeto.app.start import application
from impeto.app.main_window import MainWindow
from impeto.app.document import Document
from impeto.services import model_file
app = application()
settings = QSettings("{settings}", QSettings.Format.IniFormat)
window = MainWindow(Document(model_file.load_demo("gang_saw")), settings)
window.show()
while not window.strip.ready:
    app.processEvents()
window.grab()
print(time.perf_counter() - began, flush=True)
window.close()
"""


def main():
    settings = Path(tempfile.mkdtemp()) / "settings.ini"
    script = WARM_START.format(settings=settings)
    times = []
    for _ in range(3):
        began = time.perf_counter()
        with subprocess.Popen(
            [sys.executable, "-c", script], stdout=subprocess.PIPE, stderr=subprocess.DEVNULL
        ) as started:
            assert started.stdout is not None
            assert started.stdout.readline(), "it did not start"
            times.append(time.perf_counter() - began)
        assert started.returncode == 0
    print(f"warm start, from the shell to a window that is drawn and can run: {min(times):.2f} s")

    from PyQt6.QtCore import QSettings

    from impeto.app.deck.chart import Chart
    from impeto.app.document import Document
    from impeto.app.main_window import MainWindow
    from impeto.app.start import application
    from impeto.core.simulate import simulate
    from impeto.services import model_file

    app = application()
    model = model_file.load_demo("gang_saw")
    window = MainWindow(Document(model), QSettings(str(settings), QSettings.Format.IniFormat))
    window.show()
    window.document.add_run(simulate(model))
    window.watch.start_charts()
    window.show_desk("Watch")
    for _ in range(20):
        app.processEvents()
    frames = 60
    cpu = time.process_time()
    for frame in range(frames):
        window.document.set_instant(0.003 * frame)
        app.processEvents()
    print(f"playback at 1280x800: {(time.process_time() - cpu) / frames * 1e3:.1f} ms CPU a frame")
    picture = window.grab().toImage()
    colours = {picture.pixel(x, 400) for x in range(0, 620, 3)}
    print(f"  (the Stage is not blank: {len(colours)} colours in a row)")

    full = model.changed(settings=type(model.settings)(until="8 s", outputs=2500.0))
    recording = simulate(full)
    window.document.add_run(recording)
    chart: Chart = window.watch.charts[0]
    for name in ("crank_pin.force", "main_bearing.force", "frame_pin.force",
                 "guide_left.force", "guide_right.force"):  # fmt: skip
        chart.add(name)
    app.processEvents()
    times = []
    for k in range(10):
        began = time.perf_counter()
        chart.plot.setXRange(0, 8 - 0.1 * k, padding=0)
        chart.plot.grab()
        times.append(time.perf_counter() - began)
    points = len(recording.time)
    print(f"chart of 6 curves of {points} points: {np.median(times) * 1e3:.0f} ms a redraw")
    window.document._saved = window.document.model
    window.close()


if __name__ == "__main__":
    main()
