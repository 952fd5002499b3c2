"""The layer engine: triangles to runs to sections; components, islands, bodies, cups and traps."""

from wideberth.core.layers._kernels.flood import spill_levels
from wideberth.core.layers.attached import Bore, Touch
from wideberth.core.layers.cells import MOST_SWELL, CupCells, cup_cells
from wideberth.core.layers.grid import Grid, grid_over
from wideberth.core.layers.nodes import nodes_inside, nodes_mostly_inside
from wideberth.core.layers.picture import CUP, EMPTY, FRESH, MOST_COLUMNS, PART, SEALED_CUP, SUPPORT, LayerPicture, layer_codes
from wideberth.core.layers.printed import Printed, beside
from wideberth.core.layers.rebuild import rebuilt, usual_pitch_mm
from wideberth.core.layers.runs import Runs, cast, cropped, difference, empty, intersection, moved_runs, on_grid, union
from wideberth.core.layers.sections import Bodies, Sections, bodies, sections
from wideberth.core.layers.solid import Lent, Solid
from wideberth.core.layers.spread import in_order_of_place, surface_points
from wideberth.core.layers.squeeze import (
    FINE_SQUEEZE,
    GLANCE_SQUEEZE,
    POSE_SQUEEZE,
    PREVIEW_SQUEEZE,
    Solved,
    SqueezeEffort,
    squeeze_integrals,
    squeeze_of,
    squeeze_with_supports,
)
from wideberth.core.layers.standing import Standing, front_mm, standing
from wideberth.core.layers.voids import OPEN, OUTSIDE, SEALED, STATES, UNKNOWN, VENTED, Mouths, Openings, Trap, cups, traps
from wideberth.core.layers.window import CellWindow

__all__ = [
    "CUP",
    "EMPTY",
    "FINE_SQUEEZE",
    "FRESH",
    "GLANCE_SQUEEZE",
    "MOST_COLUMNS",
    "MOST_SWELL",
    "OPEN",
    "OUTSIDE",
    "PART",
    "POSE_SQUEEZE",
    "PREVIEW_SQUEEZE",
    "SEALED",
    "SEALED_CUP",
    "STATES",
    "SUPPORT",
    "UNKNOWN",
    "VENTED",
    "Bodies",
    "Bore",
    "CellWindow",
    "CupCells",
    "Grid",
    "LayerPicture",
    "Lent",
    "Mouths",
    "Openings",
    "Printed",
    "Runs",
    "Sections",
    "Solid",
    "Solved",
    "SqueezeEffort",
    "Standing",
    "Touch",
    "Trap",
    "beside",
    "bodies",
    "cast",
    "cropped",
    "cup_cells",
    "cups",
    "difference",
    "empty",
    "front_mm",
    "grid_over",
    "in_order_of_place",
    "intersection",
    "layer_codes",
    "moved_runs",
    "nodes_inside",
    "nodes_mostly_inside",
    "on_grid",
    "rebuilt",
    "sections",
    "spill_levels",
    "squeeze_integrals",
    "squeeze_of",
    "squeeze_with_supports",
    "standing",
    "surface_points",
    "traps",
    "union",
    "usual_pitch_mm",
]  # fmt: skip
