"""The program in the menus of the desktop."""

import xml.etree.ElementTree as ET

import pytest

from impeto.core.errors import FileError
from impeto.launch import main
from impeto.services import desktop


def test_installing_puts_entry_icon_and_file_type_where_the_desktop_looks(
    tmp_path, monkeypatch, capsys
):
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path))
    assert main(["install"]) == 0
    entry, icon, kind = (tmp_path / line for line in capsys.readouterr().out.split())
    lines = dict(line.split("=", 1) for line in entry.read_text().splitlines() if "=" in line)
    assert lines["Exec"].endswith("impeto open %f")
    assert lines["MimeType"].rstrip(";") in kind.read_text()
    assert ET.parse(icon).getroot().tag.endswith("svg")
    assert ET.parse(kind).getroot().find(".//{*}glob").get("pattern") == "*.impeto.json"


def test_a_folder_that_cannot_be_written_ends_in_a_sentence(tmp_path):
    (tmp_path / "applications").write_text("in the way")
    with pytest.raises(FileError, match="cannot be written"):
        desktop.install(tmp_path)
