"""A real window on the gang saw, with settings of its own."""

import gc

import pytest
from PyQt6.QtCore import QCoreApplication, QEvent, QSettings, Qt, QTimer
from PyQt6.QtWidgets import QApplication, QLineEdit, QWidget
from pytestqt.qtbot import QtBot

from impeto.app import theme
from impeto.app.document import Document
from impeto.app.garbage import Garbage
from impeto.app.main_window import MainWindow

PATIENCE = 120_000  # ms: a machine with much to do is no fault, and what comes never is still told


class PatientBot(QtBot):
    """Clicks, keys and waits of pytest-qt, for slow machines too."""

    def waitUntil(self, callback, *, timeout=PATIENCE):
        super().waitUntil(callback, timeout=timeout)

    def waitSignal(self, signal, *, timeout=PATIENCE, **more):
        return super().waitSignal(signal, timeout=timeout, **more)

    def waitExposed(self, widget, *, timeout=PATIENCE):
        return super().waitExposed(widget, timeout=timeout)


@pytest.fixture
def qtbot(qapp, request):
    return PatientBot(request)


@pytest.fixture(scope="session", autouse=True)
def fonts(qapp):
    theme.load_fonts()


@pytest.fixture(autouse=True)
def garbage(qapp):
    """Looked for as in the program: by the thread of the windows alone."""
    made = Garbage(qapp)
    yield
    made.deleteLater()


def pytest_unconfigure():
    """The last window and what listened to it go before their display does."""
    for _ in range(3):
        QCoreApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete.value)
        QCoreApplication.processEvents()
        gc.collect()


@pytest.fixture
def settings(tmp_path):
    return QSettings(str(tmp_path / "settings.ini"), QSettings.Format.IniFormat)


@pytest.fixture
def window(qtbot, gang_saw, settings):
    """Shown, prepared, at the size of the sketches; must close without leftovers."""
    made = MainWindow(Document(gang_saw), settings)
    qtbot.addWidget(made, before_close_func=forget_changes)
    made.show()
    qtbot.waitExposed(made)
    made.activateWindow()
    qtbot.waitUntil(made.isActiveWindow)
    qtbot.waitUntil(lambda: made.strip.ready)
    yield made
    assert made.job is None, "a run was left over"
    assert not made.deck.playing, "playback was left on"


def forget_changes(window):
    window.document._saved = window.document.model


def in_what_opens(act):
    """Do something in the dialog or menu that opens next and has a loop of its own. What goes wrong
    there closes it: else the test would never end."""
    opened = QApplication.activeModalWidget() or QApplication.activePopupWidget()
    if opened is None:  # a busy machine opens it later
        QTimer.singleShot(20, lambda: in_what_opens(act))
        return
    try:
        act(opened)
    except BaseException:
        opened.close()
        raise


class Hand:
    """Clicks and keys on a window, by accessible names."""

    def __init__(self, qtbot, window):
        self.qtbot, self.window = qtbot, window

    def find(self, name, kind=QWidget):
        found = [
            w for w in self.window.findChildren(kind)
            if w.accessibleName() == name and w.isVisible()
        ]  # fmt: skip
        assert found, f"no visible widget is called {name!r}"
        return found[0]

    def type_into(self, name, text):
        """Replace a field's text and press Enter."""
        line = self.find(name, QLineEdit)
        line.setFocus()
        line.selectAll()
        self.qtbot.keyClicks(line, text)
        self.qtbot.keyClick(line, Qt.Key.Key_Return)
        self.settle()

    def settle(self):
        """Let queued rebuilds happen."""
        for _ in range(2):
            self.qtbot.wait(1)

    def click(self, widget, position=None):
        args = {} if position is None else {"pos": position}
        self.qtbot.mouseClick(widget, Qt.MouseButton.LeftButton, **args)
        self.settle()

    def keys(self, *sequence):
        for key, modifier in sequence:
            self.qtbot.keyClick(self.window, key, modifier)
        self.settle()

    def pick_row(self, name):
        """Click a row of the Roster."""
        roster = self.window.roster
        index = roster.row_of(name)
        assert index.isValid(), f"{name} is not in the Roster"
        roster.list.scrollTo(index)
        spot = roster.list.visualRect(index).center()
        self.click(roster.list.viewport(), spot)

    def run(self, until="0.4 s"):
        """Run the present case for a short time and wait for its recording."""
        if str(self.window.document.model.settings.until) != until:
            self.type_into("End time", until)
        with self.qtbot.waitSignal(self.window.document.runs_changed):
            self.click(self.window.strip.run)
        self.qtbot.waitUntil(lambda: self.window.job is None)
        self.settle()


@pytest.fixture
def hand(qtbot, window):
    return Hand(qtbot, window)


@pytest.fixture
def solved(window, hand):
    hand.run()
    return window


@pytest.fixture
def watch(window, hand):
    """The gang saw after a run, one chart with a channel that comes to and fro."""
    hand.run("2 s")
    panel = window.watch
    for chart in list(panel.charts):
        panel.remove_chart(chart)
    panel.add_chart().add("rod.position.z")
    hand.settle()
    return panel
