"""Meshes in: reading, welding, rays, exact solids."""

from wideberth.core.model.mesh import Mesh, joined
from wideberth.core.model.rays import hits, solid_stretches
from wideberth.core.model.read import SUFFIXES, Source, parse_model, read_model
from wideberth.core.model.solid import as_mesh, as_solid, split_by_plane, stand_in

__all__ = [
    "SUFFIXES", "Mesh", "Source", "as_mesh", "as_solid", "hits", "joined", "parse_model", "read_model",
    "solid_stretches", "split_by_plane", "stand_in",
]  # fmt: skip
