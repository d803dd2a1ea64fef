"""Everything that Impeto raises on purpose.

ImpetoError
├── ModelError              what is written in the model cannot be used
│   ├── FormulaError        a value or formula cannot be read
│   └── GapError            joint frames are apart and cannot be brought together
├── FileError               a file cannot be read or written
├── ChannelError            a channel of that name does not exist
├── Cancelled               the caller asked for an end before there was a result
└── SolverError             a run could not go on; what was solved is kept
    ├── StepTooSmall
    ├── NoProgress
    ├── Conflict
    └── NotFinite

Each carries its data as attributes; `str(error)` is one sentence for people.
"""

from __future__ import annotations

import re
from typing import Any

QUOTED, WHOLE = 80, 1000  # letters of what is quoted, and of a whole sentence


def sentence(text: str) -> str:
    """A text as one line for people: what it quotes from files is cut, and letters that cannot be
    written are replaced."""
    line = " ".join(text.encode("utf-8", "replace").decode("utf-8").split())
    line = "".join(letter if letter.isprintable() else "?" for letter in line)
    line = re.sub(rf"(?<!\w)'([^']{{{QUOTED + 1},}})'(?!\w)", _cut, line)
    return line if len(line) <= WHOLE else f"{line[:WHOLE]} …"


def _cut(quoted: re.Match[str]) -> str:
    """The beginning of a text, the end of a path: there stands which file it is."""
    text = quoted[1]
    return f"'…{text[1 - QUOTED :]}'" if text.startswith("/") else f"'{text[:QUOTED]}…'"


class ImpetoError(Exception):
    """Base class of all errors that are meant for the user."""

    def __init__(self, text: str = "") -> None:
        super().__init__(sentence(text))


class ModelError(ImpetoError):
    """Something in the model cannot be used.

    element, field : where it is (either may be empty)
    problem, remedy : what is wrong and what to do
    """

    def __init__(
        self, problem: str, *, element: str = "", field: str = "", remedy: str = ""
    ) -> None:
        self.problem, self.element, self.field, self.remedy = (
            sentence(problem), sentence(element), field, sentence(remedy)
        )  # fmt: skip
        where = ", ".join(part for part in (element, field.replace("_", " ")) if part)
        text = f"{where}: {problem}" if where else problem[:1].upper() + problem[1:]
        super().__init__(f"{text}. {remedy}." if remedy else f"{text}.")

    def __reduce__(self) -> tuple[Any, ...]:
        return _again, (type(self), self.problem, self.element, self.field, self.remedy)

    def placed(self, element: str, field: str) -> ModelError:
        """The same complaint at another place."""
        return type(self)(self.problem, element=element, field=field, remedy=self.remedy)

    def at(self, element: str, field: str = "") -> ModelError:
        """The same complaint with the place filled in."""
        return type(self)(
            self.problem,
            element=self.element or element,
            field=self.field or field,
            remedy=self.remedy,
        )


def _again(kind: type[ModelError], problem: str, element: str, field: str, remedy: str) -> Any:
    """A complaint that comes back from another process."""
    return kind(problem, element=element, field=field, remedy=remedy)


class FormulaError(ModelError):
    """A value or formula cannot be read or evaluated."""


class GapError(ModelError):
    """Joint frames are apart and the bodies cannot be brought together."""


class FileError(ImpetoError):
    """A file cannot be read or written."""


class ChannelError(ImpetoError):
    """No channel has that name."""


class Cancelled(ImpetoError):
    """The caller asked for an end before there was a result."""


class SolverError(ImpetoError):
    """A run could not go on.

    time : s, the last good instant
    suspect : name of the element that moved or changed fastest
    """

    def __init__(self, problem: str, *, time: float, suspect: str) -> None:
        self.problem, self.time, self.suspect = problem, time, suspect
        super().__init__(
            f"The run stopped at {time:.6g} s: {problem}. Look at {suspect} first; "
            "what was solved until then is kept."
        )


class StepTooSmall(SolverError):
    """The step needed for the asked accuracy fell below the smallest allowed."""

    def __init__(self, *, time: float, step: float, suspect: str) -> None:
        self.step = step
        super().__init__(
            f"a step of {step:.1e} s was still too long for the asked accuracy",
            time=time,
            suspect=suspect,
        )


class NotFinite(SolverError):
    """A formula or the equations gave something that is not a number."""

    def __init__(self, *, time: float, suspect: str) -> None:
        super().__init__(
            "a value became infinite or undefined (a division by zero?)",
            time=time,
            suspect=suspect,
        )


class NoProgress(SolverError):
    """Something switches back and forth without time going on."""

    def __init__(self, *, time: float, suspect: str) -> None:
        super().__init__(
            "something switches back and forth without end (a sign() of a speed acts like this: "
            "use the friction of a joint)",
            time=time,
            suspect=suspect,
        )


class Conflict(SolverError):
    """Constraints or prescribed motions contradict each other."""

    def __init__(self, *, time: float, what: str, suspect: str) -> None:
        super().__init__(what, time=time, suspect=suspect)
