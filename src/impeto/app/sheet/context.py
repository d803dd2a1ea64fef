"""What the forms of the Sheet share."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from impeto.app.theme import Theme
from impeto.core.model.scope import Scope


@dataclass
class FormContext:
    """What every editor needs: values of the case, complaints, and which parts are unfolded."""

    scope: Scope
    complain: Callable[[str], None]
    unfolded: set[str]
    rebuild: Callable[[], None]
    look: Theme
