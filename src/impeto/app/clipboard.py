"""Elements on the clipboard, as text of the file format: they pass between windows and through any
text editor."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path

from PyQt6.QtGui import QClipboard
from PyQt6.QtWidgets import QApplication

from impeto.core.errors import ImpetoError, ModelError
from impeto.core.geometry.triangles import Triangles
from impeto.core.model.model import Model
from impeto.services import meshes, model_file


def put(model: Model, folder: Path) -> None:
    """folder : where the paths in it begin"""
    put_text(model_file.to_text(meshes.named_whole(model, folder)))


def put_text(text: str) -> None:
    _clipboard().setText(text)


def taken(folder: Path, known: Mapping[str, Triangles]) -> Model:
    """What lies on the clipboard, with its meshes named from a folder, known or read. Raises
    ModelError where that is no text of a model, or a mesh is gone."""
    try:
        part = model_file.parse(_clipboard().text(), "clipboard")
        return meshes.taken_from_elsewhere(part, folder, known)
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
