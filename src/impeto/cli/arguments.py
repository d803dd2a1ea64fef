"""What can be typed after `impeto`."""

from __future__ import annotations

import argparse


def parser() -> argparse.ArgumentParser:
    top = argparse.ArgumentParser(
        prog="impeto", description="Model machines, simulate them, read the loads."
    )
    sub = top.add_subparsers(dest="command", metavar="COMMAND")
    demo = sub.add_parser("demo", help="open a shipped model in the window")
    demo.add_argument("name", nargs="?", help="gang_saw when left out")
    opened = sub.add_parser("open", help="open a model file in the window")
    opened.add_argument("file", nargs="?", help="an empty model when left out")
    run = sub.add_parser("run", help="solve a model without a window")
    run.add_argument("file")
    which = run.add_mutually_exclusive_group()
    which.add_argument("--case", help="name of the case to solve")
    which.add_argument("--all-cases", action="store_true")
    run.add_argument("--set", action="append", default=[], metavar="NAME=VALUE", dest="values")
    run.add_argument("--until", help="end time, for example '2 s'")
    run.add_argument("--accuracy", help="draft, normal, fine or a number")
    run.add_argument("--out", default=".", help="folder for the recordings")
    run.add_argument(
        "--scheduler", metavar="ADDRESS", help="of a Dask cluster, with an --out that all have"
    )
    check = sub.add_parser("check", help="health of a model")
    check.add_argument("file")
    check.add_argument("--case")
    masses = sub.add_parser("masses", help="what every body weighs, and all together")
    masses.add_argument("file")
    masses.add_argument("--case")
    diff = sub.add_parser("diff", help="what differs between two models, or two recordings")
    diff.add_argument("first", help="model or recording")
    diff.add_argument("second", help="model or recording")
    taken = sub.add_parser("import", help="a model from an assembly, meshes or a mechanism")
    taken.add_argument("file", help="STEP, GLB, STL, OBJ, PLY or URDF")
    where = taken.add_mutually_exclusive_group(required=True)
    where.add_argument("--out", metavar="MODEL", help="a new model")
    where.add_argument("--into", metavar="MODEL", help="one that there is; assemblies are renewed")
    taken.add_argument("--unit", help="of lengths in a mesh file: mm, cm, m, in")
    export = sub.add_parser("export", help="numbers out of a recording")
    export.add_argument("run", help="recording file (*.h5)")
    export.add_argument(
        "--csv", "--out", required=True, metavar="FILE", help="also .h5 or .parquet", dest="csv"
    )
    export.add_argument("--channels", default="", help="names or words, separated by commas")
    film = sub.add_parser("film", help="a film of a recording, or its machine in motion")
    film.add_argument("run", help="recording file (*.h5)")
    film.add_argument("--out", required=True, metavar="FILE", help="ends in .mp4, .gif or .glb")
    film.add_argument("--from", type=float, default=0.0, dest="begin", metavar="S")
    film.add_argument("--to", type=float, dest="end", metavar="S")
    film.add_argument("--speed", type=float, default=1.0, help="seconds of the run in one of film")
    film.add_argument("--size", default="1280x720", help="px, such as 1280x720")
    film.add_argument("--rate", type=float, default=30.0, help="pictures a second")
    film.add_argument("--charts", default="", help="below it: channels 'a, b; c', a chart each")
    film.add_argument("--view", default="oblique", help="oblique, front, side, top")
    report = sub.add_parser("report", help="a report on a model and its runs, HTML or PDF")
    report.add_argument("files", nargs="+", help="recordings (*.h5), or a model: all its cases")
    report.add_argument("--out", required=True, metavar="FILE", help="ends in .html or .pdf")
    report.add_argument("--channels", default="", help="names, separated by commas")
    swept = sub.add_parser("sweep", help="a case many times, with parameters that vary")
    swept.add_argument("file")
    _varies(swept, False)
    swept.add_argument("--sweep", metavar="NAME", help="one that the model has")
    swept.add_argument("--sampling", default="grid", help="grid, Latin hypercube or Sobol")
    swept.add_argument("--points", type=int, default=64, help="how many, but for a grid")
    swept.add_argument("--seed", type=int, default=1, help="another number gives other points")
    swept.add_argument("--until", help="end time, for example '2 s'")
    swept.add_argument("--out", metavar="FILE", help="keeps the points: MODEL.study")
    swept.add_argument("--csv", metavar="FILE", help="the points as a table")
    swept.add_argument("--recordings", default="", metavar="FOLDER", help="of all points")
    swept.add_argument("--yes", action="store_true", help="also where it takes long")
    best = sub.add_parser("optimise", help="parameters that make a figure least")
    best.add_argument("file")
    _varies(best, True)
    best.add_argument("--figure", required=True, help="that is made least; targets are met")
    best.add_argument("--against", metavar="FIGURE", help="what of it has to be given for that")
    best.add_argument("--global", action="store_true", dest="everywhere", help="search everywhere")
    best.add_argument("--runs", type=int, default=200, help="at most")
    best.add_argument("--until", help="end time, for example '2 s'")
    best.add_argument("--out", metavar="MODEL", help="the model with the best values as a case")
    slopes = sub.add_parser("sensitivities", help="what each figure owes to parameters")
    slopes.add_argument("file")
    slopes.add_argument("parameters", nargs="*", help="all where none is named")
    slopes.add_argument("--case")
    slopes.add_argument("--until", help="end time, for example '2 s'")
    slopes.add_argument("--scheduler", metavar="ADDRESS", help="of a Dask cluster")
    install = sub.add_parser("install", help="put the program into the menus of the desktop")
    install.add_argument("what", nargs="?", choices=["step"], help="the reader of STEP files")
    sub.add_parser("prepare", help="compile the solver ahead of time")
    sub.add_parser("schema", help="print the JSON Schema of model files")
    return top


def _varies(command: argparse.ArgumentParser, needed: bool) -> None:
    command.add_argument(
        "--vary", action="append", default=[], required=needed, metavar="NAME=FROM:TO:N",
        help="or a list, uniform(FROM, TO), normal(MEAN, DEVIATION)",
    )  # fmt: skip
    command.add_argument("--case", help="name of the case to solve")
    command.add_argument("--scheduler", metavar="ADDRESS", help="of a Dask cluster")
