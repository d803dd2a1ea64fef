"""Channels as tables: CSV with names and units in the first row, HDF5, or Parquet."""

from __future__ import annotations

import csv
import math
from collections.abc import Mapping, Sequence
from dataclasses import replace
from pathlib import Path

from impeto.core.elements import Dataset, Drive, Load
from impeto.core.errors import FileError, FormulaError
from impeto.core.geometry.arrays import Floats
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
    chosen = [("time", "s", recording.time), *_in_units(recording, channels, units)]
    heads = [f"{name} [{unit}]" for name, unit, _ in chosen]
    columns = [values for _, _, values in chosen]
    with replacing(Path(path)) as temporary, open(temporary, "w", newline="") as file:
        writer = csv.writer(file)
        writer.writerow(heads)
        writer.writerows(zip(*(column.tolist() for column in columns), strict=True))


def export_hdf5(
    recording: Recording,
    channels: Sequence[str],
    path: str | Path,
    units: Mapping[str, str] | None = None,
) -> None:
    """The same as an HDF5 file: a dataset per channel with its `unit`, beside `time`; its slashes,
    which would make groups, are written as ∕. Raises ChannelError, FormulaError or FileError."""
    import h5py

    chosen = [("time", "s", recording.time), *_in_units(recording, channels, units)]
    with replacing(Path(path)) as temporary, h5py.File(temporary, "w") as file:
        file.attrs["case"], file.attrs["model"] = recording.case, recording.model.name
        for name, unit, values in chosen:
            written = file.create_dataset(name.replace("/", "∕"), data=values, compression="gzip")
            written.attrs["unit"], written.attrs["channel"] = unit, name


def export_parquet(
    recording: Recording,
    channels: Sequence[str],
    path: str | Path,
    units: Mapping[str, str] | None = None,
) -> None:
    """The same as a Parquet file: a column per channel, its `unit` with the column. Raises
    ChannelError, FormulaError or FileError, also where the package for that is not installed."""
    try:
        import pyarrow
        from pyarrow import parquet
    except ImportError as error:
        raise FileError(
            "Parquet files need the package pyarrow: pip install 'impeto[parquet]', or choose CSV "
            "or HDF5."
        ) from error
    chosen = [("time", "s", recording.time), *_in_units(recording, channels, units)]
    fields = [
        pyarrow.field(name, pyarrow.float64(), metadata={"unit": unit}) for name, unit, _ in chosen
    ]
    about = {"model": recording.model.name, "case": recording.case}
    schema = pyarrow.schema(fields, metadata=about)
    table = pyarrow.table([pyarrow.array(values) for _, _, values in chosen], schema=schema)
    with replacing(Path(path)) as temporary:
        parquet.write_table(table, temporary)


WRITERS = {".csv": export_csv, ".h5": export_hdf5, ".hdf5": export_hdf5, ".parquet": export_parquet}


def export(recording: Recording, channels: Sequence[str], path: str | Path) -> None:
    """By the ending of the name, as CSV where that says nothing else. Raises as those do."""
    writer = WRITERS.get(Path(path).suffix.lower(), export_csv)
    writer(recording, channels, path)


def _in_units(
    recording: Recording, channels: Sequence[str], units: Mapping[str, str] | None
) -> list[tuple[str, str, Floats]]:
    """Names, units and values of channels."""
    found = []
    for channel in (recording.channel(name) for name in channels):
        unit = (units or {}).get(channel.name, KINDS[channel.kind].si)
        found.append((channel.name, unit, channel.values / _factor(unit, channel.kind)))
    return found


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
