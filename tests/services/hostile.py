"""Damaged and malicious files made from the demos.

`python -m tests.services.hostile 2000` checks so many and prints each outcome that is neither a
result nor one sentence.
"""

import copy
import json
import random
import sys

from impeto.core.check import check
from impeto.core.errors import ImpetoError
from impeto.core.simulate import simulate
from impeto.services import model_file

NASTY = (
    None, True, False, 0, -1, 1e300, -1e-300, 10**400, [], {}, [1, 2], "", " ", "t", "pi", "ground",
    "1e150 m", "10**400", "10^400 m", "-5 kg", "0 s", "1/0", "nan", "inf", "((((", "sin(", "-1",
    "a" * 300, "\u202e\u0000x", "<img src='fifo.png'>", "../../../etc/passwd", "1 m^400", "x.y.z",
    "*".join(["2"] * 500), {"kind": []}, {"kind": {"a": 1}}, [{"kind": "box"}], "1e-300 s",
    "sqrt(-1)", "1 m + 1 s",
)  # fmt: skip
LONGEST = 1200  # letters of a sentence


def places(data, path=()):
    """Every place in JSON data."""
    yield path
    if isinstance(data, dict):
        for key, item in data.items():
            yield from places(item, (*path, key))
    elif isinstance(data, list):
        for index, item in enumerate(data[:3]):
            yield from places(item, (*path, index))


def damaged(data, chance):
    """A copy with one to three places replaced, removed, doubled or renamed."""
    data = copy.deepcopy(data)
    for _ in range(chance.randint(1, 3)):
        path = chance.choice([p for p in places(data) if p])
        holder = data
        for key in path[:-1]:
            holder = holder[key]
        last, way = path[-1], chance.random()
        if way < 0.6:
            holder[last] = copy.deepcopy(chance.choice(NASTY))
        elif way < 0.75:
            del holder[last]
        elif isinstance(holder, dict):
            name = str(chance.choice(("ground", "m", "x" * 2000, "t", "a b", "\n", last)))
            holder[name] = holder.pop(last)
        else:
            holder.append(copy.deepcopy(holder[last]))
    return data


def outcome(text):
    """'' when a model's text gives a result or one sentence; else what went wrong."""
    try:
        model = model_file.parse(text, "the file")
        model_file.to_text(model).encode("utf-8")
        health = check(model)
        for finding in health.findings:
            if "\n" in finding.message:
                return f"a finding of several lines: {finding.message!r}"
        if not any(finding.severity == "bad" for finding in health.findings):
            simulate(model, until="2 ms")
    except ImpetoError as error:
        said = str(error)
        if "\n" in said or len(said) > LONGEST or not said.endswith((".", "…")):
            return f"not one short sentence: {said[:300]!r}"
    except Exception as error:
        return f"{type(error).__name__}: {error}"[:300]
    return ""


def sources(names):
    """JSON data of demos; long lists of alike elements are cut so that each trial is short."""
    for name in names:
        yield json.loads(model_file.to_text(model_file.load_demo(name)))


def main():
    count, chance = int(sys.argv[1]), random.Random(int(sys.argv[2]) if len(sys.argv) > 2 else 0)
    demos = list(sources(("gang_saw", "offcut_kicker", "scale_platform", "log_forwarder")))
    bad = 0
    for number in range(count):
        text = json.dumps(damaged(chance.choice(demos), chance))
        said = outcome(text)
        if said:
            bad += 1
            print(number, said)
    print(f"{count} files, {bad} with another outcome than a result or a sentence")
    return 1 if bad else 0


if __name__ == "__main__":
    sys.exit(main())
