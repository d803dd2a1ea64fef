"""A form made from the field declarations of any description: element, shape, signal, settings."""

from __future__ import annotations

import contextlib
from collections.abc import Callable
from dataclasses import replace
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

from impeto.app.sheet.context import FormContext
from impeto.app.sheet.drawable import draw_beside
from impeto.app.sheet.editors import (
    CheckedLine,
    ChoiceEditor,
    QuantityEditor,
    TextEditor,
    VectorEditor,
)
from impeto.app.sheet.offering import named, offer
from impeto.app.sheet.signal_curve import SignalCurve
from impeto.app.widgets import button, label, wrapped
from impeto.core.elements import ELEMENTS, Dataset
from impeto.core.errors import FormulaError, ModelError
from impeto.core.model import fields, units
from impeto.core.model.fields import (
    FORMULA,
    ChoiceSpec,
    ChoicesSpec,
    ColumnsSpec,
    CurveSpec,
    NamesSpec,
    OutlineSpec,
    PartsSpec,
    QuantitySpec,
    ReferenceSpec,
    SignalSpec,
    Spec,
    SwitchSpec,
    TextSpec,
    VectorSpec,
)
from impeto.core.model.quantity import Quantity
from impeto.core.model.signals import (
    SIGNALS,
    Formula,
    Harmonic,
    Polynomial,
    Ramp,
    Step,
    Sweep,
    Table,
)

Change = Callable[[Any], None]
NONE = "none"
DIFFER = "they differ"
LINE = 44  # letters of kinds of parts in a row
WIDE = 26  # letters of the kinds of parts that fit beside a caption
ROOM = 7  # letters that fit into a third of the second column
FIELD = 26  # px, height of a line


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
        several: frozenset[str] = frozenset(),
    ) -> None:
        """several : fields that differ between the elements that the form stands for"""
        super().__init__()
        self.several = several
        self.part, self.change, self.context = part, change, context
        self.kind, self.path = kind, path
        self.grid = QGridLayout(self)
        self.grid.setContentsMargins(0, 0, 0, 0)
        self.grid.setHorizontalSpacing(8)
        self.grid.setVerticalSpacing(4)
        self.grid.setColumnMinimumWidth(0, 78)
        self.grid.setColumnStretch(1, 1)
        for name, spec in fields.specs(type(part)).items():
            if name not in leave_out and name not in getattr(part, "unused", ()):
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
        if isinstance(spec, VectorSpec) and value and max(len(str(v)) for v in value) > ROOM:
            self._full_width(label(title, "soft"))
            self._full_width(self._editor(name, spec, value, title))
            return
        row = self.grid.rowCount()
        caption = label(title, "soft")
        caption.setToolTip(spec.hint)
        caption.setFixedHeight(FIELD)  # beside the line, whatever stands under that
        self.grid.addWidget(caption, row, 0, Qt.AlignmentFlag.AlignTop)
        self.grid.addWidget(self._editor(name, spec, value, title), row, 1)

    def _full_width(self, widget: QWidget) -> None:
        self.grid.addWidget(widget, self.grid.rowCount(), 0, 1, 2)

    def _editor(self, name: str, spec: Spec, value: Any, title: str) -> QWidget:
        def commit(new: Any) -> None:
            self._set(name, new)

        put = partial(self._put, name)
        if name in self.several:
            return self._differing(name, spec, value, title, put)
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
        if isinstance(spec, (CurveSpec, OutlineSpec, NamesSpec)):
            return self._line(spec, value, title, put)
        if isinstance(spec, ColumnsSpec):
            return wrapped(", ".join(list(value)[1:]), "soft")
        if isinstance(spec, ReferenceSpec):
            names = [NONE] if spec.optional else []
            names += self._members(spec.target)
            chosen = NONE if value is None else value
            return ChoiceEditor(names, chosen, lambda n: commit(None if n == NONE else n), title)
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

    def _line(
        self, spec: CurveSpec | OutlineSpec | NamesSpec, value: Any, title: str,
        put: Callable[[Any], None],
    ) -> CheckedLine:  # fmt: skip
        """What is written in one line: a curve or an outline, which can be drawn, or names."""
        if isinstance(spec, NamesSpec):
            listed = CheckedLine(", ".join(value), lambda new: put(new or ()), title, spec.hint)
            offer(listed.line, lambda: self._members(spec.target))
            return listed
        text = None if value is None else str(value)
        if isinstance(spec, OutlineSpec):
            line = CheckedLine(text, put, title, spec.hint)
            if spec.is_flat:
                draw_beside(line, put, self.context, closed=True)
            return line
        line = CheckedLine(text, put, title, f"{spec.hint}: 0 mm: 0 N; 10 mm: 150 N")
        if spec.kind == spec.over == "length":
            draw_beside(line, put, self.context, closed=False)
        return line

    def _members(self, target: str) -> list[str]:
        """Names that a reference or a list of names may hold."""
        kinds = tuple(ELEMENTS[kind] for kind in target.split(" or "))
        return named(self.context.scope, kinds)

    def _differing(
        self, name: str, spec: Spec, value: Any, title: str, put: Callable[[Any], None]
    ) -> QWidget:
        """An editor without a value, where the elements have different ones."""
        if isinstance(spec, QuantitySpec):
            kind = fields.kind_of(self.part, spec)
            return QuantityEditor(None, kind, self.context.scope, put, title, True, DIFFER)
        if isinstance(spec, VectorSpec):
            return VectorEditor(None, spec.kind, spec.labels, self.context.scope, put, title, True)
        if isinstance(spec, ReferenceSpec):
            return ChoiceEditor(self._members(spec.target), DIFFER, put, title)
        if isinstance(spec, ChoiceSpec):
            return ChoiceEditor(list(spec.options), DIFFER, put, title)
        if isinstance(spec, SwitchSpec):
            return ChoiceEditor(["yes", "no"], DIFFER, lambda text: put(text == "yes"), title)
        return CheckedLine(None, put, title, DIFFER)


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
        title = fields.title(name, fields.specs(type(form.part))[name])
        head.addWidget(label("Signal" if name == "value" else title, "caption"))
        head.addStretch()
        head.addWidget(ChoiceEditor(list(SIGNALS), signal.title, self._convert, "Kind of signal"))
        layout.addLayout(head)
        layout.addWidget(
            Form(
                signal,
                lambda new: form._put(name, new),
                form.context,
                kind=FORMULA if isinstance(signal, Formula) else form.part.signal_kind,
            )
        )
        with contextlib.suppress(ModelError):  # the field says what is wrong with it
            layout.addWidget(SignalCurve(form.context.scope, form.part, form.context.look))

    def _convert(self, title: str) -> None:
        """Another kind of signal; the value that matters most carries over."""
        old = getattr(self.form.part, self.name)
        value = self._fitting(main_value(old, self.form.part.signal_kind))
        zero = f"0 * ({value.text})"
        cls: Any = SIGNALS[title]
        if cls in (Ramp, Step):
            made: Any = cls(start=zero, end=value)
        elif cls in (Harmonic, Sweep):
            made = cls(amplitude=value)
        elif cls is Polynomial:
            made = cls(start=value)
        elif cls is Table:
            made = self._table()
        else:
            made = cls(formula=value) if cls is Formula else cls(value=value)
        if made is not None:
            self.form._set(self.name, made)

    def _fitting(self, value: Quantity) -> Quantity:
        """A value, or zero where it is of another kind than the signal is now."""
        kind = self.form.part.signal_kind
        try:
            self.form.context.scope.si(value, kind)
        except FormulaError:
            return Quantity(f"0 {units.KINDS[kind].si}") if units.KINDS[kind].si != "1" else value
        return value

    def _table(self) -> Table | None:
        datasets = self.form.context.scope.written.of(Dataset)
        if not datasets:
            self.form.context.complain("A table needs a data set: read a CSV file first (Ctrl+I).")
            self.form.context.rebuild()
            return None
        column = list(datasets[0].columns)[-1].partition("[")[0].strip()
        return Table(dataset=datasets[0].name, column=column)


def main_value(signal: Any, kind: str) -> Quantity:
    """The value of a signal that a person thinks of first."""
    for name in ("value", "formula", "end", "amplitude", "start"):
        found = getattr(signal, name, None)
        if isinstance(found, Quantity):
            return found
    return Quantity(f"0 {units.KINDS[kind].si}" if units.KINDS[kind].si != "1" else "0")


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
        layout.addLayout(head)
        titles = {cls: getattr(cls, "title", "part") for cls in spec.classes}
        beside = len("".join(titles.values())) <= WIDE
        letters = 0 if beside else LINE  # in the present row
        for cls, title in titles.items():
            shown = title if beside else title.split(" ")[0]
            letters += len(shown) + 3
            if letters > LINE:
                letters = len(shown) + 3
                head = QHBoxLayout()
                head.addStretch()
                layout.addLayout(head)
            add = button(f"+ {shown}", "link")
            add.setAccessibleName(f"Add {title}")
            add.clicked.connect(lambda _=False, c=cls: self._add(c))
            head.insertWidget(head.count() if beside else head.count() - 1, add)
        for index, part in enumerate(parts):
            self._row(layout, index, part)

    def _row(self, layout: QVBoxLayout, index: int, part: Any) -> None:
        path = f"{self.form.path}/{self.name}/{index}"
        open_ = path in self.form.context.unfolded
        row = QHBoxLayout()
        alike = sum(type(p) is type(part) for p in getattr(self.form.part, self.name))
        number = f" {index + 1}" if alike > 1 else ""
        toggle = button(f"{'▾' if open_ else '▸'} {part.title}{number}  {summary(part)}", "quiet")
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
        change = self.form._set if new is None else self.form._put  # the field says what is wrong
        change(self.name, tuple(parts))

    def _references(self, cls: Any) -> dict[str, str]:
        """An existing element for every reference that a new part needs; a free motion for what
        acts on one."""
        found = {}
        for name, spec in fields.specs(cls).items():
            if isinstance(spec, ReferenceSpec):
                members = self.form.context.scope.written.of(ELEMENTS[spec.target])
                found[name] = members[-1].name if members else ""
        free = getattr(self.form.part, "coordinates", ())
        if free and "freedom" in fields.specs(cls):
            found["freedom"] = free[0]
        return found

    def _add(self, cls: Any) -> None:
        made = cls(mass="1 kg") if "mass" in fields.specs(cls) else cls(**self._references(cls))
        parts = (*getattr(self.form.part, self.name), made)
        self.form.context.unfolded.add(f"{self.form.path}/{self.name}/{len(parts) - 1}")
        self.form._set(self.name, parts)


def summary(part: Any) -> str:
    """The sizes of a part in one line."""
    for name in (
        "size",
        "radius",
        "file",
        "outline",
        "module",
        "mass",
        "freedom",
        "body",
        "position",
    ):
        value = getattr(part, name, None)
        if isinstance(value, tuple):
            joint = " × " if name == "size" else ", "
            return joint.join(str(item) for item in value)
        if value is not None:
            before = getattr(part, "joint", "")
            return f"{before} {value}".strip()
    return ""
