"""Elements on the clipboard, as text of the file format: they pass between windows and through any
text editor."""

from __future__ import annotations

from PyQt6.QtGui import QClipboard
from PyQt6.QtWidgets import QApplication

from impeto.core.errors import ImpetoError, ModelError
from impeto.core.model.model import Model
from impeto.services import model_file


def put(model: Model) -> None:
    put_text(model_file.to_text(model))


def put_text(text: str) -> None:
    _clipboard().setText(text)


def taken() -> Model:
    """What lies on the clipboard. Raises ModelError where that is no text of a model."""
    try:
        return model_file.parse(_clipboard().text(), "clipboard")
    except ImpetoError as error:
        raise ModelError(
            "what is on the clipboard is no part of a model",
            remedy=f"Copy elements with Ctrl+C first; it says: {error}",
        ) from None


def has_text() -> bool:
    return '"elements"' in _clipboard().text()


def _clipboard() -> QClipboard:
    clipboard = QApplication.clipboard()
    assert clipboard is not None
    return clipboard
