"""Preparing the kernels, and what the window says while that goes on."""

import subprocess
import sys

import pytest
from PyQt6.QtCore import QProcess, QSettings

from impeto.app.document import Document
from impeto.app.main_window import MainWindow
from impeto.services import warmup


def test_preparedness_follows_the_sources_of_the_kernels(monkeypatch):
    assert warmup.is_prepared()
    monkeypatch.setattr(warmup, "_fingerprint", lambda: "other")
    assert not warmup.is_prepared()


def test_where_the_installation_cannot_be_written_the_note_goes_to_the_caches(
    monkeypatch, tmp_path
):
    (tmp_path / "file").write_text("")
    closed, open_one = tmp_path / "file" / "prepared", tmp_path / "caches" / "note"
    monkeypatch.setattr(warmup, "_stamps", lambda: [closed, open_one])
    monkeypatch.setattr(warmup, "forget", lambda: None)
    assert not warmup.is_prepared()
    assert warmup.prepare()
    assert warmup.is_prepared()
    monkeypatch.setattr(warmup, "_stamps", lambda: [closed])
    assert not warmup.prepare()  # everything works, but nothing is remembered


def test_where_nothing_can_be_written_the_kernels_are_not_kept_and_still_work():
    """Numba finds no place for its cache then, and raises an error where it is to use one."""
    text = (
        "import numba.core.caching as caching; caching.CacheImpl._locator_classes = []; "
        "from impeto.core.joints.kinematics import wrapped; "
        "from impeto.core.geometry import compiled; "
        "print(compiled.can_be_kept(), wrapped(7.0) == 7.0 - 2.0 * 3.141592653589793)"
    )
    said = subprocess.run([sys.executable, "-c", text], capture_output=True, text=True, check=True)
    assert said.stdout.strip() == "False True"


def test_the_first_picture_waits_for_neither_solver_nor_charts():
    late = ("scipy.spatial", "scipy.sparse", "scipy.integrate", "impeto.core.check",
            "impeto.core.simulate", "distributed", "numba", "pint",
            "pyqtgraph")  # fmt: skip
    text = f"import sys, impeto.app.start; print([m for m in {late} if m in sys.modules])"
    said = subprocess.run([sys.executable, "-c", text], capture_output=True, text=True, check=True)
    assert said.stdout.strip() == "[]"


@pytest.fixture
def unprepared(qtbot, gang_saw, tmp_path, monkeypatch):
    """A window whose kernels are being compiled by a process that waits to be told."""
    monkeypatch.setattr(warmup, "is_prepared", lambda: False)
    started = []
    monkeypatch.setattr(QProcess, "start", lambda process, *args: started.append((process, args)))
    settings = QSettings(str(tmp_path / "settings.ini"), QSettings.Format.IniFormat)
    window = MainWindow(Document(gang_saw), settings)
    qtbot.addWidget(window)
    window.show()
    qtbot.waitUntil(lambda: bool(started))
    return window, started[0]


def test_the_window_is_usable_and_says_what_it_waits_for(unprepared, qtbot):
    window, (process, (_program, arguments)) = unprepared
    assert arguments == ["-m", "impeto", "prepare"]
    assert "preparing the solver" in window.strip.quality.text()
    assert not window.strip.run.isEnabled()
    assert "being prepared" in window.health.text.text()
    window.document.select("rod")  # everything else works meanwhile
    assert window.stage.scene.selected == ("rod",)
    process.finished.emit(0, QProcess.ExitStatus.NormalExit)
    assert window.strip.run.isEnabled()
    qtbot.waitUntil(lambda: "driven" in window.health.head.text())


def test_a_failed_preparation_is_told(unprepared):
    window, (process, _) = unprepared
    process.finished.emit(1, QProcess.ExitStatus.NormalExit)
    assert "could not be prepared" in window.toast.text()
    assert not window.strip.run.isEnabled()
