"""Write the hashes of all packages in the lock files, from the package index.

    .venv/bin/python .ci/lock.py requirements*.lock src/impeto/services/step/reader.lock

Lines `name==version` are kept, with the SHA-256 of the sources and of each wheel for Linux below
them; pip then takes nothing else. Run it after a version was changed by hand.
"""

import json
import re
import sys
import urllib.request
from pathlib import Path

from packaging.utils import (
    InvalidSdistFilename,
    InvalidWheelFilename,
    canonicalize_name,
    parse_sdist_filename,
    parse_wheel_filename,
)
from packaging.version import Version

INDEX = "https://pypi.org/simple/{}/"
FORMAT = "application/vnd.pypi.simple.v1+json"
PINNED = re.compile(r"^([A-Za-z0-9._-]+)==([^\s\\]+)")
OLDEST = 11  # CPython 3.11


def hashes_of(name: str, version: str) -> list[str]:
    """Of the files of a release that CPython on Linux may take."""
    address = INDEX.format(canonicalize_name(name))
    request = urllib.request.Request(address, headers={"Accept": FORMAT})
    with urllib.request.urlopen(request, timeout=60) as answer:
        files = json.load(answer)["files"]
    found = [f["hashes"]["sha256"] for f in files if is_taken(f["filename"], Version(version))]
    if not found:
        raise SystemExit(f"The index has no file of {name} {version}: correct its version.")
    return sorted(found)


def is_taken(filename: str, version: Version) -> bool:
    try:
        return parse_sdist_filename(filename)[1] == version
    except InvalidSdistFilename:
        pass
    try:
        _, its, _, tags = parse_wheel_filename(filename)
    except InvalidWheelFilename:  # of before wheels, or not named as they are to be
        return False
    return its == version and any(map(fits, tags))


def fits(tag) -> bool:
    python = re.fullmatch(r"(cp|py)3(\d*)", tag.interpreter)
    on_linux = tag.platform == "any" or "manylinux" in tag.platform
    if python is None or not on_linux:
        return False
    least = int(python[2] or 0)
    return python[1] == "py" or tag.abi == "abi3" or least >= OLDEST


def locked(text: str) -> str:
    lines = []
    for line in text.splitlines():
        pinned = PINNED.match(line)
        if pinned:
            entries = [f"    --hash=sha256:{each}" for each in hashes_of(*pinned.groups())]
            lines += [f"{pinned[1]}=={pinned[2]} \\", " \\\n".join(entries)]
        elif not line.startswith("    --hash"):
            lines.append(line)
    return "\n".join(lines) + "\n"


if __name__ == "__main__":
    for name in sys.argv[1:]:
        path = Path(name)
        path.write_text(locked(path.read_text()))
