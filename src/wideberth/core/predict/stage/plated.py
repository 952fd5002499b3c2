"""Plated: the runs of all prints moved to where they stand, and united."""

from __future__ import annotations

from dataclasses import dataclass
from functools import reduce

from wideberth.core.layers import Bore, Grid, Printed, Runs, Touch, empty, moved_runs, on_grid, union
from wideberth.core.predict.stage.part_runs import PartRuns
from wideberth.core.progress import Progress


@dataclass(frozen=True)
class PlacedRuns:
    """A print's runs around its part's own place, how far they are to be moved along themselves, and by how many rows."""

    runs: PartRuns
    along_mm: float
    rows: int


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
    part_across = all_across = plugged_across = None
    if of.across is not None:
        turned = _united(of.turned, of.across)
        part_across = turned.cut
        all_across, plugged_across = turned.with_supports()
    whole, whole_plugged = own.with_supports()
    return Printed(
        own.plugged,
        own.cut,
        whole_plugged,
        whole,
        own.supports,
        of.bores,
        of.touches,
        own.cavities,
        part_across,
        all_across,
        plugged_across,
    )


@dataclass(frozen=True, eq=False)
class _Plate:
    """Parts with their holes plugged, with them cut (the very same without any), supports, and cavities, as runs."""

    plugged: Runs
    cut: Runs
    supports: Runs
    cavities: Runs

    def with_supports(self) -> tuple[Runs, Runs]:
        """Everything, with the holes cut and with them plugged."""
        if self.supports.x0.size == 0:
            return self.cut, self.plugged
        whole = union(self.cut, self.supports)
        return whole, whole if self.plugged is self.cut else union(self.plugged, self.supports)


def _united(placed: tuple[PlacedRuns, ...], grid: Grid) -> _Plate:
    prints = [_moved(p, grid) for p in placed]
    plugged = _union([p.plugged for p in prints], grid)
    drilled = any(p.cut is not p.plugged for p in prints)
    return _Plate(
        plugged,
        _union([p.cut for p in prints], grid) if drilled else plugged,
        _union([p.supports for p in prints if p.supports is not None], grid),
        _union([p.cavity for p in prints if p.cavity is not None], grid),
    )


def _moved(placed: PlacedRuns, grid: Grid) -> PartRuns:
    """A part's runs where a print of it stands, on the plate's grid."""
    runs = placed.runs

    def there(r: Runs) -> Runs:
        return on_grid(moved_runs(r, placed.along_mm, placed.rows), grid)

    plugged = there(runs.plugged)
    return PartRuns(
        plugged,
        plugged if runs.cut is runs.plugged else there(runs.cut),
        None if runs.supports is None else there(runs.supports),
        None if runs.cavity is None else there(runs.cavity),
    )


def _union(several: list[Runs], grid: Grid) -> Runs:
    return reduce(union, several) if several else empty(grid)
