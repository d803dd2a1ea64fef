"""Films of a run, by the window and by the shell, read back picture by picture."""

import gc
import os
import re
import signal
from pathlib import Path

import imageio_ffmpeg
import numpy as np
import pytest
from PyQt6.QtCore import QSizeF, Qt
from PyQt6.QtGui import QColor
from PyQt6.QtWidgets import QComboBox, QLineEdit
from vtkmodules.util.numpy_support import vtk_to_numpy
from vtkmodules.vtkCommonExecutionModel import vtkStreamingDemandDrivenPipeline
from vtkmodules.vtkIOGeometry import vtkGLTFReader

import impeto
from impeto.app.film import Camera, Shot, as_bytes
from impeto.app.film_dialog import FilmDialog
from impeto.app.printing import laid_out
from impeto.app.solids import solids_of
from impeto.core.model import units
from impeto.core.results.poses import poses
from impeto.launch import main
from impeto.services.drawing_file import Z_UP
from tests.app.test_by_hand import CTRL, SHIFT

# The package of the encoder leaves the ends of its pipes to the garbage collector.
pytestmark = pytest.mark.filterwarnings("ignore::pytest.PytestUnraisableExceptionWarning")


@pytest.fixture(autouse=True)
def pipes():
    """Collected here, not in another test."""
    yield
    gc.collect()


def pictures(path):
    """Size, pictures a second, and all pictures of a film."""
    reader = imageio_ffmpeg.read_frames(str(path))
    about = next(reader)
    width, height = about["size"]
    frames = [np.frombuffer(f, dtype=np.uint8).reshape(height, width, 3) for f in reader]
    return about["size"], about["fps"], frames


@pytest.fixture
def dialog(solved, qtbot, hand):
    hand.keys((Qt.Key.Key_E, CTRL | SHIFT))
    found = solved.findChild(FilmDialog)
    qtbot.waitUntil(found.isVisible)
    return found


def set_to(dialog, qtbot, **fields):
    for name, text in fields.items():
        widget = getattr(dialog, name)
        if isinstance(widget, QComboBox):
            widget.setCurrentText(text)
        else:
            assert isinstance(widget, QLineEdit)
            widget.setFocus()
            widget.selectAll()
            qtbot.keyClicks(widget, text)


def test_a_film_shows_what_the_stage_shows_at_true_and_at_slow_speed(
    solved, dialog, qtbot, tmp_path
):
    assert dialog.about.text() == "13 pictures, 0.4 s of film."
    set_to(dialog, qtbot, begin="0.1 s", end="0.2 s", speed="1/5", size_of="960 × 540")
    assert dialog.about.text() == "16 pictures, 0.5 s of film."
    dialog.film(tmp_path / "slow.mp4")
    assert not dialog.write.isEnabled()
    qtbot.waitUntil(lambda: dialog.filming is None)
    assert dialog.about.text() == "Written to slow.mp4."
    size, rate, frames = pictures(tmp_path / "slow.mp4")
    assert (size, rate, len(frames)) == ((960, 540), 30.0, 16)
    camera = Camera(solved.document.run.recording, size, solved.look, solved.stage)
    for number, moment in ((0, 0.1), (15, 0.2)):
        picture = as_bytes(camera.picture(moment, True))
        expected = np.frombuffer(picture, dtype=np.uint8).reshape(540, 960, 3)
        off = np.abs(frames[number].astype(int) - expected.astype(int))
        assert np.median(off) <= 3
        assert off.mean() < 6.0, "the encoder loses a little, the picture is the same"
    camera.close()
    assert np.abs(frames[0].astype(int) - frames[15].astype(int)).mean() > 1.0


def test_a_moving_picture_has_as_many_frames(solved, dialog, qtbot, tmp_path):
    set_to(dialog, qtbot, end="0.2 s", rate="15", size_of="960 × 540")
    dialog.clock.setChecked(False)
    dialog.film(tmp_path / "saw.gif")
    qtbot.waitUntil(lambda: dialog.filming is None)
    size, _, frames = pictures(tmp_path / "saw.gif")
    assert (size, len(frames)) == ((960, 540), 4)


def test_a_film_that_is_stopped_leaves_nothing_and_the_file_that_was_there(
    solved, dialog, qtbot, tmp_path
):
    path = tmp_path / "run.mp4"
    path.write_text("an older film")
    set_to(dialog, qtbot, speed="1/100")
    dialog.film(path)
    qtbot.waitUntil(lambda: dialog.progress.value() > 0)
    qtbot.mouseClick(dialog.stop, Qt.MouseButton.LeftButton)
    assert dialog.about.text() == "The film was stopped: nothing was written."
    assert path.read_text() == "an older film"
    assert [p.name for p in tmp_path.iterdir() if "run" in p.name] == ["run.mp4"]


@pytest.mark.parametrize("by", ["closing the dialog", "an encoder that ends"])
def test_a_film_that_cannot_go_on_leaves_nothing(solved, dialog, qtbot, tmp_path, by):
    set_to(dialog, qtbot, speed="1/100")
    dialog.film(tmp_path / "run.mp4")
    qtbot.waitUntil(lambda: dialog.progress.value() > 0)
    told = "The film was stopped: nothing was written."
    if by == "closing the dialog":
        dialog.close()
    else:
        for number in Path(f"/proc/self/task/{os.getpid()}/children").read_text().split():
            if "ffmpeg" in Path(f"/proc/{number}/comm").read_text():
                os.kill(int(number), signal.SIGKILL)
        told = f"'{tmp_path / 'run.mp4'}' could not be written: the encoder stopped."
    qtbot.waitUntil(lambda: dialog.filming is None)
    assert dialog.about.text() == told
    assert not list(tmp_path.glob("*run*")) + list(tmp_path.glob(".impeto-*"))


def test_what_cannot_be_filmed_is_told_in_the_dialog(solved, dialog, qtbot, tmp_path):
    for begin, end, told in (
        ("0.3 s", "0.2 s", "its end is not after its beginning"),
        ("0.1 kg", "0.2 s", "A mass stands where a time"), ("soon", "0.2 s", "soon"),
    ):  # fmt: skip
        set_to(dialog, qtbot, begin=begin, end=end)
        assert told in dialog.about.text()
        assert not dialog.write.isEnabled()
    set_to(dialog, qtbot, begin="0 s", end="0.1 s")
    dialog.film(tmp_path / "nowhere" / "run.mp4")
    assert "cannot be written" in dialog.about.text()
    dialog.film(tmp_path / "run.avi")
    assert "its name must end in .mp4 or .gif" in dialog.about.text()
    with pytest.raises(impeto.FileError, match="at most 20,000 are made"):
        Shot(0.0, 1000.0, 0.01).check()


def test_a_film_by_the_shell(gang_saw, tmp_path, capsys):
    impeto.simulate(gang_saw, until=0.2).save(tmp_path / "run.h5")
    given = ["film", str(tmp_path / "run.h5"), "--out", str(tmp_path / "run.mp4"),
             "--size", "640x360", "--speed", "0.5", "--rate", "20", "--view", "front"]  # fmt: skip
    assert main(given) == 0
    assert "9 pictures" in capsys.readouterr().out
    size, rate, frames = pictures(tmp_path / "run.mp4")
    assert (size, rate, len(frames)) == ((640, 360), 20.0, 9)
    for wrong, told in (("--view", "is no view"), ("--size", "is no size")):
        assert main([*given, wrong, "sideways"]) == 1
        assert told in capsys.readouterr().err
    assert main([*given, "--size", "641x360"]) == 1
    assert "both sides are even" in capsys.readouterr().err


def test_a_film_has_the_charts_below_and_the_cursor_goes_along(solved, dialog, qtbot, tmp_path):
    set_to(dialog, qtbot, begin="0.1 s", end="0.3 s", size_of="960 × 540")
    dialog.charts.setChecked(True)
    dialog.film(tmp_path / "charts.mp4")
    qtbot.waitUntil(lambda: dialog.filming is None)
    _, _, frames = pictures(tmp_path / "charts.mp4")
    first, last = (frame[350:].astype(int) for frame in (frames[0], frames[-1]))
    changed = np.abs(first - last).max(axis=(0, 2)) > 60  # columns of the cursor, and of numbers
    assert changed.any()
    assert changed.mean() < 0.5, "curves stand still"
    paint = np.array(QColor(solved.look.curves[0]).getRgb()[:3])
    assert (np.abs(first - paint).max(axis=2) < 110).sum() > 100, "a curve is there"


def by_vtk(path, share):
    """Vertices in the world that another library reads, by the name of their node, at a share of
    the time."""
    reader = vtkGLTFReader()
    reader.SetFileName(str(path))
    reader.ApplyDeformationsToGeometryOn()
    reader.UpdateInformation()
    reader.EnableAnimation(0)
    reader.SetFrameRate(1000)
    reader.UpdateInformation()
    end = reader.GetAnimationDuration(0)
    reader.GetOutputInformation(0).Set(vtkStreamingDemandDrivenPipeline.UPDATE_TIME_STEP(),
                                       share * end)  # fmt: skip
    reader.Update()
    found, each = [], reader.GetOutput().NewIterator()
    while not each.IsDoneWithTraversal():
        found.append(vtk_to_numpy(each.GetCurrentDataObject().GetPoints().GetData()))
        each.GoToNextItem()
    return end, found


def test_the_machine_in_motion_is_read_back_where_the_run_was(solved, dialog, qtbot, tmp_path):
    r, path = solved.document.run.recording, tmp_path / "saw.glb"
    set_to(dialog, qtbot, begin="0 s", end="0.4 s", speed="1/5")
    dialog.film(path)
    qtbot.waitUntil(lambda: dialog.job is None)
    assert dialog.about.text() == "Written to saw.glb."
    solids = solids_of(r)
    for share in (0.0, 0.5, 1.0):
        end, read = by_vtk(path, share)
        assert end == pytest.approx(2.0)  # s: five times slower
        origins, rotations = poses(r, share * 0.4)
        assert len(read) == len(solids)
        for (name, solid), points in zip(solids.items(), read, strict=True):
            row = r.bodies.get(name, 0)
            at = solid.triangles.vertices @ rotations[row].T + origins[row]
            assert points == pytest.approx(at @ Z_UP, abs=2e-5)  # y upwards
    solved.document.set_instant(0.0)


def test_motion_by_the_shell_and_what_cannot_be_written(gang_saw, tmp_path, capsys):
    impeto.simulate(gang_saw, until=0.1).save(tmp_path / "run.h5")
    given = ["film", str(tmp_path / "run.h5"), "--out", str(tmp_path / "run.glb")]
    assert main(given) == 0
    assert (tmp_path / "run.glb").read_bytes()[:4] == b"glTF"
    assert main([*given, "--charts", "rod.velocity"]) == 1
    assert "the machine alone" in capsys.readouterr().err
    given[-1] = str(tmp_path / "run.mp4")
    charts = ["--charts", "average(rod.position.z, 0.1 s), crank.pitch; main_bearing.force"]
    assert main([*given, *charts, "--size", "640x480"]) == 0
    assert main([*given, "--charts", "nothing.here"]) == 1
    assert "nothing.here" in capsys.readouterr().err
    given[-1] = str(tmp_path / "nowhere" / "run.glb")
    assert main(given) == 1
    assert "cannot be written" in capsys.readouterr().err


def test_a_report_of_what_is_shown_by_one_command(solved, qtbot, tmp_path):
    command = solved.commands.named("Report on what is shown")
    assert not command.missing
    solved.beside.report(tmp_path / "saw.html")
    qtbot.waitUntil(lambda: solved.toast.text() == "Written to saw.html.")
    text = (tmp_path / "saw.html").read_text(encoding="utf-8")
    assert "data:image/png;base64," in text
    for name in solved.watch.table.channels:
        assert name in text
    solved.beside.report(tmp_path / "saw.pdf")
    qtbot.waitUntil(lambda: solved.toast.text() == "Written to saw.pdf.")
    content = (tmp_path / "saw.pdf").read_bytes()
    assert content.startswith(b"%PDF")
    assert len(re.findall(rb"/Type\s*/Page\b", content)) >= 2
    laid = laid_out(text, QSizeF(670.0, 1000.0))
    said = laid.toPlainText()
    r = solved.document.run.recording
    assert units.digits(r["crank_drive.torque"].max() / 1e3) in said
    assert said.count(chr(0xFFFC)) == text.count("<svg") + 1  # charts, and the picture
    assert "impeto-chart" not in said
    solved.beside.report(tmp_path / "saw.txt")
    qtbot.waitUntil(lambda: "must end in .html" in solved.toast.text())
    for name in list(solved.document.shown_runs):
        solved.document.show_run(name, False)
    assert command.missing
