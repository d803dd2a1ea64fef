"""A form made from the field declarations of any description: element, shape, signal, settings."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import partial
from typing import Any

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QCheckBox,
    QGridLayout,
    QHBoxLayout,
    QVBoxLayout,
    QWidget,
)

from impeto.app.sheet.editors import ChoiceEditor, QuantityEditor, TextEditor, VectorEditor
from impeto.app.widgets import button, label
from impeto.core.errors import ModelError
from impeto.core.model import fields
from impeto.core.model.elements import ELEMENTS
from impeto.core.model.fields import (
    ChoiceSpec,
    ChoicesSpec,
    PartsSpec,
    QuantitySpec,
    ReferenceSpec,
    SignalSpec,
    Spec,
    SwitchSpec,
    TextSpec,
    VectorSpec,
)
from impeto.core.model.scope import Scope
from impeto.core.model.signals import SIGNALS, Constant, Formula, Harmonic, Ramp

Change = Callable[[Any], None]


@dataclass
class FormContext:
    """What every editor needs: values of the case, complaints, and which parts are unfolded."""

    scope: Scope
    complain: Callable[[str], None]
    unfolded: set[str]
    rebuild: Callable[[], None]


class Form(QWidget):
    """Two columns: title and editor. `change` gets the description with one field replaced."""

    def __init__(
        self,
        part: Any,
        change: Change,
        context: FormContext,
        *,
        leave_out: tuple[str, ...] = (),
        kind: str = "",
        path: str = "",
    ) -> None:
        super().__init__()
        self.part, self.change, self.context = part, change, context
        self.kind, self.path = kind, path
        self.grid = QGridLayout(self)
        self.grid.setContentsMargins(0, 0, 0, 0)
        self.grid.setHorizontalSpacing(8)
        self.grid.setVerticalSpacing(4)
        self.grid.setColumnMinimumWidth(0, 78)
        self.grid.setColumnStretch(1, 1)
        for name, spec in fields.specs(type(part)).items():
            if name not in leave_out:
                self._add(name, spec)

    def _put(self, name: str, value: Any) -> None:
        """Change a field; a ModelError goes to the editor, which shows it in place."""
        self.change(replace(self.part, **{name: value}))

    def _set(self, name: str, value: Any) -> None:
        """Change a field; complaints go to the bottom of the window."""
        try:
            self._put(name, value)
        except ModelError as error:
            self.context.complain(str(error))

    def _add(self, name: str, spec: Spec) -> None:
        title = fields.title(name, spec)
        value = getattr(self.part, name)
        if isinstance(spec, PartsSpec):
            self._full_width(PartsEditor(self, name, spec))
            return
        if isinstance(spec, SignalSpec):
            self._full_width(SignalEditor(self, name))
            return
        if isinstance(spec, ChoicesSpec):
            return  # the freedom strip has them
        row = self.grid.rowCount()
        caption = label(title, "soft")
        caption.setToolTip(spec.hint)
        self.grid.addWidget(caption, row, 0, Qt.AlignmentFlag.AlignTop)
        self.grid.addWidget(self._editor(name, spec, value, title), row, 1)

    def _full_width(self, widget: QWidget) -> None:
        self.grid.addWidget(widget, self.grid.rowCount(), 0, 1, 2)

    def _editor(self, name: str, spec: Spec, value: Any, title: str) -> QWidget:
        def commit(new: Any) -> None:
            self._set(name, new)

        put = partial(self._put, name)
        if isinstance(spec, QuantitySpec):
            kind = self.kind if self.kind and spec.kind == "number" else spec.kind
            kind = fields.kind_of(self.part, spec) if kind == spec.kind else kind
            return QuantityEditor(
                value, kind, self.context.scope, put, title, spec.optional, spec.hint
            )
        if isinstance(spec, VectorSpec):
            return VectorEditor(
                value, spec.kind, spec.labels, self.context.scope, put, title, spec.optional
            )
        if isinstance(spec, ReferenceSpec):
            names = [e.name for e in self.context.scope.model.of(ELEMENTS[spec.target])]
            return ChoiceEditor(names, value, commit, title)
        if isinstance(spec, ChoiceSpec):
            return ChoiceEditor(list(spec.options), value, commit, title)
        if isinstance(spec, SwitchSpec):
            box = QCheckBox()
            box.setAccessibleName(title)
            box.setChecked(value)
            box.toggled.connect(commit)
            return box
        assert isinstance(spec, TextSpec)
        return TextEditor(value, commit, title)


class SignalEditor(QWidget):
    """Kind of signal and its values; changing the kind keeps what carries over."""

    def __init__(self, form: Form, name: str) -> None:
        super().__init__()
        self.form, self.name = form, name
        signal = getattr(form.part, name)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 4, 0, 0)
        layout.setSpacing(4)
        head = QHBoxLayout()
        head.addWidget(label("Signal", "caption"))
        head.addStretch()
        head.addWidget(ChoiceEditor(list(SIGNALS), signal.title, self._convert, "Kind of signal"))
        layout.addLayout(head)
        layout.addWidget(
            Form(
                signal,
                lambda new: form._put(name, new),
                form.context,
                kind="formula" if isinstance(signal, Formula) else form.part.signal_kind,
            )
        )

    def _convert(self, title: str) -> None:
        old = getattr(self.form.part, self.name)
        first = {
            Constant: "value", Formula: "formula", Ramp: "end", Harmonic: "amplitude",
        }[type(old)]  # fmt: skip
        value = getattr(old, first)
        cls = SIGNALS[title]
        made: Any
        if cls is Ramp:
            made = Ramp(start=f"0 * ({value.text})", end=value)
        elif cls is Harmonic:
            made = Harmonic(amplitude=value)
        else:
            made = Formula(formula=value) if cls is Formula else Constant(value=value)
        self.form._set(self.name, made)


class PartsEditor(QWidget):
    """Shapes, point masses or behaviours: a row each, unfolded by a click; added and removed."""

    def __init__(self, form: Form, name: str, spec: PartsSpec) -> None:
        super().__init__()
        self.form, self.name = form, name
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 6, 0, 0)
        layout.setSpacing(2)
        parts = getattr(form.part, name)
        head = QHBoxLayout()
        head.addWidget(label(fields.title(name, spec), "caption"))
        head.addStretch()
        for cls in spec.classes:
            title = getattr(cls, "title", "part")
            add = button(f"+ {title}", "link")
            add.setAccessibleName(f"Add {title}")
            add.clicked.connect(lambda _=False, c=cls: self._add(c))
            head.addWidget(add)
        layout.addLayout(head)
        for index, part in enumerate(parts):
            self._row(layout, index, part)

    def _row(self, layout: QVBoxLayout, index: int, part: Any) -> None:
        path = f"{self.form.path}/{self.name}/{index}"
        open_ = path in self.form.context.unfolded
        row = QHBoxLayout()
        toggle = button(
            f"{'▾' if open_ else '▸'} {part.title} {index + 1}  {summary(part)}", "quiet"
        )
        toggle.setAccessibleName(f"{part.title} {index + 1}")
        toggle.clicked.connect(lambda: self._fold(path))
        row.addWidget(toggle)
        row.addStretch()
        remove = button("×", "quiet")
        remove.setAccessibleName(f"Remove {part.title} {index + 1}")
        remove.clicked.connect(lambda: self._replace(index, None))
        row.addWidget(remove)
        layout.addLayout(row)
        if open_:
            layout.addWidget(
                Form(
                    part,
                    lambda new: self._replace(index, new),
                    self.form.context,
                    path=path,
                )
            )

    def _fold(self, path: str) -> None:
        self.form.context.unfolded ^= {path}
        self.form.context.rebuild()

    def _replace(self, index: int, new: Any) -> None:
        parts = list(getattr(self.form.part, self.name))
        parts[index : index + 1] = [] if new is None else [new]
        self.form._set(self.name, tuple(parts))

    def _add(self, cls: Any) -> None:
        made = cls(mass="1 kg") if "mass" in fields.specs(cls) else cls()
        parts = (*getattr(self.form.part, self.name), made)
        self.form.context.unfolded.add(f"{self.form.path}/{self.name}/{len(parts) - 1}")
        self.form._set(self.name, parts)


def summary(part: Any) -> str:
    """The sizes of a part in one line."""
    for name in ("size", "radius", "mass", "freedom"):
        value = getattr(part, name, None)
        if isinstance(value, tuple):
            return " × ".join(str(item) for item in value)
        if value is not None:
            return str(value)
    return ""
