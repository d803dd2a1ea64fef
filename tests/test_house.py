"""The house rules: import contracts that hold and that break when they should, the public face,
and the examples of the documentation."""

import re
import shutil
import subprocess
import sys
from pathlib import Path

import pytest

import impeto

ROOT = Path(__file__).parents[1]


def lint(folder):
    return subprocess.run(
        [Path(sys.executable).parent / "lint-imports", "--no-cache"],
        cwd=folder, env={"PYTHONPATH": str(folder / "src"), "PATH": "/usr/bin:/bin"},
        capture_output=True, text=True,
    )  # fmt: skip


@pytest.mark.parametrize(
    ("module", "line", "contract"),
    [
        ("core/errors.py", "import impeto.services.tables", "Layers of the package"),
        ("cli/commands.py", "import impeto.app.theme", "Layers of the package"),
        ("core/geometry/mass.py", "import impeto.core.dynamics.kkt", "Layers of the core"),
        (
            "core/solvers/initial_conditions.py",
            "import impeto.core.results.figures",
            "Layers of the core",
        ),
        ("services/tables.py", "import PyQt6", "Qt and the 3D view only in the app"),
        ("core/results/figures.py", "import json", "The core knows no files of ours"),
        (
            "core/forces/lines.py",
            "import impeto.core.joints.model",
            "Families do not know each other",
        ),
        ("core/solvers/run.py", "import impeto.core.solvers.loop", "No cycles among siblings"),
        ("app/stage/canvas.py", "import impeto.app.stage.view", "No cycles among siblings"),
    ],
)
def test_a_forbidden_import_breaks_its_contract(tmp_path, module, line, contract):
    shutil.copytree(ROOT / "src", tmp_path / "src", ignore=shutil.ignore_patterns("__pycache__"))
    shutil.copy(ROOT / "pyproject.toml", tmp_path)
    path = tmp_path / "src" / "impeto" / module
    path.write_text(path.read_text() + f"\n{line}\n")
    done = lint(tmp_path)
    assert done.returncode == 1
    assert f"{contract} BROKEN" in done.stdout


def test_the_public_face_exports_what_it_lists():
    for name in impeto.__all__:
        assert hasattr(impeto, name), name
        documented = getattr(impeto, name)
        if callable(documented):
            assert documented.__doc__, name


def test_the_example_on_the_first_page_runs(tmp_path, monkeypatch):
    blocks = re.findall(r"```python\n(.*?)```", (ROOT / "README.md").read_text(), re.DOTALL)
    assert len([line for line in blocks[0].splitlines() if line]) <= 10
    monkeypatch.chdir(tmp_path)
    monkeypatch.setenv("MPLBACKEND", "Agg")
    scope = {}
    exec(compile(blocks[0], "README.md", "exec"), scope)  # our own text, not a user's
    recording = scope["recording"]
    assert recording.time[-1] == pytest.approx(5.0)
    assert (tmp_path / "pin_force.png").stat().st_size > 5000


def test_modules_fit_a_head():
    for path in (ROOT / "src").rglob("*.py"):
        assert len(path.read_text().splitlines()) <= 400, path


@pytest.mark.parametrize(
    ("traces", "files"),
    [
        (
            r"\bDrag\b[^\"]|DragData|DRAGS|T\.drag\b|X_WINDS",
            ["app/kinds/forces", "core/dynamics/tables", "core/forces/drags", "core/forces/kinds"],
        ),
        (
            r"\bTorus\b|of_torus",
            ["app/gestures", "core/bodies/forms", "core/bodies/shapes", "core/geometry/torus"],
        ),
        (r"\bRope\b[^\"]", ["app/kinds/forces", "core/forces/kinds", "core/forces/lines"]),
        (
            r"\bWorm\b[^\"]",
            ["app/gestures", "app/kinds/couplers", "core/couplers/compile", "core/couplers/model"],
        ),
        (
            r"FIXED_DISTANCE|distance_row|import distances|TWIST, DISTANCE|\bdistance: Written",
            [
                "core/dynamics/tables",
                "core/joints/distances",
                "core/joints/kinds",
                "core/joints/model",
            ],
        ),
        (
            r"\bTWIST\b|CONSTANT_VELOCITY|twist_row|import constant_velocity",
            ["core/dynamics/tables", "core/joints/constant_velocity", "core/joints/kinds"],
        ),
    ],
)
def test_a_kind_is_known_in_few_files(traces, files):
    """Those to touch for another force with arrays, shape, line force, coupler, special joint."""
    source = ROOT / "src" / "impeto"
    found = [p for p in source.rglob("*.py") if re.search(traces, p.read_text())]
    assert sorted(str(p.relative_to(source).with_suffix("")) for p in found) == files


def test_links_of_the_readme_lead_somewhere():
    text = (ROOT / "README.md").read_text()
    for target in re.findall(r"\]\(([^)#:]+)\)", text):
        assert (ROOT / target).exists(), target
