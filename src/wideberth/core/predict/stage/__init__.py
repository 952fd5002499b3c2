"""The stages from a recipe to what is printed: each a pure function of one frozen dataclass, in a file named after it.

Keys of the cache are these dataclasses; meshes in them compare by content, other results by identity.
"""

from wideberth.core.predict.stage.cast import Casting, cast_runs
from wideberth.core.predict.stage.cavity import CavityInput, cavity
from wideberth.core.predict.stage.clashes import ClashInput, clashes
from wideberth.core.predict.stage.clipped import Clipping, clipped
from wideberth.core.predict.stage.closest import ClosestInput, closest
from wideberth.core.predict.stage.cup_cells import CupCellsInput, cells_of_cups
from wideberth.core.predict.stage.cut import Cutting, cut
from wideberth.core.predict.stage.drilled import Drilling, drilled
from wideberth.core.predict.stage.finish import FinishInput, finish
from wideberth.core.predict.stage.footprint import FootprintInput, footprint
from wideberth.core.predict.stage.gussets import GussetInput, gussets
from wideberth.core.predict.stage.health import HealthInput, health
from wideberth.core.predict.stage.hollowed import Hollowing, hollowed
from wideberth.core.predict.stage.lattice import LatticeInput, lattice
from wideberth.core.predict.stage.light import Lightening, lightened
from wideberth.core.predict.stage.marked import Marked, MarkedInput, marked
from wideberth.core.predict.stage.mended import Mending, mended_once
from wideberth.core.predict.stage.origins import Origins, OriginsInput, face_origins
from wideberth.core.predict.stage.part_runs import PartCasts, part_runs
from wideberth.core.predict.stage.plated import OnSupports, PlacedCasts, Plating, plated, plated_bare
from wideberth.core.predict.stage.read_objects import Reading, read_objects
from wideberth.core.predict.stage.regions import RegionsInput, regions
from wideberth.core.predict.stage.rounds import RoundsInput, rounds
from wideberth.core.predict.stage.scaffold import ScaffoldInput, scaffold
from wideberth.core.predict.stage.sized import Sizing, sized
from wideberth.core.predict.stage.sound import SoundInput, sound
from wideberth.core.predict.stage.standing import Standing, standing
from wideberth.core.predict.stage.surfaces import Surfaces, SurfacesInput, surfaces
from wideberth.core.predict.stage.thickness import ThicknessInput, thickness
from wideberth.core.predict.stage.turned import Turning, turned_solids
from wideberth.core.predict.stage.undersides import CeilingsInput, UndersidesInput, ceilings_under, undersides_under
from wideberth.core.predict.stage.voids import PoolsInput, VoidInput, Voids, held, rough_voids, voids
from wideberth.core.predict.stage.wall import WallInput, wall

__all__ = [
    "Casting",
    "CavityInput",
    "CeilingsInput",
    "ClashInput",
    "Clipping",
    "ClosestInput",
    "CupCellsInput",
    "Cutting",
    "Drilling",
    "FinishInput",
    "FootprintInput",
    "GussetInput",
    "HealthInput",
    "Hollowing",
    "LatticeInput",
    "Lightening",
    "Marked",
    "MarkedInput",
    "Mending",
    "OnSupports",
    "Origins",
    "OriginsInput",
    "PartCasts",
    "PlacedCasts",
    "Plating",
    "PoolsInput",
    "Reading",
    "RegionsInput",
    "RoundsInput",
    "ScaffoldInput",
    "Sizing",
    "SoundInput",
    "Standing",
    "Surfaces",
    "SurfacesInput",
    "ThicknessInput",
    "Turning",
    "UndersidesInput",
    "VoidInput",
    "Voids",
    "WallInput",
    "cast_runs",
    "cavity",
    "ceilings_under",
    "cells_of_cups",
    "clashes",
    "clipped",
    "closest",
    "cut",
    "drilled",
    "face_origins",
    "finish",
    "footprint",
    "gussets",
    "health",
    "held",
    "hollowed",
    "lattice",
    "lightened",
    "marked",
    "mended_once",
    "part_runs",
    "plated",
    "plated_bare",
    "read_objects",
    "regions",
    "rough_voids",
    "rounds",
    "scaffold",
    "sized",
    "sound",
    "standing",
    "surfaces",
    "thickness",
    "turned_solids",
    "undersides_under",
    "voids",
    "wall",
]
