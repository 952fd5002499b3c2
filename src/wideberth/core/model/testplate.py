"""A test plate to print for an exposure test: slots, pins, walls, steps, and a square of known width."""

from __future__ import annotations

import manifold3d

from wideberth.core.model.mesh import Mesh
from wideberth.core.model.solid import as_mesh

WIDTHS_MM = (0.05, 0.10, 0.15, 0.20, 0.25, 0.30, 0.40, 0.50, 0.70, 1.00)
STEPS_MM = tuple(round(0.1 * (k + 1), 1) for k in range(10))
KNOWN_WIDTH_MM = 10.0
PITCH_MM = 5.0
BASE_MM = (62.0, 42.0, 1.2)
SUNK_MM = 0.2
ROWS_MM = {"steps": 4.0, "slots": 13.0, "walls": 21.0, "pins": 28.0}
READS_AS = "from the notched corner on, each row goes " + ", ".join(f"{w:g}" for w in WIDTHS_MM) + " mm; steps rise by 0.1 mm"


def calibration_plate() -> Mesh:
    """The plate, standing on z = 0 with its middle over the origin.

    Rows from the front: steps of 0.1 to 1.0 mm, slots, walls and pins of the widths in `WIDTHS_MM`, and at the back a square of
    10 mm to measure. A notch marks the corner at which every row begins with its smallest.
    """
    cube, cylinder = manifold3d.Manifold.cube, manifold3d.Manifold.cylinder
    bx, by, bz = BASE_MM
    plate = cube((bx, by, bz)) - cube((3.0, 3.0, bz)).rotate((0, 0, 45)).translate((0, -2.12, 0))
    top = bz - SUNK_MM
    made = []
    for k, (width, rise) in enumerate(zip(WIDTHS_MM, STEPS_MM, strict=True)):
        x = 7.0 + k * PITCH_MM
        made.append(cube((4.0, 4.0, rise + SUNK_MM)).translate((x - 2.0, ROWS_MM["steps"], top)))
        block = cube((4.0, 5.0, 2.0 + SUNK_MM)).translate((x - 2.0, ROWS_MM["slots"], top))
        made.append(block - cube((width, 6.0, 3.0)).translate((x - width / 2, ROWS_MM["slots"] - 0.5, bz)))
        made.append(cube((width, 4.0, 2.5 + SUNK_MM)).translate((x - width / 2, ROWS_MM["walls"], top)))
        made.append(cylinder(2.5 + SUNK_MM, width / 2, circular_segments=32).translate((x, ROWS_MM["pins"], top)))
    made.append(cube((KNOWN_WIDTH_MM, 8.0, 3.0 + SUNK_MM)).translate((bx / 2 - KNOWN_WIDTH_MM / 2, 32.0, top)))
    for piece in made:
        plate = plate + piece
    return as_mesh(plate.translate((-bx / 2, -by / 2, 0)))
