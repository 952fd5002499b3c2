"""Undersides: what of a part's undersides and of its chambers' ceilings neither tips nor pulls change."""

from __future__ import annotations

from dataclasses import dataclass

from wideberth.core.loads import Undersides, ceilings_of, undersides_of
from wideberth.core.model import Mesh
from wideberth.core.progress import Progress


@dataclass(frozen=True)
class UndersidesInput:
    """outer : the surface at the part's own place. layer_mm : height of a printed layer. young_layers : the laws'."""

    outer: Mesh
    layer_mm: float
    young_layers: float


@dataclass(frozen=True)
class CeilingsInput:
    """cavity, filling : chambers, faces out of the void, and what stands in them, at the part's own place."""

    cavity: Mesh
    filling: Mesh | None
    layer_mm: float
    young_layers: float


def undersides_under(of: UndersidesInput, _: Progress) -> Undersides:
    """See `undersides_of`."""
    return undersides_of(of.outer, of.layer_mm, of.young_layers)


def ceilings_under(of: CeilingsInput, _: Progress) -> Undersides:
    """See `ceilings_of`."""
    return ceilings_of(of.cavity, of.filling, of.layer_mm, of.young_layers)
