"""The code in the documentation runs, and uses every public name."""

import ast
import re
from pathlib import Path

import impeto

DOCS = Path(__file__).parents[2] / "docs"
CODE = re.compile(r"^```python\n(.*?)^```", re.MULTILINE | re.DOTALL)


def test_every_piece_of_code_of_the_python_page_runs(tmp_path, monkeypatch):
    monkeypatch.chdir(tmp_path)
    page, names = (DOCS / "python.md").read_text(encoding="utf-8"), {"__name__": "page"}
    for found in CODE.finditer(page):
        line = page.count("\n", 0, found.start(1))
        exec(compile("\n" * line + found.group(1), "docs/python.md", "exec"), names)


def test_every_public_name_is_used_in_an_example():
    page = (DOCS / "python.md").read_text(encoding="utf-8")
    code = ast.parse("\n".join(CODE.findall(page)))
    used = {
        node.attr for node in ast.walk(code)
        if isinstance(node, ast.Attribute) and isinstance(node.value, ast.Name)
        and node.value.id == "im"
    }  # fmt: skip
    assert not set(impeto.__all__) - used
    assert not used - set(impeto.__all__)
