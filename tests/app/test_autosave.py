"""Unsaved work outlives the program: kept while it is dirty, offered at the next start."""

import json
import signal
import subprocess
import sys
import time

import numpy as np
import pytest
from PyQt6.QtCore import Qt

import impeto
from impeto.app.autosave import Autosave
from impeto.app.document import Document
from impeto.app.main_window import MainWindow
from impeto.services import model_file

CTRL = Qt.KeyboardModifier.ControlModifier
# A window in another process: edits, keeps its work, and waits to be killed.
EDITING = """
import sys
from pathlib import Path
from PyQt6.QtCore import QSettings, QTimer
import impeto
from impeto.app.autosave import Autosave
from impeto.app.document import Document
from impeto.app.main_window import MainWindow
from impeto.app.start import application
app = application()
folder, path = Path(sys.argv[1]), Path(sys.argv[2])
window = MainWindow(Document(impeto.load(path), path),
                    QSettings(str(folder / "s.ini"), QSettings.Format.IniFormat))
autosave = Autosave(window.document, window, folder)
autosave.timer.setInterval(20)
window.show()
window.stage.take_stance([3, -2, 1, 0.5, 0, 0, 0, 0, 1])
def edit():
    number = len(window.document.model.elements)
    frame = impeto.Frame(name=f"mark_{number}")
    window.document.edit("frame", window.document.model.with_element(frame))
    print(number, flush=True)
timer = QTimer()
timer.timeout.connect(edit)
timer.start(30)
app.exec()
"""


@pytest.fixture
def saved(tmp_path):
    path = tmp_path / "mill.impeto.json"
    impeto.save(impeto.Model("mill", [impeto.Body(name="drum", shapes=(impeto.Sphere(),))]), path)
    return path


def test_work_of_a_killed_process_is_offered_and_opened_as_unsaved(window, hand, tmp_path, saved):
    kept = tmp_path / "kept"
    kept.mkdir()
    other = subprocess.Popen([sys.executable, "-c", EDITING, str(kept), str(saved)],
                             stdout=subprocess.PIPE, text=True)  # fmt: skip
    seen = 0
    while seen < 8:
        seen = int(other.stdout.readline())
    time.sleep(0.1)
    other.send_signal(signal.SIGKILL)
    other.wait()
    other.stdout.close()
    assert "mark_" not in saved.read_text()
    autosave = Autosave(window.document, window, kept)
    autosave.offer(window.show_opened)
    assert "'mill' was not saved" in autosave.box.text()
    next(b for b in autosave.box.buttons() if b.text() == "Open it").click()
    hand.settle()
    document = window.document
    assert document.dirty
    assert document.path == saved
    assert f"mark_{seen - 2}" in document.model.elements  # all but perhaps the last moments
    assert window.stage.stance() == [3, -2, 1, 0.5, 0, 0, 0, 0, 1]
    hand.keys((Qt.Key.Key_Z, CTRL))
    assert document.model == impeto.load(saved)
    assert [k.name for k in autosave.left_behind()] == []


def test_what_is_saved_or_closed_on_purpose_leaves_nothing(window, hand, tmp_path):
    autosave = Autosave(window.document, window, tmp_path / "kept")
    hand.pick_row("crank_radius")
    hand.type_into("Value", "0.26 m")
    autosave.keep()
    (model,) = (tmp_path / "kept").glob(f"*{model_file.SUFFIX}")
    assert str(model_file.load(model)["crank_radius"].value) == "0.26 m"
    assert autosave.left_behind() == []  # its process still runs
    assert window.document.save(tmp_path / "saved.impeto.json")
    autosave.keep()
    assert list((tmp_path / "kept").iterdir()) == []
    hand.type_into("Value", "0.27 m")
    autosave.keep()
    autosave.end()
    assert list((tmp_path / "kept").iterdir()) == []


def test_broken_marks_and_a_folder_that_cannot_be_written_are_no_trouble(window, tmp_path):
    folder = tmp_path / "kept"
    folder.mkdir()
    (folder / "1-a.kept.json").write_text("{")
    (folder / "2-b.kept.json").write_text(json.dumps({"process": "x"}))
    autosave = Autosave(window.document, window, folder)
    assert autosave.left_behind() == []
    taken = tmp_path / "file"
    taken.write_text("in the way")
    blocked = Autosave(window.document, window, taken / "kept")
    frame = impeto.Frame(name="mark")
    window.document.edit("frame", window.document.model.with_element(frame))
    blocked.keep()
    assert "could not be kept" in window.toast.text()
    assert not blocked.timer.isActive()


def test_the_window_comes_back_in_its_size(qtbot, gang_saw, settings):
    first = MainWindow(Document(gang_saw), settings)
    first.resize(1100, 700)
    first.show()
    qtbot.waitUntil(lambda: first.strip.ready)
    first.close()
    second = MainWindow(Document(gang_saw), settings)
    qtbot.addWidget(second)
    second.show()
    qtbot.waitUntil(lambda: second.strip.ready)
    assert (second.width(), second.height()) == (1100, 700)


@pytest.mark.slow
def test_twenty_kills_at_random_lose_moments_of_work_and_never_the_file(window, tmp_path, saved):
    """Edits every 30 ms, kept every 20 ms, saved every tenth: the file is whole, what was kept has
    all but the last moments, and nothing is left beside the file."""
    rng = np.random.default_rng(17)
    script = EDITING.replace("    print(number", "    if number % 10 == 0:\n"
                             "        window.document.save(path)\n    print(number")  # fmt: skip
    for turn in range(20):
        kept = tmp_path / f"kept_{turn}"
        kept.mkdir()
        other = subprocess.Popen([sys.executable, "-c", script, str(kept), str(saved)],
                                 stdout=subprocess.PIPE, text=True)  # fmt: skip
        first = int(other.stdout.readline())
        time.sleep(rng.uniform(0.1, 0.9))
        other.send_signal(signal.SIGKILL)
        other.wait()
        last = max(map(int, other.stdout.read().split()), default=first)
        other.stdout.close()
        on_disk = impeto.load(saved)  # whole, whatever was being written
        assert not [p for p in saved.parent.iterdir() if ".tmp" in p.name]
        found = Autosave(window.document, window, kept).left_behind()
        numbers = [len(on_disk.elements) - 1]
        numbers += [len(impeto.load(work.model_path).elements) - 1 for work in found]
        assert max(numbers) >= last - 10, turn  # 0.3 s of edits
