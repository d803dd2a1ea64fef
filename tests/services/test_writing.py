"""Saving: the old file or the new one, whole, and nothing left behind."""

import os
import random
import signal
import stat
import subprocess
import sys
import time

import numpy as np
import pytest

from impeto.core.errors import FileError
from impeto.services import model_file, scratch
from impeto.services.atomic import replacing

WRITER = """
import sys
from pathlib import Path
from impeto.services.atomic import replacing
path, number = Path(sys.argv[1]), 0
print("ready", flush=True)
while True:
    number += 1
    with replacing(path) as temporary:
        temporary.write_text(f"{number}\\n" * 20000)
"""


def test_a_process_that_is_killed_while_it_saves_leaves_a_whole_file(tmp_path):
    path, chance = tmp_path / "model.json", random.Random(0)
    path.write_text("0\n" * 20000)
    for _ in range(12):
        writer = subprocess.Popen([sys.executable, "-c", WRITER, str(path)], stdout=subprocess.PIPE)
        writer.stdout.readline()
        time.sleep(chance.uniform(0.0, 0.05))
        writer.send_signal(signal.SIGKILL)
        writer.wait()
        writer.stdout.close()
        lines = path.read_text().split()
        assert len(lines) == 20000
        assert len(set(lines)) == 1
    with replacing(path) as temporary:
        temporary.write_text("done")
    assert [entry.name for entry in tmp_path.iterdir()] == ["model.json"]


def test_permissions_links_and_the_umask_are_kept(tmp_path):
    path = tmp_path / "shared.txt"
    old = os.umask(0o027)
    try:
        with replacing(path) as temporary:
            temporary.write_text("new")
    finally:
        os.umask(old)
    assert stat.S_IMODE(path.stat().st_mode) == 0o640
    path.chmod(0o664)
    link = tmp_path / "link.txt"
    link.symlink_to(path)
    with replacing(link) as temporary:
        temporary.write_text("through the link")
    assert link.is_symlink()
    assert path.read_text() == "through the link"
    assert stat.S_IMODE(path.stat().st_mode) == 0o664


def test_a_block_that_fails_leaves_the_old_file_and_nothing_else(tmp_path):
    path = tmp_path / "a.txt"
    path.write_text("old")

    def write():
        with replacing(path) as temporary:
            temporary.write_text("half")
            raise OSError(28, "No space left on device")

    with pytest.raises(FileError, match="no space left on device"):
        write()
    assert path.read_text() == "old"
    assert len(list(tmp_path.iterdir())) == 1
    with pytest.raises(FileError, match="cannot be written"):
        model_file.save(model_file.load_demo("gang_saw"), tmp_path / "none" / "m.impeto.json")
    with pytest.raises(FileError, match="cannot be written"):
        model_file.save(model_file.load_demo("gang_saw"), tmp_path / "a\0b")


def test_room_for_a_run_is_reserved_or_found_in_memory(monkeypatch):
    room = scratch.Scratch()
    large = (scratch.IN_MEMORY // 8 + 1, 1)
    array = room.allocate(large)
    assert isinstance(array.base, np.memmap)
    assert not array.any()
    assert room.note == ""

    def full(*_):
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(os, "posix_fallocate", full)
    array = room.allocate(large)
    assert not isinstance(array.base, np.memmap)
    assert "no room" in room.note
    with pytest.raises(FileError, match="record fewer"):
        room.allocate((10**15,))
