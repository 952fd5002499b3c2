"""Meshes in: reading, health, repair, thickness, measuring, rays, exact solids."""

from wideberth.core.model.band import Nodes, band_distance, nodes_over
from wideberth.core.model.between import Gaps
from wideberth.core.model.exact import Exact, hollowed, meshes_of, pieces_cut, resolved, simplified
from wideberth.core.model.folds import unfolded
from wideberth.core.model.frames import frame_along, ring_about, rotation_about
from wideberth.core.model.hatching import hatched
from wideberth.core.model.health import BROKEN, SERIOUS, Flaw, Health, Shells, examine, voids_of
from wideberth.core.model.level import at_level
from wideberth.core.model.marks import Mark, MarkKind, carried_over, mark_of, origins
from wideberth.core.model.measure import Bored, angle_between_deg, bore_at, distance_mm, face_normal, rounds_of, wall_mm, wall_of
from wideberth.core.model.mesh import Mesh, joined
from wideberth.core.model.nearest import nearest_on
from wideberth.core.model.outermost import outermost
from wideberth.core.model.package import members_under, packed_3mf
from wideberth.core.model.patch import open_loops
from wideberth.core.model.primitives import ball, balls, prism, rod, rods
from wideberth.core.model.rays import hits, points_inside, solid_stretches
from wideberth.core.model.read import PACKED, SUFFIXES, parse_model, parse_models, read_model, read_models
from wideberth.core.model.regions import FLAT_DEG, SMOOTH_DEG, Regions
from wideberth.core.model.relief import SURFACES, Surface, surface_kinds
from wideberth.core.model.repair import Mend, Mended, mended
from wideberth.core.model.shading import Shaded, shaded
from wideberth.core.model.sketch import Sketch, sketch
from wideberth.core.model.solid import as_mesh, as_solid, pieces_of, stand_in
from wideberth.core.model.sound import Sound, sound_copy
from wideberth.core.model.source import LARGEST_MM, Source
from wideberth.core.model.stl import binary_stl
from wideberth.core.model.surface import Closest, deviation_mm, spread_over
from wideberth.core.model.testplate import KNOWN_WIDTH_MM, READS_AS, calibration_plate
from wideberth.core.model.thickness import Detail, Thickness, measure_thickness, wall_at, wall_flaws, wall_seen_from
from wideberth.core.model.topology import Topology, topology
from wideberth.core.model.units_guess import UnitGuess, guess_unit

__all__ = [
    "BROKEN",
    "FLAT_DEG",
    "KNOWN_WIDTH_MM",
    "LARGEST_MM",
    "PACKED",
    "READS_AS",
    "SERIOUS",
    "SMOOTH_DEG",
    "SUFFIXES",
    "SURFACES",
    "Bored",
    "Closest",
    "Detail",
    "Exact",
    "Flaw",
    "Gaps",
    "Health",
    "Mark",
    "MarkKind",
    "Mend",
    "Mended",
    "Mesh",
    "Nodes",
    "Regions",
    "Shaded",
    "Shells",
    "Sketch",
    "Sound",
    "Source",
    "Surface",
    "Thickness",
    "Topology",
    "UnitGuess",
    "angle_between_deg",
    "as_mesh",
    "as_solid",
    "at_level",
    "ball",
    "balls",
    "band_distance",
    "binary_stl",
    "bore_at",
    "calibration_plate",
    "carried_over",
    "deviation_mm",
    "distance_mm",
    "examine",
    "face_normal",
    "frame_along",
    "guess_unit",
    "hatched",
    "hits",
    "hollowed",
    "joined",
    "mark_of",
    "measure_thickness",
    "members_under",
    "mended",
    "meshes_of",
    "nearest_on",
    "nodes_over",
    "open_loops",
    "origins",
    "outermost",
    "packed_3mf",
    "parse_model",
    "parse_models",
    "pieces_cut",
    "pieces_of",
    "points_inside",
    "prism",
    "read_model",
    "read_models",
    "resolved",
    "ring_about",
    "rod",
    "rods",
    "rotation_about",
    "rounds_of",
    "shaded",
    "simplified",
    "sketch",
    "solid_stretches",
    "sound_copy",
    "spread_over",
    "stand_in",
    "surface_kinds",
    "topology",
    "unfolded",
    "voids_of",
    "wall_at",
    "wall_flaws",
    "wall_mm",
    "wall_of",
    "wall_seen_from",
]  # fmt: skip
