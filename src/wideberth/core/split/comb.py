"""A comb of clearances: one peg and a row of bores, each wider than the one before; which it goes into sets the house's
clearances."""

from __future__ import annotations

import manifold3d

from wideberth.core.model import Mesh, as_mesh

CLEARANCES_MM = (0.00, 0.03, 0.06, 0.09, 0.12, 0.16, 0.20, 0.25, 0.30, 0.40)
PEG_MM, PEG_LONG_MM = 6.0, 10.0
PITCH_MM, WIDE_MM, THICK_MM = 10.0, 12.0, 6.0
GRIP_MM = (10.0, 10.0, 4.0)
SIDES = 96
CORNER_MM = 4.0
READS_AS = "from the cut corner on, bores are wider by " + ", ".join(f"{c:g}" for c in CLEARANCES_MM) + " mm on each side"


def comb() -> Mesh:
    """The bores, standing on z = 0 with their middle over the origin; a cut corner marks the narrowest."""
    long = PITCH_MM * len(CLEARANCES_MM)
    bar = manifold3d.Manifold.cube((long, WIDE_MM, THICK_MM)).translate((-long / 2, -WIDE_MM / 2, 0.0))
    corner = manifold3d.Manifold.cube((CORNER_MM, CORNER_MM, 3 * THICK_MM), center=True).rotate((0.0, 0.0, 45.0))
    bar = bar - corner.translate((-long / 2, -WIDE_MM / 2, 0.0))
    for number, clearance in enumerate(CLEARANCES_MM):
        bore = manifold3d.Manifold.cylinder(3 * THICK_MM, 0.5 * PEG_MM + clearance, circular_segments=SIDES)
        bar = bar - bore.translate(((number + 0.5) * PITCH_MM - long / 2, 0.0, -THICK_MM))
    return as_mesh(bar)


def comb_peg() -> Mesh:
    """The peg, upright on a grip that stands on z = 0."""
    x, y, z = GRIP_MM
    grip = manifold3d.Manifold.cube((x, y, z)).translate((-x / 2, -y / 2, 0.0))
    peg = manifold3d.Manifold.cylinder(PEG_LONG_MM + 0.5, 0.5 * PEG_MM, circular_segments=SIDES)
    return as_mesh(grip + peg.translate((0.0, 0.0, z - 0.5)))
