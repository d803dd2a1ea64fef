"""How far the error that a run estimates is from the true one, for a test and for
docs/verification.md."""

import numpy as np

import impeto
from tests.core.building import G, body, frame, joint, run
from tests.verification import PROBLEMS, gimbals, six_hinges

ACCURACIES = ("draft", "normal", "fine")


def hanging_chain(count):
    """Links on pins, let go from the level."""
    elements = [impeto.Gravity(name="gravity", size=G), frame("hook")]
    for k in range(count):
        elements += [
            body(f"link_{k}", 1.0, (1e-3, 1e-2, 1e-2), position=(0.1 * k + 0.05, 0, 0)),
            frame(f"eye_{k}", f"link_{k}", -0.05), frame(f"end_{k}", f"link_{k}", 0.05),
            joint(f"pin_{k}", f"end_{k - 1}" if k else "hook", f"eye_{k}", "turn y"),
        ]  # fmt: skip
    return elements


def against_finest(elements, until):
    """At each accuracy the error of all places and angles against a run at 1e-13, over the size,
    and the estimate."""
    exact = run(elements, until, 1e-13)
    n = exact.system.moving
    scale = np.tile([1.0 / exact.system.size] * 3 + [2.0] * 4, n)
    for at in ACCURACIES:
        r = run(elements, until, at)
        off = np.abs(np.asarray(r.state)[:, : 7 * n] - np.asarray(exact.state)[:, : 7 * n])
        yield float((off * scale).max()), r.statistics.error


SENSITIVE = {
    "Chain of 20 links for 5 s": lambda: (hanging_chain(20), 5.0),
    "Chain of 20 links for 8 s": lambda: (hanging_chain(20), 8.0),
    "Double pendulum for 20 s": lambda: (hanging_chain(2), 20.0),
    "Overconstrained six-bar loop in space": lambda: (six_hinges(), 3.0),
    "Gyroscope in gimbals": lambda: (gimbals()[0], 0.8),
}


def estimates():
    """For each reference problem once, and for motions that are sensitive or fast in part, against
    runs at 1e-13: the title, and at each accuracy the true error and the one that the run
    estimates."""
    for title, made in SENSITIVE.items():
        yield title, list(against_finest(*made()))
    seen = set()
    for listed in PROBLEMS:
        place = getattr(listed.solve, "place", None)
        if place is None or place in seen or place[1] == "N40":
            continue
        seen.add(place)
        held = [listed.solve.held(at) for at in ACCURACIES]
        yield listed.title.split(" (")[0], [(error, r.statistics.error) for error, r in held]
