"""Columns of numbers over time."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from types import MappingProxyType
from typing import Any, ClassVar

from impeto.core.errors import ModelError
from impeto.core.model import fields
from impeto.core.model.element import Element

__all__ = ["Dataset"]


@dataclass(frozen=True, slots=True, kw_only=True)
class Dataset(Element):
    """Columns of numbers over time, read from a file and kept with the model.

    columns : 'title [unit]' to numbers; the first column is the time.
    """

    tag: ClassVar[str] = "dataset"
    group: ClassVar[str] = "parameters"
    file: str = fields.text(hint="where the columns came from")
    columns: Mapping[str, tuple[float, ...]] = field(
        default_factory=dict, metadata={"spec": fields.ColumnsSpec()}
    )

    def __post_init__(self) -> None:
        Element.__post_init__(self)
        if not self.columns:
            raise ModelError("it has no columns", element=self.name, remedy="Read a CSV file")
        lengths = {len(column) for column in self.columns.values()}
        if len(lengths) > 1:
            raise ModelError("its columns differ in length", element=self.name)
        kept = {title: tuple(map(float, column)) for title, column in self.columns.items()}
        object.__setattr__(self, "columns", MappingProxyType(kept))

    def __reduce__(self) -> tuple[Any, ...]:
        return _dataset, (self.name, self.enabled, self.note, self.file, dict(self.columns))

    def __hash__(self) -> int:
        return hash((self.name, self.file, tuple(self.columns)))


def _dataset(name: str, enabled: bool, note: str, file: str, columns: Any) -> Dataset:
    return Dataset(name=name, enabled=enabled, note=note, file=file, columns=columns)
