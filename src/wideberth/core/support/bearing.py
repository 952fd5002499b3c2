"""A part on its tips as the verdict's engine sees it, without first layers, and the sizes that its loads ask for."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import TypeVar

import numpy as np
from numpy.typing import NDArray

from wideberth.core.bench import Bench
from wideberth.core.layers import (
    PREVIEW_SQUEEZE,
    Bore,
    Grid,
    Printed,
    Solved,
    cast,
    cropped,
    difference,
    empty,
    grid_over,
    intersection,
    on_grid,
)
from wideberth.core.loads import Loads, Pushed, loads
from wideberth.core.model import Mesh
from wideberth.core.progress import Progress, quiet
from wideberth.core.support.bracing import braced
from wideberth.core.support.graph import Supports
from wideberth.core.support.routing import Clearance
from wideberth.core.support.sizes import MARGIN_RESERVE, allowed_mm, needed_mm
from wideberth.core.support.solids import supports_mesh, touches

SIZING_PITCH_MM, MOST_LAYERS, BRACING_ROUNDS = 0.1, 1200, 3
WINDOW_ROWS, KEPT, TINY = 64, 4, 1e-9
K = TypeVar("K")
V = TypeVar("V")


@dataclass(frozen=True)
class Relief:
    """Holes in a part that is filled, as deep as they go, around its own place. drills : what they take. bores : what they let
    through."""

    drills: Mesh
    bores: tuple[Bore, ...]

    @property
    def mouths_mm(self) -> NDArray[np.float64]:
        """Both mouths of each hole and its radius, (2 holes, 4)."""
        entry, along = (np.array([getattr(bore, name) for bore in self.bores]) for name in ("entry_mm", "along"))
        radius, wall = (np.array([[getattr(bore, name)] for bore in self.bores]) for name in ("radius_mm", "wall_mm"))
        return np.concatenate([np.hstack((mouths, radius)) for mouths in (entry, entry + wall * along)])


class Trial:
    """A solid part in its pose that is tried on supports: what does not depend on them is found once.

    light : the part's outer mesh. progress : heeded before each step that takes long. relief : holes in it, if any. The last
    supports that were tried are remembered with what they bear.
    """

    def __init__(self, light: Mesh, bench: Bench, progress: Progress | None = None, relief: Relief | None = None) -> None:
        self.light, self.bench, self._progress, self._relief = light, bench, progress or quiet(), relief
        self._alone: dict[Grid, Printed] = {}
        self._printed: dict[tuple[Supports, int], Printed] = {}
        self._borne: dict[tuple[Supports, int], Loads] = {}
        self._solved: Solved = {}

    def on_posts_of(self, bench: Bench) -> Trial:
        """The same part tried on a bench on which only posts are others."""
        other = Trial(self.light, bench, self._progress, self._relief)
        other._alone, other._solved = self._alone, self._solved
        return other

    def alone(self, coarser: int = 1) -> Printed:
        """The part by itself; see `printed`."""
        return self.printed(Supports(), coarser)

    def printed(self, supports: Supports, coarser: int = 1) -> Printed:
        """The part on its tips, on the printed layers, or coarser ones for tall parts, or where that is wanted."""
        return _once(self._printed, (supports, coarser), lambda: self._cast(supports, coarser))

    def borne(self, supports: Supports, coarser: int = 1) -> Loads:
        """What the tips bear, without first layers: the part hangs above them."""
        return _once(self._borne, (supports, coarser), lambda: self._pulled(self.printed(supports, coarser)))

    def grip(self, supports: Supports, before: Loads, enough: float) -> float:
        """How much the plate holds with some tips of what it held with others, as far as that is needed: the least share of all
        layers. Where tips change nothing, as where a part stands on a foot of its own, it is 1, however little that is."""
        was, now = before.plate_margin, self.borne(supports).plate_margin
        both = min(len(was), len(now))
        return least(now[:both] / np.maximum(np.fmin(was[:both], enough), TINY))

    def _pulled(self, printed: Printed) -> Loads:
        self._progress.heed()
        printed.label(liquid=False)
        plain = replace(self.bench, print=replace(self.bench.print, first_layers=0, transition_layers=0))
        return loads(printed, plain, PREVIEW_SQUEEZE, known=self._solved, ranged=False, progress=self._progress)

    def _cast(self, supports: Supports, coarser: int) -> Printed:
        self._progress.heed()
        solid = supports_mesh(supports, self.bench.supports)
        low, high = self.light.low, self.light.high
        if solid is not None:
            low, high = np.minimum(low, solid.low), np.maximum(high, solid.high)
        layer = coarser * max(self.bench.print.layer_height_mm, float(high[2]) / MOST_LAYERS)
        grid = _window(grid_over(low, high, SIZING_PITCH_MM * min(coarser, 2), layer))
        alone = _once(self._alone, grid, lambda: self._cast_alone(grid))
        if solid is None:
            return alone
        rest = cast(solid.points, solid.faces, alone.part.grid.window(solid.low, solid.high))
        return alone.on_supports(on_grid(rest, alone.part.grid), touches(supports, self.bench.supports, 0, 0.0, 0.0))

    def _cast_alone(self, grid: Grid) -> Printed:
        part = cast(self.light.points, self.light.faces, grid)
        if self._relief is None:
            return Printed(part, empty(grid))
        drills = cast(self._relief.drills.points, self._relief.drills.faces, grid)
        return Printed(difference(part, drills), empty(grid), cropped(intersection(part, drills)), self._relief.bores)


def _once(kept: dict[K, V], key: K, make: Callable[[], V]) -> V:
    """What is kept for a key, made now if it is not; the oldest goes first."""
    if key not in kept:
        while len(kept) >= KEPT:
            del kept[next(iter(kept))]
        kept[key] = make()
    return kept[key]


def _window(grid: Grid) -> Grid:
    """A grid with rows to spare: what is tried next hardly leaves it."""
    first = grid.first_row // WINDOW_ROWS * WINDOW_ROWS
    last = -(-(grid.first_row + grid.rows) // WINDOW_ROWS) * WINDOW_ROWS
    return replace(grid, first_row=first, rows=last - first)


def least(margin: NDArray[np.float64]) -> float:
    """The least of some margins, infinite where there is none."""
    return float(np.nanmin(margin, initial=np.inf))


def sized(supports: Supports, borne: Loads, bench: Bench, only_grow: bool) -> tuple[Supports, list[int], bool]:
    """Tips of the size that their load asks for, the numbers of those that want company, and whether any grew.

    A thicker tip is stiffer and draws more of the pull, so sizes are found in rounds; after the first they only grow.
    """
    settings, contacts = bench.supports, supports.contacts
    worst: NDArray[np.float64] = borne.tip_load_n.max(axis=0)
    need = needed_mm(borne.tip_load_n, borne.tips, bench)
    shaky = {int(t) for t in borne.unsteady_tip[borne.unsteady > 1.0] if t >= 0}
    size = allowed_mm(need, borne.tips, bench)
    for t in shaky:
        size[t] = settings.largest_tip_mm
    before = np.array([c.diameter_mm for c in contacts])
    if only_grow:
        size = np.maximum(size, before)
    free = np.array([not c.pinned for c in contacts])
    grown = bool((size > before + 1e-6)[free].any())
    sized = supports.sized({c.id: round(float(d), 3) for c, d in zip(contacts, size, strict=True) if not c.pinned})
    sized = sized.needed_for(
        {c.id: replace(c.need, carries_n=max(float(load), 0.0)) for c, load in zip(contacts, worst, strict=True)}
    )
    stout = {post: size for (_, post), size in stouter_posts(borne.posts, bench).items()}
    wanting = shaky | set(np.flatnonzero(need > settings.largest_tip_mm).tolist())
    return sized.stouter(stout), sorted(wanting), grown


def most_free_mm(posts: Pushed, bench: Bench) -> dict[tuple[int, str], float]:
    """Posts that bend aside too easily although they are as stout as they may be, by print and id, and how much may be free.

    Euler's load goes with the inverse square of the length.
    """
    settings = bench.supports
    weak = (posts.margin < settings.wanted_margin) & (posts.stays | (posts.diameter_mm >= settings.stoutest_post_mm - 1e-6))
    most = posts.length_mm * np.sqrt(posts.margin / (settings.wanted_margin * MARGIN_RESERVE))
    return {posts.of[i]: float(most[i]) for i in np.flatnonzero(weak)}


def with_braces(supports: Supports, trial: Trial, room: Clearance) -> tuple[Supports, bool]:
    """Supports with diagonals where the stoutest post that is allowed would still bend aside, and whether none bends then."""
    for _ in range(BRACING_ROUNDS):
        posts = trial.borne(supports).posts
        most = {post: free for (_, post), free in most_free_mm(posts, trial.bench).items()}
        if not most:
            return supports, True
        supports, left = braced(supports, most, room, trial.bench.supports)
        if left:
            return supports, False
    return supports, True


def stouter_posts(posts: Pushed, bench: Bench) -> dict[tuple[int, str], float]:
    """Posts that want to be stouter against the push of the return, by print and id, and the diameter [mm] each wants.

    None gets thinner. Euler's load goes with d⁴. Past the stoutest allowed a post stays doubtful, and the verdict says so.
    """
    settings = bench.supports
    wanted = settings.wanted_margin * MARGIN_RESERVE / np.maximum(posts.margin, 1e-9)
    need = np.ceil(posts.diameter_mm * wanted**0.25 / 0.1 - 1e-9) * 0.1
    size = np.minimum(need, settings.stoutest_post_mm).round(3)
    grows = (size > posts.diameter_mm + 1e-6) & ~posts.stays
    return {posts.of[i]: float(size[i]) for i in np.flatnonzero(grows)}
