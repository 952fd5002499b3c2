"""Part runs: a part less its cavity and its holes, and its supports kept out of its chambers, as runs at its own place.

They are quickly made of what was cast, and large: whoever needs them makes them anew.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

from wideberth.core.layers import Grid, Runs, cropped, difference, intersection, on_grid


@dataclass(frozen=True)
class PartCasts:
    """Runs of each mesh of a part as it was cast, on windows of one lattice; None for what there is not."""

    outer: Runs
    cavity: Runs | None
    filling: Runs | None
    drills: Runs | None
    supports: Runs | None

    @property
    def bare(self) -> PartCasts:
        """The same without supports."""
        return replace(self, supports=None)


def part_runs(of: PartCasts) -> tuple[Runs, Runs | None]:
    """What is printed of one part with its holes drilled, and what these took of it; None where there are none."""
    window = _over([r for r in (of.outer, of.cavity, of.filling, of.drills) if r is not None])

    def there(runs: Runs | None) -> Runs | None:
        return None if runs is None else on_grid(runs, window)

    own, cavity, filling, drills = on_grid(of.outer, window), there(of.cavity), there(of.filling), there(of.drills)
    if cavity is not None:
        own = difference(own, cavity if filling is None else difference(cavity, filling))
    return (own, None) if drills is None else (difference(own, drills), cropped(intersection(own, drills)))


def supports_runs(of: PartCasts) -> Runs | None:
    """What is printed of one part's supports; None where there are none."""
    supports, cavity = of.supports, of.cavity
    if supports is None or cavity is None:
        return supports
    return difference(supports, on_grid(cavity, supports.grid))


def _over(runs: list[Runs]) -> Grid:
    """The window over all windows of one lattice."""
    grids = [r.grid for r in runs]
    first_row, first_layer = min(g.first_row for g in grids), min(g.first_layer for g in grids)
    rows = max(g.first_row + g.rows for g in grids) - first_row
    layers = max(g.first_layer + g.layers for g in grids) - first_layer
    return grids[0].windowed(first_row, rows, first_layer, layers)
