"""Pictures of the main views, from demo data.

Run: xvfb-run -a .venv/bin/python docs/take_screenshots.py
"""

from __future__ import annotations

import sys
import tempfile
import time
from pathlib import Path

from PyQt6.QtCore import QSettings

from impeto.app.document import Document
from impeto.app.main_window import MainWindow
from impeto.app.start import application
from impeto.core.simulate import simulate
from impeto.services import model_file

FOLDER = Path(__file__).parent / "screenshots"


def rest(seconds=0.6):
    """Let the window come to rest."""
    end = time.monotonic() + seconds
    while time.monotonic() < end:
        application().processEvents()


def shoot(window, name):
    rest()
    window.grab().save(str(FOLDER / f"{name}.png"))


def main():
    app = application()  # kept: Qt needs it as long as there are windows
    path = str(Path(tempfile.mkdtemp()) / "settings.ini")
    settings = QSettings(path, QSettings.Format.IniFormat)
    window = MainWindow(Document(model_file.load_demo("gang_saw")), settings)
    window.show()
    rest()
    window.document.select("crank_pin")
    shoot(window, "build")
    model = window.document.model
    for case in ("No counterweight", "Base"):
        window.document.add_run(simulate(model, case))
    window.document.show_run("No counterweight", True)
    window.watch.start_charts()
    window.watch.charts[1].remove("system.energy.kinetic")
    window.watch.charts[1].remove("system.energy.potential")
    window.watch.charts[1].remove("system.energy.balance")
    window.watch.charts[1].add("main_bearing.force")
    window.show_desk("Watch")
    window.stage_panel.show_on_stage(window.stage.arrows, "crank_pin", True)
    window.stage_panel.show_on_stage(window.stage.paths, "big_end", True)
    window.document.set_instant(0.35)
    window.watch.charts[0].plot.setXRange(0, 1.0, padding=0.01)
    shoot(window, "watch")
    window.switch_theme()
    shoot(window, "dark")
    window.document._saved = window.document.model
    window.close()
    app.quit()


if __name__ == "__main__":
    sys.exit(main())
