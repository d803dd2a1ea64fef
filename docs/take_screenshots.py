"""Pictures of the main views, from demo data.

Run: xvfb-run -a .venv/bin/python docs/take_screenshots.py
"""

from __future__ import annotations

import sys
import tempfile
import time
from dataclasses import replace
from importlib import resources
from pathlib import Path

from PyQt6.QtCore import QPoint, QSettings
from PyQt6.QtGui import QPainter

import impeto as im
from impeto.app.compare.rows import edited
from impeto.app.document import Document
from impeto.app.gestures import CONNECT
from impeto.app.linear_dialog import LinearDialog
from impeto.app.main_window import MainWindow
from impeto.app.mass_dialog import MassDialog
from impeto.app.outline_dialog import OutlineDialog
from impeto.app.stage.gesture import Pick
from impeto.app.start import application
from impeto.app.studies.dialog import StudyDialog
from impeto.core.model.looking import AGAINST, AMPLITUDES, PARTS
from impeto.core.model.scope import Scope
from impeto.core.simulate import simulate
from impeto.services import model_file

FOLDER = Path(__file__).parent / "screenshots"


def rest(seconds=0.6):
    """Let the window come to rest."""
    end = time.monotonic() + seconds
    while time.monotonic() < end:
        application().processEvents()


def shoot(window, name):
    rest()
    window.grab().save(str(FOLDER / f"{name}.png"))


def main():
    app = application()  # kept: Qt needs it as long as there are windows
    path = str(Path(tempfile.mkdtemp()) / "settings.ini")
    settings = QSettings(path, QSettings.Format.IniFormat)
    window = MainWindow(Document(model_file.load_demo("gang_saw")), settings)
    window.show()
    rest()
    window.document.select("crank_pin")
    shoot(window, "build")
    model = window.document.model
    for case in ("No counterweight", "Base"):
        window.document.add_run(simulate(model, case))
    window.document.show_run("No counterweight", True)
    window.watch.start_charts()
    window.watch.charts[1].remove("system.energy.kinetic")
    window.watch.charts[1].remove("system.energy.potential")
    window.watch.charts[1].remove("system.energy.balance")
    window.watch.charts[1].add("main_bearing.force")
    window.show_desk("Watch")
    window.stage_panel.show_on_stage(window.stage.vectors.joints, "crank_pin", True)
    window.stage_panel.show_on_stage(window.stage.paths, "big_end", True)
    reach = im.Gauge(name="reach", frame_a="shaft", frame_b="frame_eye")
    window.document.edit("gauge", window.document.model.with_element(reach))
    over = window.watch.add_chart()
    for name in ("reach.value", "rate(reach.value)"):
        over.add(name)
    over.show_as(AGAINST)
    window.document.set_instant(0.35)
    window.document.set_span(0.3, 0.51)
    window.watch.charts[0].plot.setXRange(0, 1.0, padding=0.01)
    shoot(window, "watch")
    window.switch_theme()
    shoot(window, "dark")
    window.switch_theme()
    show_cases(window)
    show_studies(window)
    show_beginning(window)
    show_outline(window)
    show_connecting(window)
    show_pieces(window)
    show_crane(window)
    show_parts(window)
    show_repeat(window)
    show_modes(window)
    show_events(window)
    show_map(window)
    show_chain(window)
    show_sorter(window)
    window.document._saved = window.document.model
    window.close()
    app.quit()


def show_cases(window):
    """The Compare desk: figures, targets and a check by hand of the cases, one built on another."""
    kept, runs = window.document.model, list(window.document.runs)
    model = kept
    for element in (
        im.FigureOf(name="stroke_speed", channel="saw_frame.velocity.z", figure="max", begin="1 s"),
        im.HandCheck(name="by_hand", figure="stroke_speed", within="0.1",
                     value="crank_radius*280 rpm*1 m/(1 m)", note="crank radius times its speed"),
    ):  # fmt: skip
        model = model.with_element(element)
    window.document.edit("what is asked", model)
    for name in model.cases:
        window.document.add_run(simulate(model, name, until=4.0))
    for run in window.document.runs[-2:]:
        window.document.show_run(run.name, True)
    window.show_desk("Compare")
    thick = next(row for row in window.compare.table.rows if row.title == "rim_thickness")
    case = model.cases["Motor with droop"]
    window.document.edit("thicker", edited(model, thick, case, "120 mm"))
    shoot(window, "compare")
    window.document.edit("as before", kept)
    window.document.runs[:] = runs
    window.document.runs_changed.emit()
    window.show_desk("Watch")


def show_studies(window):
    """The sweep and the search for the motor that the demo keeps."""
    kept = window.document.model
    window.document.edit("short", kept.changed(settings=replace(kept.settings, until="3 s")))
    window.beside.studies()
    dialog = next(iter(window.findChildren(StudyDialog)))
    dialog.setup.take_kept("speed_and_weight")
    dialog.setup.figure.setCurrentText("bearing_peak")
    solve(dialog)
    shoot(dialog, "sweep")
    dialog.setup.take_kept("smallest_motor")
    solve(dialog)
    shoot(dialog, "optimise")
    dialog.close()
    window.document.edit("as before", kept)


def solve(dialog):
    dialog.go.click()
    while dialog.job is not None:
        rest(0.1)


def show_repeat(window):
    """One roller and a repeat: a bed for logs; a member was picked. Then what all weighs."""
    window.document.open(roller_bed(), None)
    window.show_opened()
    window.stage.set_view("oblique")
    rest(1.0)
    window.document.select("roller_5")
    window.stage.show_badges = False
    window.stage.refresh()
    shoot(window, "repeat")
    window.stage.show_badges = True
    window.document.choose(["log", "roller"])
    window.beside.masses()
    dialog = next(d for d in window.findChildren(MassDialog))
    rest(1.0)
    picture = window.grab()
    painter = QPainter(picture)
    painter.drawPixmap(QPoint(200, 520), dialog.grab())
    painter.end()
    picture.save(str(FOLDER / "masses.png"))
    dialog.hide()


def show_pieces(window):
    """The crane's assembly, its foot on the ground and its boom a body; more is chosen."""
    with resources.as_file(resources.files("impeto") / "demos" / "meshes") as folder:
        model, _ = im.brought_in(model_file.new_model(), folder / "loader_crane.glb")
    foot = [piece.name for piece in model.of(im.Piece) if "/foot/" in piece.way]
    boom = [piece.name for piece in model.of(im.Piece) if "/boom/" in piece.way]
    model, _, _ = im.gathered(model, ["ground", *foot])
    model, _, _ = im.gathered(model, boom)
    window.document.open(model.changed(name="Loader crane"), None)
    window.show_opened()
    window.document.choose(["arm_tube", "tip_pin"])
    rest(1.5)
    shoot(window, "pieces")


def show_parts(window):
    """Where the bearing's force comes from, a spectrum, and two channels over time."""
    window.document.open(model_file.load_demo("gang_saw"), None)
    window.show_opened()
    window.document.add_run(simulate(window.document.model, "Base"))
    window.show_desk("Watch")
    charts = [window.watch.add_chart() for _ in range(3)]
    charts[0].add("main_bearing.force")
    charts[0].plot.setXRange(2.5, 4.0, padding=0)
    rest(0.3)
    charts[0].show_as(PARTS)
    charts[1].add("crank_drive.torque")
    charts[1].show_as(AMPLITUDES)
    charts[2].add("rod.position.z")
    charts[2].add("main_bearing.force")
    window.watch.area.setSizes([190, 130, 130, 180])
    window.document.set_instant(3.1)
    while charts[0].parts.layers is None:
        rest(0.2)
    charts[0].plot.setXRange(2.5, 4.0, padding=0)
    charts[1].plot.setXRange(0.0, 40.0, padding=0)
    shoot(window, "parts")


def show_crane(window):
    """The crane with its motor and with one that is too weak, in the middle of the lift."""
    model = model_file.load_demo("loader_crane")
    window.document.open(model, None)
    window.show_opened()
    for case in ("Weak motor", "Base"):
        window.document.add_run(simulate(model, case))
    window.document.show_run("Weak motor", True)
    for chart, name in ((window.watch.add_chart(), "jack_motor.current"),
                        (window.watch.add_chart(), "extension.position.z")):  # fmt: skip
        chart.add(name)
    window.show_desk("Watch")
    window.stage_panel.show_on_stage(window.stage.paths, "telescope_b", True)
    window.document.set_instant(6.0)
    shoot(window, "crane")


def show_modes(window):
    """The platform on its springs, its natural frequencies beside it."""
    window.document.open(model_file.load_demo("scale_platform"), None)
    window.show_opened()
    window.document.select("spring_2")
    rest(1.0)
    window.beside.linear_view()
    rest(2.0)
    window.findChild(LinearDialog).resize(420, 300)
    rest(0.2)
    picture = window.grab()
    painter = QPainter(picture)
    painter.drawPixmap(302, 84, window.findChild(LinearDialog).grab())
    painter.end()
    picture.save(str(FOLDER / "modes.png"))
    window.findChild(LinearDialog).close()


def show_sorter(window):
    """Logs on the belt, a thick one being kicked aside; counts of the gate and the stacks."""
    window.document.open(model_file.load_demo("log_sorter"), None)
    window.show_opened()
    window.document.add_run(simulate(window.document.model))
    window.watch.start_charts()
    window.show_desk("Watch")
    window.stage.set_view("oblique")
    window.document.set_instant(6.72)
    shoot(window, "sorter_watch")


def show_events(window):
    """A motor lifts a gate against its stops, with friction; an event cuts the current."""
    window.document.open(gate(), None)
    window.show_opened()
    window.document.add_run(simulate(window.document.model))
    for chart, name in ((window.watch.add_chart(), "winch.current"),
                        (window.watch.add_chart(), "guide.slide_z.position")):  # fmt: skip
        chart.add(name)
    window.watch.charts[1].add("guide.slide_z.friction")
    window.show_desk("Watch")
    window.document.set_instant(0.9)
    shoot(window, "events")


def log_turner():
    """A post with a pin, and a lever that is still to be hung on it."""
    post = im.Body(name="ground", colour="stone", shapes=(
        im.Box(size=("600 mm", "200 mm", "20 mm"), position=("0 m", "0 m", "-100 mm")),
        im.Box(size=("30 mm", "60 mm", "180 mm"), position=("-200 mm", "0 mm", "0 mm")),
        im.Cylinder(radius="12 mm", length="120 mm", orientation=("90 deg", 0, 0),
                    position=("-200 mm", "-60 mm", "60 mm"))))  # fmt: skip
    outline = "0 mm, -20 mm; 260 mm, -20 mm; 260 mm, 20 mm round 10 mm; 0 mm, 20 mm"
    lever = im.Body(name="turner", colour="clay", position=(0.05, -0.1, 0.25),
                    orientation=("70 deg", "0 deg", "20 deg"), shapes=(
        im.Extrusion(outline=outline, length="16 mm"),
        im.Tube(radius="24 mm", inner_radius="12 mm", length="20 mm",
                position=("-20 mm", 0, 0))))  # fmt: skip
    return im.Model("Log turner", [post, lever, im.Gravity(name="gravity")])


def show_connecting(window):
    """The pin of the post and the hole of the lever are picked; the card beside the new joint."""
    window.document.open(log_turner(), None)
    window.show_opened()
    window.begin(CONNECT)
    rest(1.5)
    model, pointing = window.document.model, window.stage.pointing
    for body, kind in (("ground", "axis"), ("turner", "hole")):
        feature = next(f for f in im.features(model, body) if f.kind == kind)
        pointing.take(Pick(feature.point, feature))
    rest(1.5)  # the motion that shows what the joint lets go
    shoot(window, "connect")
    window.stage_panel.hand.card.end()
    window.toast.hide()
    window.document._saved = window.document.model


def show_beginning(window):
    """An empty model, and ways to begin."""
    window.document.open(model_file.new_model(), None)
    window.show_opened()
    shoot(window, "begin")


def show_outline(window):
    """A wheel with a rounded rim, by its outline."""
    text = ("0 mm, -40 mm; 180 mm, -40 mm round 25 mm; 180 mm, 40 mm round 25 mm; "
            "60 mm, 40 mm; 60 mm, 15 mm; 0 mm, 15 mm")  # fmt: skip
    dialog = OutlineDialog(text, Scope(window.document.model), window.look, window)
    dialog.show()
    rest()
    dialog.canvas.chosen = 1
    dialog.canvas.fit()
    shoot(dialog, "outline")
    dialog.close()


def show_map(window):
    """What the forest trailer is made of."""
    window.document.open(model_file.load_demo("log_forwarder"), None)
    window.show_opened()
    window.stage_panel.show_map(True)
    shoot(window, "map")
    window.stage_panel.show_map(False)


def show_chain(window):
    """Quick mode: the chain pulls a log through its pipe; where its links press and how hard."""
    window.document.open(model_file.load_demo("drag_chain"), None)
    window.show_opened()
    for case in ("Normal", "Heavy log"):
        window.document.add_run(simulate(window.document.model, case, until="2 s"))
    window.document.show_run("Heavy log", True)
    for name in ("haul_drive.force", "link_on_link.normal"):
        window.watch.add_chart().add(name)
    window.show_desk("Watch")
    window.document.set_instant(1.4)
    window.stage.set_view("oblique")
    shoot(window, "quick_watch")


def roller_bed():
    """Driven rollers side by side on a frame, a log on them, and a stop at either side."""
    model = im.Model("Roller bed", [
        im.Gravity(name="gravity"),
        im.Parameter(name="rollers", value="9"),
        im.Body(name="ground", colour="stone", shapes=tuple(
            im.Box(size=("3.4 m", "60 mm", "160 mm"), position=("1.4 m", f"{y} m", "0.3 m"),
                   density="steel") for y in (-0.46, 0.46))),
        im.Body(name="roller", position=(0, 0, 0.36), orientation=("90 deg", "0 deg", "0 deg"),
                colour="slate", shapes=(
                    im.Tube(radius="70 mm", inner_radius="60 mm", length="0.8 m", density="steel"),
                    im.Cylinder(radius="20 mm", length="1.0 m", density="steel"))),
        im.Body(name="log", position=(0.9, 0, 0.58), orientation=("0 deg", "90 deg", "0 deg"),
                colour="bark", shapes=(im.Cylinder(radius="0.15 m", length="1.8 m",
                                                   density="spruce"),)),
        im.Body(name="stop_left", position=(2.6, 0.52, 0.5), colour="clay", shapes=(
            im.Box(size=("0.3 m", "60 mm", "0.5 m"), density="oak"),
            im.Extrusion(outline="0 mm, 0 mm; 180 mm, 0 mm; 0 mm, 160 mm", length="40 mm",
                         position=("0.15 m", "0 m", "-0.2 m"),
                         orientation=("90 deg", "0 deg", "0 deg"), density="oak"))),
        im.Mirror(name="sides", bodies=("stop_left",)),
        im.ContactRule(name="touch", pairing="by material", first=("log",), second=("roller",)),
    ], settings=im.RunSettings(until="4 s"))  # fmt: skip
    model = im.joined(model, "bearing", "ground", "roller", (0, 0, 0.36), z=(0, 1, 0))
    model = im.joined(model, "post_left", "ground", "stop_left", (2.6, 0.46, 0.4), free=())
    drive = im.Drive(name="drive", joint="bearing", value="40 rpm")
    bed = im.Repeat(name="bed", bodies=("roller",), count="rollers", step=("0.34 m", "0 m", "0 m"))
    return model.with_element(drive).with_element(bed)


def gate():
    """A gate in its guide, made of shipped elements only."""
    on_guide = (
        im.Stops(freedom="slide z", lower="0 m", upper="0.8 m", stiffness="2 MN/m"),
        im.Friction(freedom="slide z", kinetic="0.1", constant="40 N"),
    )
    return im.Model("gate", [
        im.Gravity(name="gravity"),
        im.Body(name="gate", colour="straw", shapes=(
            im.Box(size=("1.2 m", "60 mm", "0.8 m"), density="700 kg/m^3"),)),
        im.Body(name="ground", colour="stone", shapes=tuple(
            im.Box(size=("80 mm", "120 mm", "2.2 m"), position=(f"{x} m", "0 m", "0.6 m"))
            for x in (-0.66, 0.66))),
        im.Frame(name="sill"), im.Frame(name="foot", body="gate"),
        im.Joint(name="guide", frame_a="sill", frame_b="foot", free=("slide z",),
                 behaviours=on_guide),
        im.Motor(name="winch", joint="guide", freedom="slide z", supply="48 V",
                 resistance="0.6 ohm", inductance="2 mH", torque_constant="0.08 N*m/A",
                 rotor_inertia="3e-4 kg*m^2", ratio="4", lead="0.2 m"),
        im.Event(name="cut", time="0.8 s", action="switch off", target="winch"),
    ], settings=im.RunSettings(until="2 s"))  # fmt: skip


if __name__ == "__main__":
    sys.exit(main())
