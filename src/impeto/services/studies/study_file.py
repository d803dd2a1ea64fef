"""Solved points of a study on disk, each as soon as it is there: nothing is solved twice."""

from __future__ import annotations

import json
import math
import sqlite3
from collections.abc import Mapping
from pathlib import Path
from typing import Any

import numpy as np
import numpy.typing as npt

from impeto.core.errors import FileError
from impeto.core.model import units
from impeto.core.studies.point import Answer

Floats = npt.NDArray[np.float64]
SUFFIX = ".study"
FORMAT = "1"
LONGEST = 100_000  # letters of the figures of a point
TABLES = """
CREATE TABLE about (name TEXT PRIMARY KEY, value TEXT NOT NULL);
CREATE TABLE point (number INTEGER PRIMARY KEY, point TEXT NOT NULL, figures TEXT NOT NULL,
                    margins TEXT NOT NULL, problem TEXT NOT NULL, seconds REAL NOT NULL,
                    kinds TEXT NOT NULL);
"""


class StudyFile:
    """A file of points. `key` says what they are of: another key than that in the file is refused,
    so that results of two models never mix."""

    def __init__(self, path: str | Path, key: str) -> None:
        """Open, or make. Raises FileError."""
        self.path = Path(path)
        try:
            self._base = sqlite3.connect(self.path, isolation_level=None)
            # What one has written outlives its end, however it comes.
            self._base.execute("PRAGMA journal_mode=WAL")
            self._base.execute("PRAGMA synchronous=NORMAL")
            self._begin(key)
        except sqlite3.Error as error:
            raise FileError(f"{self.path.name} is not a file of solved points: {error}.") from error

    def _begin(self, key: str) -> None:
        self._base.execute("BEGIN IMMEDIATE")
        tables = self._base.execute("SELECT name FROM sqlite_master WHERE name='about'").fetchone()
        if tables is None:
            for statement in TABLES.split(";"):
                self._base.execute(statement)
            told = [("format", FORMAT), ("key", key)]
            self._base.executemany("INSERT INTO about VALUES (?, ?)", told)
        self._base.execute("COMMIT")
        about = dict(self._base.execute("SELECT name, value FROM about LIMIT 10").fetchall())
        if about.get("format") != FORMAT:
            raise FileError(f"{self.path.name} was written by another version of Impeto.")
        if about.get("key") != key:
            raise FileError(
                f"{self.path.name} holds points of another model, case or sweep. "
                "Give another file, or remove it."
            )

    def solved(self) -> dict[int, Answer]:
        """What is there, by number of the point. Raises FileError."""
        try:
            rows = self._base.execute(
                "SELECT number, figures, margins, problem, seconds, kinds FROM point"
            ).fetchall()
            return {int(row[0]): Answer(_numbers(row[1]), _numbers(row[2]), str(row[3]),
                                        float(row[4]), kinds=_words(row[5]))
                    for row in rows}  # fmt: skip
        except (sqlite3.Error, ValueError, TypeError) as error:
            raise FileError(f"{self.path.name} cannot be read: {error}.") from error

    def add(self, number: int, point: Floats, answer: Answer) -> None:
        """Keep the answer of a point (D,). Raises FileError where it cannot be written."""
        row = (number, json.dumps([float(v) for v in point]), _text(answer.figures),
               _text(answer.margins), answer.problem, answer.seconds,
               json.dumps(dict(answer.kinds)))  # fmt: skip
        try:
            self._base.execute("INSERT OR IGNORE INTO point VALUES (?, ?, ?, ?, ?, ?, ?)", row)
        except sqlite3.Error as error:
            raise FileError(
                f"{self.path.name} cannot be written: {error}. What is in it stays."
            ) from error

    def close(self) -> None:
        self._base.close()


def _text(numbers: Mapping[str, float]) -> str:
    return json.dumps({n: v if math.isfinite(v) else None for n, v in numbers.items()})


def _numbers(text: Any) -> dict[str, float]:
    return {n: math.nan if v is None else float(v) for n, v in _table(text).items()}


def _words(text: Any) -> dict[str, str]:
    """Kinds of quantity; what is none of ours counts as a plain number."""
    return {n: v if v in units.KINDS else "number" for n, v in _table(text).items()}


def _table(text: Any) -> dict[str, Any]:
    if not isinstance(text, str) or len(text) > LONGEST:
        raise ValueError("it holds what are no figures")
    found = json.loads(text)
    if not isinstance(found, dict):
        raise ValueError("it holds what are no figures")
    return found
