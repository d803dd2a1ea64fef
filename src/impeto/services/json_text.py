"""JSON as people read and compare it: what is short stands in one line."""

from __future__ import annotations

import json
from typing import Any

SHORT = 80  # letters of what stands in one line


def to_text(data: Any, depth: int = 0) -> str:
    """The text of what json.loads would give, indented by one blank a level."""
    line = json.dumps(data, ensure_ascii=False)
    if (depth and len(line) <= SHORT) or not isinstance(data, (dict, list)):
        return line
    gap = "\n" + " " * (depth + 1)
    if isinstance(data, dict):
        keyed = (
            f"{json.dumps(key, ensure_ascii=False)}: {to_text(value, depth + 1)}"
            for key, value in data.items()
        )
        return f"{{{gap}{f',{gap}'.join(keyed)}{gap[:-1]}}}"
    items = (to_text(item, depth + 1) for item in data)
    return f"[{gap}{f',{gap}'.join(items)}{gap[:-1]}]"
