"""A chain of 300 bodies and 300 joints in the window: select, edit, orbit, hover, check.
Run under a display or Xvfb: xvfb-run -a .venv/bin/python bench/many_bodies.py"""

from __future__ import annotations

import tempfile
import time
from dataclasses import replace
from pathlib import Path

import numpy as np
from PyQt6.QtCore import QPoint, QSettings

import impeto as im
from impeto.app.document import Document
from impeto.app.main_window import MainWindow
from impeto.app.stage import camera
from impeto.app.start import application

LINKS = 300


def chain():
    """Links of 0.1 m with a section, pinned end to end, hung up at the first."""
    points = [
        (0.1 * k * np.cos(0.01 * k), 0.0, 0.1 * k * np.sin(0.01 * k)) for k in range(LINKS + 1)
    ]
    model, _ = im.bars(im.Model("chain", [im.Gravity(name="gravity")]), points, held={0: "ground"})
    return model


def told(title, call, count=15):
    """Median time [ms] of a call and of drawing what it changed: of the clock, and of both
    processors together."""
    spent, waited = [], []
    for number in range(count):
        began, since = time.process_time(), time.perf_counter()
        call(number)
        application().processEvents()
        spent.append(time.process_time() - began)
        waited.append(time.perf_counter() - since)
    print(f"{title}: {1e3 * np.median(waited):.0f} ms, {1e3 * np.median(spent):.0f} ms CPU, "
          f"at most {1e3 * max(spent):.0f} ms")  # fmt: skip


def main():
    app = application()
    settings = QSettings(str(Path(tempfile.mkdtemp()) / "s.ini"), QSettings.Format.IniFormat)
    window = MainWindow(Document(chain()), settings)
    window.show()
    end = time.monotonic() + 5.0
    while time.monotonic() < end:
        app.processEvents()
    document, stage = window.document, window.stage

    def edit(number):
        body = document.model["bar_150"]
        moved = replace(body, note=f"as of {number}")
        document.edit("note", document.model.with_element(moved))

    def move(number):
        body = document.model["bar_150"]
        moved = replace(body, position=im.Body(name="x", position=(1, 1, 0.01 * number)).position)
        document.edit("position", document.model.with_element(moved))

    def orbit(_):
        camera.orbit(stage.scene.camera, 4.0, 2.0)
        stage.refresh()

    told("select", lambda k: document.select(f"bar_{100 + k}"))
    told("edit a note", edit)
    told("move a body", move)
    told("orbit", orbit)
    told("hover", lambda k: stage.pointing.look(QPoint(200 + 30 * k, 350)))
    began = time.perf_counter()
    im.check(document.model)
    print(f"check, off the main thread: {time.perf_counter() - began:.2f} s")
    began = time.perf_counter()
    document._saved = document.model  # nothing to ask about
    window.close()
    print(f"close: {time.perf_counter() - began:.2f} s")


if __name__ == "__main__":
    main()
