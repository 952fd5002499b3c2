"""Plated: the runs of all prints moved to where they stand, and united; first the parts alone, then on their supports."""

from __future__ import annotations

from collections import defaultdict
from dataclasses import dataclass, replace
from functools import reduce

from wideberth.core import mapped
from wideberth.core.layers import Bore, Grid, Lent, Printed, Runs, Solid, Touch, cropped, empty, moved_runs, on_grid, union
from wideberth.core.predict.stage.part_runs import PartCasts, part_runs, supports_runs
from wideberth.core.progress import Progress


@dataclass(frozen=True)
class PlacedCasts:
    """What was cast of a print around its part's own place, how far it is to be moved along its rows, and by how many rows."""

    casts: PartCasts
    along_mm: float
    rows: int

    def there(self, runs: Runs | None, grid: Grid) -> Runs:
        """Runs of it where the print stands, on the plate's grid; none where there are none."""
        return empty(grid) if runs is None else on_grid(moved_runs(runs, self.along_mm, self.rows), grid)


@dataclass(frozen=True)
class Plating:
    """Prints with runs along x on a grid, and along y on another, `across`, if there is one."""

    along: tuple[PlacedCasts, ...]
    grid: Grid
    turned: tuple[PlacedCasts, ...]
    across: Grid | None
    bores: tuple[Bore, ...]
    touches: tuple[Touch, ...]

    @property
    def bare(self) -> Plating:
        """The same prints without supports."""
        along, turned = (tuple(replace(one, casts=one.casts.bare) for one in placed) for placed in (self.along, self.turned))
        return replace(self, along=along, turned=turned, touches=())


@dataclass(frozen=True)
class OnSupports:
    """What is printed of a plate without supports, and all that is put on it."""

    bare: Printed
    of: Plating


def plated_bare(of: Plating, _: Progress) -> Printed:
    """All that is printed on a plate but for supports."""
    part, plugs = _parts(of.along, of.grid)
    cavities = reduce(union, (one.there(one.casts.cavity, of.grid) for one in of.along), empty(of.grid))
    turned, across = of.turned, of.across
    lent = None if across is None else Lent(lambda: _bare_solid(turned, across))
    return Printed(part, empty(of.grid), plugs, of.bores, (), cavities, lent)


def plated(of: OnSupports, _: Progress) -> Printed:
    """All that is printed on a plate."""
    bare, turned, across = of.bare.across, of.of.turned, of.of.across
    lent = None if bare is None or across is None else Lent(lambda: _on_supports(bare, turned, across))
    return of.bare.on_supports(_supports(of.of.along, of.of.grid), of.of.touches, lent)


def _bare_solid(placed: tuple[PlacedCasts, ...], grid: Grid) -> Solid:
    part, plugs = _parts(placed, grid)
    mapped.let_go()  # casts rest, and are seldom read
    return Solid(part, empty(grid), plugs)


def _on_supports(bare: Lent[Solid], placed: tuple[PlacedCasts, ...], grid: Grid) -> Solid:
    supports = _supports(placed, grid)
    mapped.let_go()
    return replace(bare.get(), supports=supports)


def _parts(placed: tuple[PlacedCasts, ...], grid: Grid) -> tuple[Runs, Runs | None]:
    """What is solid of all parts, and what holes took of them."""
    part = plugs = empty(grid)
    for casts, there in _copies(placed).items():
        own, drilled = part_runs(casts)
        for one in there:
            part = union(part, one.there(own, grid))
            plugs = union(plugs, one.there(drilled, grid))
    return part, cropped(plugs) if plugs.x0.size else None


def _supports(placed: tuple[PlacedCasts, ...], grid: Grid) -> Runs:
    """What is solid of all supports."""
    supports = empty(grid)
    for casts, there in _copies(placed).items():
        own = supports_runs(casts)
        for one in there:
            supports = union(supports, one.there(own, grid))
    return supports


def _copies(placed: tuple[PlacedCasts, ...]) -> dict[PartCasts, list[PlacedCasts]]:
    """Prints by what was cast of them: what several copies share is put together once."""
    copies = defaultdict(list)
    for one in placed:
        copies[one.casts].append(one)
    return copies
