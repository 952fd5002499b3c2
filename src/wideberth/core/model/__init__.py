"""Meshes in: reading, welding, rays, exact solids."""

from wideberth.core.model.mesh import Mesh, joined
from wideberth.core.model.nearest import nearest_on
from wideberth.core.model.primitives import ball, rod
from wideberth.core.model.rays import hits, solid_stretches
from wideberth.core.model.read import SUFFIXES, Source, parse_model, read_model
from wideberth.core.model.solid import as_mesh, as_solid, resolved, split_by_plane, stand_in

__all__ = [
    "SUFFIXES", "Mesh", "Source", "as_mesh", "as_solid", "ball", "hits", "joined", "nearest_on",
    "parse_model", "read_model", "resolved", "rod", "solid_stretches", "split_by_plane", "stand_in",
]  # fmt: skip
