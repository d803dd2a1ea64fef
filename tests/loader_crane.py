"""The loading crane of the mill as a STEP assembly [mm], from which its demo was built.

Run: .venv/bin/python -m tests.loader_crane crane.step
"""

import math
import sys

from tests.step_files import StepFile, block, cut, place, round_bar

UP, ACROSS = (0, 0, 1), (0, 1, 0)
PIVOT = 2400.0  # height of the boom's pin
REACH = 2400.0  # from there to the tip
LOWER, UPPER = (250.0, -400.0), (700.0, -60.0)  # pins of the jack, x and z from the pivot
STEEL, GREEN, ORANGE = (0.45, 0.47, 0.5), (0.30, 0.42, 0.33), (0.80, 0.45, 0.15)
WOOD, BRASS, DARK = (0.72, 0.55, 0.36), (0.75, 0.62, 0.30), (0.25, 0.26, 0.28)


def across(x, z, radius, length):
    """A round bar along y, centred there."""
    return round_bar((x, -length / 2, z), ACROSS, radius, length)


def foot(made, base):
    plate = block((-600, -500, -40), (600, 500, 0))
    made.put(made.part(plate, "base plate", STEEL), "base plate", into=base)
    column = made.part(round_bar((0, 0, 0), UP, 110, 1900), "column", GREEN)
    spigot = made.part(round_bar((0, 0, 1900), UP, 60, 60), "spigot", STEEL)
    made.put(column, "column", into=base)
    made.put(spigot, "spigot", into=base)
    bolt = made.part(round_bar((0, 0, -40), UP, 12, 70), "bolt M24", DARK)
    for number in range(8):
        turn = math.radians(45 * number)
        at = place(420 * math.cos(turn), 420 * math.sin(turn))
        made.put(bolt, f"bolt {number + 1}", at, base)


def tower(made, turret, pin, jack_pin):
    disc = cut(round_bar((0, 0, 1900), UP, 240, 40), round_bar((0, 0, 1890), UP, 60, 60))
    made.put(made.part(disc, "turntable", GREEN), "turntable", into=turret)
    cheek = cut(
        block((-150, -10, -460), (350, 10, 100)), across(0, 0, 30, 60), across(*LOWER, 20, 60)
    )
    cheek = made.part(cheek, "cheek", GREEN)
    made.put(cheek, "cheek left", place(0, 125, PIVOT), turret)
    made.put(cheek, "cheek right", place(0, -125, PIVOT), turret)
    made.put(pin, "tower pin", place(0, 0, PIVOT), turret)
    made.put(jack_pin, "lower jack pin", place(LOWER[0], 0, PIVOT + LOWER[1]), turret)


def boom(made, beam, bush, jack_pin):
    plate = cut(
        block((-120, -8, -110), (REACH + 120, 8, 110)), across(0, 0, 35, 60),
        across(REACH, 0, 35, 60), across(*UPPER, 20, 60),
    )  # fmt: skip
    plate = made.part(plate, "boom plate", ORANGE)
    spacer = made.part(block((-30, -72, -40), (30, 72, 40)), "spacer", ORANGE)
    for side, y in (("left", 80), ("right", -80)):
        made.put(plate, f"boom plate {side}", place(0, y, PIVOT), beam)
        made.put(bush, f"heel bush {side}", place(0, y, PIVOT), beam)
        made.put(bush, f"tip bush {side}", place(REACH, y, PIVOT), beam)
    for number, x in enumerate((350, 1200, 1900), start=1):
        made.put(spacer, f"spacer {number}", place(x, 0, PIVOT + 40), beam)
    made.put(jack_pin, "upper jack pin", place(UPPER[0], 0, PIVOT + UPPER[1]), beam)


def arm(made, outer, inner, pin):
    tube = cut(
        block((-65, -65, -1020), (65, 65, 80)), block((-57, -57, -1030), (57, 57, 90)),
        across(0, 0, 30, 200),
    )  # fmt: skip
    made.put(made.part(tube, "arm tube", ORANGE), "arm tube", place(REACH, 0, PIVOT), outer)
    made.put(pin, "tip pin", place(REACH, 0, PIVOT), outer)
    slide = cut(block((-50, -50, -1400), (50, 50, -300)), block((-44, -44, -1410), (44, 44, -290)))
    hand = block((-240, -60, -1440), (240, 60, -1400))
    jaw = made.part(block((-12, -50, -360), (12, 50, 0)), "jaw", DARK)
    at = place(REACH, 0, PIVOT)
    made.put(made.part(slide, "extension tube", STEEL), "extension tube", at, inner)
    made.put(made.part(hand, "grapple beam", DARK), "grapple beam", at, inner)
    made.put(jaw, "jaw front", place(REACH + 214, 0, PIVOT - 1440), inner)
    made.put(jaw, "jaw back", place(REACH - 214, 0, PIVOT - 1440), inner)
    log = made.part(across(0, 0, 200, 2600), "log", WOOD)
    made.put(log, "log", place(REACH, 0, PIVOT - 1642), inner)


def jack(made, cylinder, rod):
    """A screw jack between tower and boom, along the line of its pins."""
    way = (UPPER[0] - LOWER[0], UPPER[1] - LOWER[1])
    length, lean = math.hypot(*way), math.atan2(way[0], way[1])
    tube = cut(round_bar((0, 0, -30), UP, 45, 410), round_bar((0, 0, 30), UP, 31, 360),
               across(0, 0, 20, 120))  # fmt: skip
    made.put(made.part(tube, "jack tube", STEEL), "jack tube",
             place(LOWER[0], 0, PIVOT + LOWER[1], lean, ACROSS), cylinder)  # fmt: skip
    screw = cut(round_bar((0, 0, 60 - length), UP, 30, length - 30), across(0, 0, 20, 120))
    made.put(made.part(screw, "jack screw", BRASS), "jack screw",
             place(UPPER[0], 0, PIVOT + UPPER[1], lean, ACROSS), rod)  # fmt: skip


def loader_crane(path, pin_radius=30.0):
    """Write the assembly. pin_radius : of the large pins"""
    made = StepFile("loader crane")
    parts = {}
    for name in ("foot", "tower", "boom", "arm", "extension", "jack", "spindle"):
        parts[name] = made.assembly(name)
        made.put(parts[name], name)
    pin = made.part(across(0, 0, pin_radius, 270), "pin 60", STEEL)
    jack_pin = made.part(across(0, 0, 20, 270), "pin 40", STEEL)
    bush = made.part(cut(across(0, 0, 35, 24), across(0, 0, 30, 40)), "bush 70x60", BRASS)
    foot(made, parts["foot"])
    tower(made, parts["tower"], pin, jack_pin)
    boom(made, parts["boom"], bush, jack_pin)
    arm(made, parts["arm"], parts["extension"], pin)
    jack(made, parts["jack"], parts["spindle"])
    return made.write(path)


if __name__ == "__main__":
    loader_crane(sys.argv[1])
