"""Plates: what stands on each, and where."""

from __future__ import annotations

from dataclasses import dataclass, replace

from wideberth.core.job.part import Part


@dataclass(frozen=True)
class Placement:
    """One print of a part on a plate: it follows the part's whole recipe, holes and supports included.

    x_mm, y_mm : place of its box's centre from the plate's middle. turn_deg : about the plate's upright, counter-clockwise seen
    against it; supports turn along. mirrored : left and right exchanged, as seen along y, before it is turned. pinned : it stays
    where it is when others are arranged.
    """

    id: str
    part: str
    x_mm: float = 0.0
    y_mm: float = 0.0
    turn_deg: float = 0.0
    mirrored: bool = False
    pinned: bool = False


@dataclass(frozen=True)
class Plate:
    """One load of the printer."""

    id: str
    name: str
    placements: tuple[Placement, ...] = ()

    def with_placement(self, placement: Placement) -> Plate:
        """With a placement in place of the one that has its id."""
        return replace(self, placements=tuple(placement if p.id == placement.id else p for p in self.placements))


@dataclass(frozen=True)
class Placed:
    """One print on a plate: where, of which part, and what it is called."""

    placement: Placement
    part: Part
    name: str

    @property
    def first(self) -> bool:
        """Whether it is the part itself, not a further print of it."""
        return self.name == self.part.name
