"""Parts that are too big: whether they fit, where to cut them, and keys that let the pieces go together one way."""

from wideberth.core.split.apart import shifts_apart
from wideberth.core.split.assembly import Assembly, looked_over
from wideberth.core.split.comb import CLEARANCES_MM, READS_AS, comb, comb_peg
from wideberth.core.split.creases import Creases
from wideberth.core.split.cut import Cut, Step, apply_cuts, halves_of, peg_of, piece_of, socket_of
from wideberth.core.split.engrave import MOST_DIGITS, Room, engraved, room_for
from wideberth.core.split.key import Key, Kind, key_solid
from wideberth.core.split.placing import Joint, with_keys
from wideberth.core.split.rebore import Rebore, rebored
from wideberth.core.split.room import Fit, Space, Turned, best_turn, fit_of, space_of
from wideberth.core.split.seam import Seam, Slicer
from wideberth.core.split.search import Aim, Plane, Surface, planes_through, stands_in
from wideberth.core.split.stepping import on_its_broader_tread, seam_of, stepped

__all__ = [
    "CLEARANCES_MM",
    "MOST_DIGITS",
    "READS_AS",
    "Aim",
    "Assembly",
    "Creases",
    "Cut",
    "Fit",
    "Joint",
    "Key",
    "Kind",
    "Plane",
    "Rebore",
    "Room",
    "Seam",
    "Slicer",
    "Space",
    "Step",
    "Surface",
    "Turned",
    "apply_cuts",
    "best_turn",
    "comb",
    "comb_peg",
    "engraved",
    "fit_of",
    "halves_of",
    "key_solid",
    "looked_over",
    "on_its_broader_tread",
    "peg_of",
    "piece_of",
    "planes_through",
    "rebored",
    "room_for",
    "seam_of",
    "shifts_apart",
    "socket_of",
    "space_of",
    "stands_in",
    "stepped",
    "with_keys",
]
