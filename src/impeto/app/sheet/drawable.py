"""A link beside outlines and profiles that opens their drawing."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from impeto.app.sheet.context import FormContext
from impeto.app.sheet.editors import CheckedLine
from impeto.app.widgets import button
from impeto.core.errors import ModelError

LEVEL = "0 m: 0 m; 1 m: 0 m"  # what an empty profile begins with


def draw_beside(
    line: CheckedLine, put: Callable[[Any], None], context: FormContext, closed: bool
) -> None:
    """closed : an outline, else heights over a length"""

    def draw() -> None:
        from impeto.app.outline_dialog import OutlineDialog

        text = line.line.text().strip() or LEVEL
        try:
            dialog = OutlineDialog(text, context.scope, context.look, line, closed)
            if dialog.exec():
                put(dialog.text)
            dialog.deleteLater()
        except ModelError as error:
            context.complain(str(error))

    link = button("draw", "link")
    link.setAccessibleName(f"Draw {line.line.accessibleName()}")
    link.clicked.connect(draw)
    line.beside(link)
