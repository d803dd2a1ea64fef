"""Watching: a large recording opened, playback of 5, 60 and 300 bodies, charts of many points.
Run under a display or Xvfb: xvfb-run -a .venv/bin/python bench/watch.py"""

from __future__ import annotations

import sys
import tempfile
import time
from pathlib import Path

import numpy as np
from PyQt6.QtCore import QSettings

import impeto as im
from impeto.app.document import Document
from impeto.app.main_window import MainWindow
from impeto.app.start import application
from impeto.core.model.looking import AMPLITUDES, SPECTROGRAM
from impeto.services import model_file, recording_file


def window_on(model):
    settings = QSettings(str(Path(tempfile.mkdtemp()) / "s.ini"), QSettings.Format.IniFormat)
    window = MainWindow(Document(model), settings)
    window.show()
    rest(1.0)
    return window


def rest(seconds):
    end = time.monotonic() + seconds
    while time.monotonic() < end:
        application().processEvents()


def close(window):
    window.document._saved = window.document.model  # nothing to ask about
    window.close()


def chain(count):
    """Bars pinned end to end, hung up at the first."""
    points = [
        (0.1 * k * np.cos(0.01 * k), 0.0, 0.1 * k * np.sin(0.01 * k)) for k in range(count + 1)
    ]
    model, _ = im.bars(im.Model("chain", [im.Gravity(name="gravity")]), points, held={0: "ground"})
    return model


def playback(title, model, until):
    """CPU of a picture at 1280×800 with two charts, and with a ghost."""
    window, told, waited = window_on(model), [], []
    for _ in range(2):
        window.document.add_run(im.simulate(model, until=until, outputs=500 * until, tol="draft"))
    window.watch.start_charts()
    window.show_desk("Watch")
    window.stage.set_playing(True)
    for ghost in (False, True):
        if ghost:
            for run in window.document.runs:
                window.document.show_run(run.name, True)
            window.stage_panel.ghost.setChecked(True)
        rest(0.5)
        began, since, frames = time.process_time(), time.perf_counter(), 40
        for frame in range(frames):
            window.document.set_instant(until * frame / frames)
            application().processEvents()
        told.append((time.process_time() - began) / frames * 1e3)
        waited.append((time.perf_counter() - since) / frames * 1e3)
    print(f"playback, {title}: {told[0]:.1f} ms CPU a picture ({waited[0]:.1f} ms of the clock), "
          f"with a ghost {told[1]:.1f} ({waited[1]:.1f}; "
          f"{told[1] / told[0]:.2f} times)")  # fmt: skip
    close(window)


def large_recording(megabytes=200.0):
    """A saved run of this size, to the first picture, and one of its channels on a chart."""
    model, path = model_file.load_demo("gang_saw"), Path(tempfile.mkdtemp()) / "large.h5"
    rows = 20_000
    for _ in range(3):
        r = im.simulate(model, until=8.0, outputs=rows)
        r.save(path)
        size = path.stat().st_size / 1e6
        if size > 0.9 * megabytes:
            break
        rows = int(rows * megabytes / size)
    window = window_on(model)
    began = time.perf_counter()
    opened = recording_file.open_recording(path)
    window.document.add_run(opened)
    window.show_desk("Watch")
    window.grab()
    first = time.perf_counter() - began
    chart = window.watch.add_chart()
    application().processEvents()
    began = time.perf_counter()
    chart.add("main_bearing.force")
    chart.plot.grab()
    print(f"recording of {size:.0f} MB ({len(opened.time)} instants): first picture after "
          f"{first:.2f} s, a channel on a chart {time.perf_counter() - began:.2f} s")  # fmt: skip
    many_points(window, chart)
    close(window)


def many_points(window, chart):
    for name in ("crank_pin.force", "frame_pin.force", "guide_left.force", "guide_right.force",
                 "rod.acceleration"):  # fmt: skip
        chart.add(name)
    rest(0.5)
    spent, count = [], len(window.document.run.recording.time)
    for k in range(10):
        began = time.perf_counter()
        chart.plot.setXRange(0.0, 8.0 - 0.1 * k, padding=0)
        chart.plot.grab()
        spent.append(time.perf_counter() - began)
    print(f"6 curves of {count} points: {np.median(spent) * 1e3:.0f} ms a redraw")
    for name in chart.channels[1:]:
        chart.remove(name)
    for look in (AMPLITUDES, SPECTROGRAM):
        began = time.perf_counter()
        chart.show_as(look)
        chart.plot.grab()
        print(f"{look} of {count} points: {(time.perf_counter() - began) * 1e3:.0f} ms")


def main(*wanted):
    app = application()
    if not wanted or "playback" in wanted:
        playback("gang saw", model_file.load_demo("gang_saw"), 2.0)
        playback("60 bodies", chain(60), 1.0)
        playback("300 bodies", chain(300), 0.3)
    if not wanted or "large" in wanted:
        large_recording()
    app.processEvents()


if __name__ == "__main__":
    main(*sys.argv[1:])
