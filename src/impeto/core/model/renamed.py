"""Names of quantities that channels had before: they are still read."""

from __future__ import annotations

NOW = {
    "spin": "angular_velocity",
    "spin_rate": "angular_acceleration",
    "spin_local": "angular_velocity_local",
}


def present(path: str) -> str:
    """The present name of a channel, 'bar.angular_velocity.x' for 'bar.spin.x'."""
    owner, *rest = path.split(".")
    return ".".join([owner, *(NOW.get(part, part) for part in rest)])
