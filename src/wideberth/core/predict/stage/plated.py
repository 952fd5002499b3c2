"""Plated: the runs of all prints moved to where they stand, and united."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from functools import partial, reduce

from wideberth.core.layers import Bore, Grid, Lent, Printed, Runs, Solid, Touch, cropped, empty, moved_runs, on_grid, union
from wideberth.core.predict.stage.part_runs import PartRuns
from wideberth.core.progress import Progress


@dataclass(frozen=True)
class PlacedRuns:
    """A print's runs around its part's own place, how far they are to be moved along themselves, and by how many rows."""

    runs: PartRuns
    along_mm: float
    rows: int

    def there(self, runs: Runs, grid: Grid) -> Runs:
        """Runs of it where the print stands, on the plate's grid."""
        return on_grid(moved_runs(runs, self.along_mm, self.rows), grid)


@dataclass(frozen=True)
class Plating:
    """Prints with runs along x on a grid, and along y on another, `across`, if there is one."""

    along: tuple[PlacedRuns, ...]
    grid: Grid
    turned: tuple[PlacedRuns, ...]
    across: Grid | None
    bores: tuple[Bore, ...]
    touches: tuple[Touch, ...]


def plated(of: Plating, _: Progress) -> Printed:
    """All that is printed on a plate."""
    own = _united(of.along, of.grid)
    across = None if of.across is None else Lent(partial(_united, of.turned, of.across))
    cavities = _union(((p, p.runs.cavity) for p in of.along), of.grid)
    return Printed(own.part, own.supports, own.plugs, of.bores, of.touches, cavities, across)


def _united(placed: tuple[PlacedRuns, ...], grid: Grid) -> Solid:
    plugs = _union(((p, p.runs.plugs) for p in placed), grid)
    return Solid(
        _union(((p, p.runs.part) for p in placed), grid),
        _union(((p, p.runs.supports) for p in placed), grid),
        cropped(plugs) if plugs.x0.size else None,
    )


def _union(several: Iterable[tuple[PlacedRuns, Runs | None]], grid: Grid) -> Runs:
    """All runs that there are, each where its print stands."""
    moved = (placed.there(runs, grid) for placed, runs in several if runs is not None)
    return reduce(union, moved, empty(grid))
