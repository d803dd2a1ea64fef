"""Channels as CSV: one column each, with names and units in the first row."""

from __future__ import annotations

import csv
import math
from collections.abc import Mapping, Sequence
from dataclasses import replace
from pathlib import Path

from impeto.core.elements import Dataset, Drive, Load
from impeto.core.errors import FileError, FormulaError
from impeto.core.model.model import Model
from impeto.core.model.signals import Table
from impeto.core.model.units import KINDS, article, same_dimension, unit
from impeto.core.results.recording import Recording
from impeto.services.atomic import reason, replacing


def export_csv(
    recording: Recording,
    channels: Sequence[str],
    path: str | Path,
    units: Mapping[str, str] | None = None,
) -> None:
    """Write chosen channels over time, in SI units or those given by channel. Raises ChannelError,
    FormulaError or FileError."""
    chosen = [recording.channel(name) for name in channels]
    heads, columns = ["time [s]"], [recording.time]
    for channel in chosen:
        unit = (units or {}).get(channel.name, KINDS[channel.kind].si)
        heads.append(f"{channel.name} [{unit}]")
        columns.append(channel.values / _factor(unit, channel.kind))
    with replacing(Path(path)) as temporary, open(temporary, "w", newline="") as file:
        writer = csv.writer(file)
        writer.writerow(heads)
        writer.writerows(zip(*(column.tolist() for column in columns), strict=True))


def _factor(name: str, kind: str) -> float:
    factor, dimension = unit(name)
    if not same_dimension(dimension, unit(KINDS[kind].si)[1]):
        raise FormulaError(f"'{name}' is no unit of {article(KINDS[kind].title)}")
    return factor


def import_csv(path: str | Path, name: str) -> Dataset:
    """A data set from a CSV file: the first row holds titles with units, 'force [N]', the first
    column the time. Commas, semicolons and tabs separate. Raises FileError."""
    path = Path(path)
    try:
        text = path.read_text(encoding="utf-8-sig")
    except OSError as error:
        raise FileError(f"'{path}' cannot be read: {reason(error)}.") from error
    except UnicodeDecodeError as error:
        raise FileError(f"'{path}' cannot be read: it is not text.") from error
    except ValueError as error:
        raise FileError(f"'{path}' is not the name of a file.") from error
    lines = [line for line in text.splitlines() if line.strip()]
    if len(lines) < 3:
        raise FileError(f"'{path}' holds no table: a row of titles and two of numbers are needed.")
    separator = max(",;\t", key=lines[0].count)
    try:
        rows = list(csv.reader(lines, delimiter=separator))
    except csv.Error as error:
        raise FileError(f"'{path}' holds no table: a cell is too long or never ends.") from error
    titles = [title.strip() for title in rows[0]]
    columns: dict[str, list[float]] = {title: [] for title in titles}
    if len(columns) < 2 or len(columns) < len(titles):
        raise FileError(f"'{path}' needs at least two columns with titles that differ.")
    for number, row in enumerate(rows[1:], start=2):
        if len(row) != len(titles):
            raise FileError(
                f"'{path}', line {number}: {len(row)} values stand under {len(titles)} titles."
            )
        for title, cell in zip(titles, row, strict=True):
            columns[title].append(_number(cell, separator, path, number))
    whole = {title: tuple(column) for title, column in columns.items()}
    return Dataset(name=name, file=path.name, columns=whole)


def _number(cell: str, separator: str, path: Path, line: int) -> float:
    text = cell.strip().replace(",", ".") if separator != "," else cell.strip()
    try:
        value = float(text)
    except ValueError:
        value = math.nan
    if not math.isfinite(value):
        raise FileError(f"'{path}', line {line}: '{cell.strip()}' is not a number.")
    return value


def mapped(model: Model, dataset: Dataset) -> Model:
    """The model with a data set, its columns as signals of the loads and drives of their names.

    A column 'push [N]' drives the load 'push'; columns without such an element are kept only.
    """
    model = model.with_element(dataset)
    for title in list(dataset.columns)[1:]:
        column = title.partition("[")[0].strip()
        element = model.elements.get(column)
        if isinstance(element, (Load, Drive)):
            signal = Table(dataset=dataset.name, column=column)
            model = model.with_element(replace(element, value=signal))
    return model
