"""Plated: the runs of all prints moved to where they stand, and united."""

from __future__ import annotations

from collections import defaultdict
from dataclasses import dataclass
from functools import reduce

from wideberth.core.layers import Bore, Grid, Lent, Printed, Runs, Solid, Touch, cropped, empty, moved_runs, on_grid, union
from wideberth.core.predict.stage.part_runs import PartCasts, part_runs
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


def plated(of: Plating, _: Progress) -> Printed:
    """All that is printed on a plate."""
    own, turned, across = _united(of.along, of.grid), of.turned, of.across
    cavities = reduce(union, (one.there(one.casts.cavity, of.grid) for one in of.along), empty(of.grid))
    lent = None if across is None else Lent(lambda: _united(turned, across))
    return Printed(own.part, own.supports, own.plugs, of.bores, of.touches, cavities, lent)


def _united(placed: tuple[PlacedCasts, ...], grid: Grid) -> Solid:
    """What is solid of all prints; what several copies share is put together once."""
    copies = defaultdict(list)
    for one in placed:
        copies[one.casts].append(one)
    part = supports = plugs = empty(grid)
    for casts, there in copies.items():
        runs = part_runs(casts)
        for one in there:
            part = union(part, one.there(runs.part, grid))
            supports = union(supports, one.there(runs.supports, grid))
            plugs = union(plugs, one.there(runs.plugs, grid))
    return Solid(part, supports, cropped(plugs) if plugs.x0.size else None)
