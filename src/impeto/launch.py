"""The `impeto` command: the window's commands go to the app, all others to the shell part.

This is the only module that knows both. Qt is imported only when a window is wanted, so that
headless use needs no display libraries.
"""

from __future__ import annotations

import argparse
import gc
import os
import sys
from collections.abc import Sequence
from pathlib import Path

from impeto.cli import commands
from impeto.cli.arguments import parser
from impeto.core.elements import Chart
from impeto.core.errors import FileError, ImpetoError
from impeto.core.model.model import Model
from impeto.core.results.recording import Recording
from impeto.services import model_file

FAILED = 1  # argparse itself exits with 2 for wrong usage


def main(arguments: Sequence[str] | None = None) -> int:
    """Run a command; 0 when it went well, 1 for a failed run or check, 2 for wrong usage."""
    given = parser().parse_args(arguments)
    try:
        if given.command in (None, "demo", "open"):
            return _window(given.command, given)
        if given.command == "film":
            return _film(given)
        if given.command == "report":
            return _report(given)
        return commands.COMMANDS[given.command](given)
    except ImpetoError as error:
        print(error, file=sys.stderr)
        return FAILED
    except KeyboardInterrupt:
        print("Stopped.", file=sys.stderr)
        return FAILED


def has_display() -> bool:
    """Whether a window can be shown, or a Qt platform was chosen on purpose."""
    return any(os.environ.get(k) for k in ("DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM"))


def _window(command: str | None, given: object) -> int:
    path: Path | None = None
    if command == "demo":
        name = getattr(given, "name", None) or "gang_saw"
        model = model_file.load_demo(name)
        if not has_display():
            return _headless_demo(name, model)
    elif command == "open" and getattr(given, "file", None):
        path = Path(given.file)  # type: ignore[attr-defined]
        model = model_file.load(path)
    else:
        model = model_file.new_model()
    if not has_display():
        print(
            "There is no display (DISPLAY is not set). Use 'impeto run FILE' without a window.",
            file=sys.stderr,
        )
        return FAILED
    gc.disable()  # of what is loaded nothing is garbage; looking for it takes a tenth of the start
    from impeto.app import start

    return start.show(model, path)


def _film(given: argparse.Namespace) -> int:
    """A film of a recording; without a display too."""
    from impeto.services import moving_file, recording_file

    recording = recording_file.open_recording(given.run)
    sides = given.size.lower().split("x")
    if len(sides) != 2 or not all(side.isdigit() for side in sides):
        raise FileError(f"'{given.size}' is no size: write it as 1280x720.")
    _draw_off_screen()
    from impeto.app.film import Shot
    from impeto.app.picture import film

    end = float(recording.time[-1]) if given.end is None else given.end
    shot = Shot(given.begin, end, given.speed, (int(sides[0]), int(sides[1])), given.rate)
    if given.out.lower().endswith(moving_file.SUFFIX):
        from impeto.app.solids import solids_of

        if given.charts:
            raise FileError("A .glb has the machine alone: leave --charts out, or choose .mp4.")
        shot.check()
        instants = list(shot.instants())
        moving_file.write_motion(given.out, recording, solids_of(recording), instants, shot.speed)
    else:
        film(recording, shot, Path(given.out), given.view, _charts(recording, given.charts))
    print(f"Written to {given.out}: {shot.count} pictures")
    return 0


def _charts(recording: Recording, text: str) -> list[Chart]:
    """A chart for each part of a text 'a, b; c'. Raises ChannelError for what is no channel."""
    parts = [part for part in text.split(";") if part.strip()]
    charts = [
        Chart(name=f"chart_{k}", channels="; ".join(commands.split(part)))
        for k, part in enumerate(parts)
    ]
    for chart in charts:
        for name in chart.listed:
            recording.channel(name)
    return charts


def _report(given: argparse.Namespace) -> int:
    """A report on recordings, or on all cases of a model; without a display too."""
    from impeto.services import recording_file

    paths = [Path(name) for name in given.files]
    if paths[0].name.endswith(model_file.SUFFIX):
        model = model_file.load(paths[0])
        runs = {case: commands.solve(model, case, None, None) for case in model.cases}
    else:
        opened = {path.stem: recording_file.open_recording(path) for path in paths}
        model, runs = next(iter(opened.values())).model, dict(opened)  # type: ignore[arg-type]
    _draw_off_screen()
    from impeto.app.picture import portrait
    from impeto.app.printing import write

    channels = commands.split(given.channels)
    write(Path(given.out), model, runs, channels, portrait(next(iter(runs.values()))))
    print(f"Written to {given.out}")
    return 0


def _draw_off_screen() -> None:
    """Where there is no display, pictures are drawn in memory."""
    if not has_display():
        os.environ |= {
            "QT_QPA_PLATFORM": "offscreen",
            "QT_LOGGING_RULES": "default.warning=false",  # offscreen knows no window hints
            "VTK_DEFAULT_OPENGL_WINDOW": "vtkEGLRenderWindow",
        }


def _headless_demo(name: str, model: Model) -> int:
    print("There is no display: the demo runs without a window.")
    folder = Path(f"impeto-demo-{name}").resolve()
    folder.mkdir(exist_ok=True)
    recording = commands.solve(model, None, None, None)
    commands.print_figures(recording)
    recording.save(folder / f"{name}.h5")
    commands.write_key_channels(recording, folder / f"{name}.csv")
    _draw_off_screen()
    from impeto.app import picture

    picture.save(model, recording, folder / f"{name}.png")
    print(f"Recording, CSV and a picture of the window are in {folder}")
    return FAILED if recording.stopped else 0


if __name__ == "__main__":
    sys.exit(main())
