"""The units that the window shows values in: chosen from sets, or one's own, and kept."""

from __future__ import annotations

from PyQt6.QtCore import QObject, QSettings, pyqtSignal
from PyQt6.QtWidgets import QInputDialog, QWidget

from impeto.core.errors import ModelError
from impeto.core.model import units
from impeto.core.model.unit_sets import FITTING, OWN, SETS, own_set


class UnitChoice(QObject):
    """Fields keep the units that are written in them; all other values follow."""

    changed = pyqtSignal()
    complained = pyqtSignal(str)

    def __init__(self, settings: QSettings, window: QWidget) -> None:
        super().__init__(window)
        self.settings, self.window = settings, window
        name = str(settings.value("units", FITTING))
        try:
            units.prefer(self._own() if name == OWN else SETS.get(name, {}))
        except ModelError:  # a set of another version
            units.prefer({})

    def _own(self) -> dict[str, str]:
        return own_set(str(self.settings.value("own units", "")))

    def choose(self, name: str) -> None:
        """One of SETS, or OWN, which asks for it."""
        if name == OWN:
            self._ask()
            return
        units.prefer(SETS[name])
        self.settings.setValue("units", name)
        self.changed.emit()

    def _ask(self) -> None:
        before = str(self.settings.value("own units", "length mm, force kN, angular speed rpm"))
        text, accepted = QInputDialog.getText(
            self.window, "Own units", "Kinds of quantities with their units:", text=before
        )
        if not accepted:
            return
        try:
            units.prefer(own_set(text))
        except ModelError as error:
            self.complained.emit(str(error))
            return
        self.settings.setValue("own units", text)
        self.settings.setValue("units", OWN)
        self.changed.emit()
