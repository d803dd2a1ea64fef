"""Editors of single fields. Each shows a value, and hands back what was typed through `commit`."""

from __future__ import annotations

import contextlib
from collections.abc import Callable
from functools import cached_property, partial
from typing import Any

from PyQt6.QtCore import QSignalBlocker, Qt
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QLabel, QVBoxLayout, QWidget

from impeto.app.plain_text import as_tip
from impeto.app.sheet.line import Line
from impeto.app.sheet.offering import named, offer
from impeto.app.widgets import label, wrapped
from impeto.core.elements import Material, Parameter
from impeto.core.errors import ModelError
from impeto.core.model import formula, units
from impeto.core.model.element import Element
from impeto.core.model.fields import ANY, FORMULA
from impeto.core.model.materials import LIBRARY
from impeto.core.model.quantity import Quantity
from impeto.core.model.scope import Scope

Commit = Callable[[Any], None]
LONG = 9  # letters of a number with its unit that a narrow field shows whole


class QuantityEditor(QWidget):
    """A value with its unit: takes '15 N/mm' or '2*k_front', shows what an expression gives.

    A wrong text turns red with the reason below; the model keeps its last good value.
    """

    def __init__(
        self, written: Quantity | None, kind: str, scope: Scope, commit: Commit, title: str,
        optional: bool = False, hint: str = "",
    ) -> None:  # fmt: skip
        super().__init__()
        self.written, self.kind, self.scope = written, kind, scope
        self.commit, self.optional = commit, optional
        self.line = Line()
        self.line.setAccessibleName(title)
        self.line.setProperty("wrong", False)
        self.line.setPlaceholderText(hint)
        self.below = QVBoxLayout(self)
        self.below.setContentsMargins(0, 0, 0, 0)
        self.below.setSpacing(1)
        self.below.addWidget(self.line)
        offer(self.line, self._names)
        self.line.editingFinished.connect(self._take)
        self.line.escaped.connect(self.show_written)
        self.line.entered.connect(self._show_whole)
        self.show_written()

    @cached_property
    def message(self) -> QLabel:
        """What is wrong; made when something is, as most fields never need it."""
        made = wrapped("", "bad")
        self.below.addWidget(made)
        return made

    @cached_property
    def result(self) -> QLabel:
        """What an expression comes to."""
        made = label("", "hint")
        self.below.insertWidget(1, made)
        return made

    def show_written(self) -> None:
        """The model's value, and what it comes to where it is an expression."""
        with QSignalBlocker(self.line):
            whole = "" if self.written is None else self.written.text
            self.line.setText(whole if self.line.hasFocus() else self._short())
            self.line.setCursorPosition(0)
        self._complain("")
        if self.written is None:
            return
        try:
            value = self._value(self.written)
        except ModelError as error:
            self._complain(str(error))
            return
        if value is not None:
            simple = isinstance(self.written.node, formula.Number)
            self.line.setToolTip(f"{value!r} {units.KINDS[self.kind].si}")
            if not simple:
                self.result.setText(f"= {self._in_own_unit(value)}")

    def _names(self) -> list[str]:
        """What may stand in the field: parameters, for densities materials, and in formulas bodies,
        frames and joints."""
        model = self.scope.written
        found = [parameter.name for parameter in model.of(Parameter)]
        if self.kind == "density":
            found += [*(m.name for m in model.of(Material)), *LIBRARY]
        if self.kind == FORMULA:
            found += [name for name in named(self.scope, (Element,)) if name not in found]
        return found

    def _short(self) -> str:
        """What stands in the field while it has not the focus: of long numbers the digits that
        matter."""
        if self.written is None:
            return ""
        text = self.written.text
        number, _, unit = text.partition(" ")
        if len(text) <= LONG or not isinstance(self.written.node, formula.Number):
            return text
        try:
            return f"{units.digits(float(number))} {unit}".strip()
        except ValueError:
            return text

    def _show_whole(self) -> None:
        """All digits, to be edited."""
        if self.written is not None and self.line.text() == self._short():
            with QSignalBlocker(self.line):
                self.line.setText(self.written.text)

    def _in_own_unit(self, value: float) -> str:
        """What an expression comes to, in a unit that is written in it or in a parameter of it."""
        if self.kind == "number":
            return units.digits(value)
        assert self.written is not None
        wanted = units.unit(units.KINDS[self.kind].si)[1]
        for text in self._texts(self.written):
            name = text.lstrip("+-−.0123456789eE ").strip()
            with contextlib.suppress(ModelError):
                factor, dimension = units.unit(name)
                if name and dimension == wanted:
                    return f"{units.digits(value / factor)} {units.spoken(name)}"
        return units.shown(value, self.kind)

    def _texts(self, quantity: Quantity) -> list[str]:
        """An expression as written, then those of the parameters in it."""
        values = {p.name: p.value for p in self.scope.written.of(Parameter)} | dict(
            self.scope.case.values
        )
        names = formula.names(quantity.node)
        return [quantity.text, *(str(values[name]) for name in sorted(names) if name in values)]

    def _value(self, quantity: Quantity) -> float | None:
        """SI value; None for parameters' own values, which may be of any kind, and for formulas of
        channels, which the Sheet checks as a whole."""
        if self.kind == FORMULA:
            return None
        if self.kind == ANY:
            self.scope.value(quantity)
            return None
        return self.scope.si(quantity, self.kind)

    def _take(self) -> None:
        text = self.line.text().strip()
        whole = "" if self.written is None else self.written.text
        if text == whole or (text == self._short() and not self.line.isModified()):
            if not self.line.hasFocus():
                self.line.setText(self._short())
            self._complain("")
            return
        if not text:
            if self.optional:
                self.commit(None)
            else:
                self._complain("A value is needed here.")
            return
        try:
            quantity = Quantity(self._with_unit(text))
            self._value(quantity)
            self.commit(quantity)
        except ModelError as error:
            self._complain(str(error))

    def _with_unit(self, text: str) -> str:
        """A bare number gets the unit that the field showed before."""
        try:
            float(text)
        except ValueError:
            return text
        if self.kind in ("number", ANY, FORMULA):
            return text
        before = self.written.text if self.written is not None else ""
        unit = before.lstrip("+-−.0123456789eE ").strip()
        try:
            units.unit(unit)
        except ModelError:
            unit = ""
        return f"{text} {unit or units.KINDS[self.kind].si}"

    def _complain(self, text: str) -> None:
        if text or "message" in vars(self):
            self.message.setText(text)
            self.message.setVisible(bool(text))
        if bool(self.line.property("wrong")) == bool(text):
            return
        self.line.setProperty("wrong", bool(text))
        style = self.line.style()
        assert style is not None
        style.unpolish(self.line)
        style.polish(self.line)


class VectorEditor(QWidget):
    """Three quantities side by side."""

    def __init__(
        self, written: tuple[Quantity, ...] | None, kind: str, labels: tuple[str, ...],
        scope: Scope, commit: Commit, title: str, optional: bool,
    ) -> None:  # fmt: skip
        super().__init__()
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(4)
        zero = Quantity(f"0 {units.KINDS[kind].si}" if kind != "number" else "0")
        values = list(written) if written is not None else [None, None, None]
        self.editors = []

        def take(index: int, value: Quantity | None) -> None:
            if value is None and optional:
                commit(None)
                return
            whole = [v if v is not None else zero for v in values]
            whole[index] = value if value is not None else zero
            commit(tuple(whole))

        for index, axis in enumerate(labels):
            editor = QuantityEditor(
                values[index], kind, scope, partial(take, index), f"{title} {axis}",
                optional, axis,
            )  # fmt: skip
            editor.line.setToolTip(as_tip(f"{title} {axis}: {editor.line.text()}"))
            layout.addWidget(editor, alignment=Qt.AlignmentFlag.AlignTop)
            self.editors.append(editor)


class ChoiceEditor(QComboBox):
    """One of some options, or a name of an element."""

    def __init__(self, options: list[str], present: str, commit: Commit, label: str) -> None:
        super().__init__()
        self.setAccessibleName(label)
        self.addItems(options)
        if present not in options:
            self.addItem(present)
        self.setCurrentText(present)
        self.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.setMinimumContentsLength(10)
        self.textActivated.connect(lambda text: commit(text) if text != present else None)

    def wheelEvent(self, event: Any) -> None:
        event.ignore()  # scrolling the Sheet must not change a value


class TextEditor(Line):
    """A line of free text."""

    def __init__(self, present: str, commit: Commit, label: str) -> None:
        super().__init__(present)
        self.setCursorPosition(0)
        self.setAccessibleName(label)
        self.escaped.connect(lambda: self.setText(present))
        self.editingFinished.connect(
            lambda: commit(self.text().strip()) if self.text().strip() != present else None
        )


class CheckedLine(QWidget):
    """Something written in one line: a curve, a list of names; what is wrong shows below."""

    def __init__(self, written: str | None, commit: Commit, title: str, hint: str) -> None:
        super().__init__()
        self.written, self.commit = written, commit
        self.line = Line(written or "")
        self.line.setAccessibleName(title)
        self.line.setPlaceholderText(hint)
        self.line.setCursorPosition(0)
        self.message = label("", "bad")
        self.message.setWordWrap(True)
        self.message.hide()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(1)
        self.row = QHBoxLayout()
        self.row.addWidget(self.line)
        layout.addLayout(self.row)
        layout.addWidget(self.message)
        self.line.editingFinished.connect(self._take)
        self.line.escaped.connect(lambda: self.line.setText(self.written or ""))

    def _take(self) -> None:
        text = self.line.text().strip()
        if text == (self.written or ""):
            return
        try:
            self.commit(text or None)
        except ModelError as error:
            self.message.setText(str(error))
            self.message.show()

    def beside(self, widget: QWidget) -> None:
        """Something at the end of the line."""
        self.row.addWidget(widget)
