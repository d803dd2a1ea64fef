"""The present case in the Sheet of the model: its name, what it is built on, what it changes."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from impeto.app.document import Document
from impeto.app.new_elements import add_case, add_case_on
from impeto.app.sheet.context import FormContext
from impeto.app.sheet.editors import ChoiceEditor, TextEditor
from impeto.app.sheet.form import Form
from impeto.app.widgets import button, label, wrapped
from impeto.core.errors import ModelError

THE_MODEL = "the model itself"


class CasePart(QWidget):
    """`renew` is called where an editor has to show again what it was."""

    def __init__(self, document: Document, context: FormContext, renew: Callable[[], None]) -> None:
        super().__init__()
        self.document, self.renew = document, renew
        self.case = case = document.model.cases[document.case]
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        head = QHBoxLayout()
        head.addWidget(label("Case", "caption"))
        head.addStretch()
        for text, name, act in (
            ("+ copy", "Copy case", lambda: add_case(document)),
            ("+ on this", "New case built on this", lambda: add_case_on(document, case.name)),
            ("remove", "Remove case", self._remove),
        ):  # fmt: skip
            link = button(text, "link")
            link.setAccessibleName(name)
            link.setToolTip(name)
            link.clicked.connect(act)
            head.addWidget(link)
        layout.addLayout(head)
        layout.addWidget(TextEditor(case.name, self._rename, "Name of the case"))
        under = QHBoxLayout()
        under.addWidget(label("Built on", "soft"))
        others = [name for name in document.model.cases if name != case.name]
        chosen = case.built_on or THE_MODEL
        under.addWidget(ChoiceEditor([THE_MODEL, *others], chosen, self._build_on, "Built on"), 1)
        layout.addLayout(under)
        left_out = ("name", "values", "switches", "built_on", "note")
        layout.addWidget(Form(case, self._change, context, leave_out=left_out))
        lines = [f"{key} = {value}" for key, value in case.values.items()]
        lines += [f"{key} {'on' if on else 'off'}" for key, on in case.switches.items()]
        nothing = f"as {case.built_on}" if case.built_on else "changes no values"
        layout.addWidget(wrapped("\n".join(lines) or nothing, "soft"))

    def _change(self, case: object) -> None:
        self.document.edit(f"case {self.case.name}", self.document.model.with_case(case))  # type: ignore[arg-type]

    def _remove(self) -> None:
        self._try(lambda: self.document.remove_case(self.case.name))

    def _build_on(self, name: str) -> None:
        self._try(lambda: self.document.edit_case(built_on="" if name == THE_MODEL else name))

    def _rename(self, text: str) -> None:
        self._try(lambda: self.document.rename_case(self.case.name, text))

    def _try(self, act: Callable[[], None]) -> None:
        try:
            act()
        except ModelError as error:
            self.document.complained.emit(str(error))
            self.renew()
