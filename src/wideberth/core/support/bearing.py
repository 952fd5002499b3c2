"""A part on its tips as the verdict's engine sees it, solid and without first layers, and the sizes that its loads ask for."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from wideberth.core.bench import Bench
from wideberth.core.layers import PREVIEW_SQUEEZE, Printed, cast, empty, grid_over, union
from wideberth.core.loads import Loads, Pushed, loads
from wideberth.core.model import Mesh
from wideberth.core.support.bracing import braced
from wideberth.core.support.graph import Supports
from wideberth.core.support.routing import Clearance
from wideberth.core.support.sizes import MARGIN_RESERVE, fitting_mm, needed_mm
from wideberth.core.support.solids import supports_mesh, touches

SIZING_PITCH_MM, MOST_LAYERS, BRACING_ROUNDS = 0.1, 1200, 3


def cast_on_tips(mesh: Mesh, supports: Supports, bench: Bench, coarser: int = 1) -> Printed:
    """The solid part on its tips, on the printed layers, or coarser ones for tall parts, or where that is wanted."""
    solid = supports_mesh(supports, bench.supports)
    low, high = mesh.low, mesh.high
    if solid is not None:
        low, high = np.minimum(low, solid.low), np.maximum(high, solid.high)
    layer = coarser * max(bench.print.layer_height_mm, float(high[2]) / MOST_LAYERS)
    grid = grid_over(low, high, SIZING_PITCH_MM * min(coarser, 2), layer)
    part = cast(mesh.points, mesh.faces, grid)
    if solid is None:
        return Printed(part, part, part, part, empty(grid))
    rest = cast(solid.points, solid.faces, grid)
    everything = union(part, rest)
    return Printed(part, part, everything, everything, rest, (), touches(supports, bench.supports, 0, 0.0, 0.0))


def borne_by(printed: Printed, bench: Bench) -> Loads:
    """What it bears without first layers: the part hangs above them."""
    plain = replace(bench, print=replace(bench.print, first_layers=0, transition_layers=0))
    return loads(printed, plain, PREVIEW_SQUEEZE)


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
    size = fitting_mm(borne.tip_load_n, borne.tips, bench)
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
    """Posts that bend aside too easily although they are as stout as allowed, by print and id, and how much of each may be free.

    Euler's load goes with the inverse square of the length.
    """
    settings = bench.supports
    weak = (posts.margin < settings.wanted_margin) & (posts.diameter_mm >= settings.stoutest_post_mm - 1e-6)
    most = posts.length_mm * np.sqrt(posts.margin / (settings.wanted_margin * MARGIN_RESERVE))
    return {posts.of[i]: float(most[i]) for i in np.flatnonzero(weak)}


def with_braces(supports: Supports, light: Mesh, room: Clearance, bench: Bench) -> tuple[Supports, bool]:
    """Supports with diagonals where the stoutest post that is allowed would still bend aside, and whether none bends then."""
    for _ in range(BRACING_ROUNDS):
        posts = borne_by(cast_on_tips(light, supports, bench), bench).posts
        most = {post: free for (_, post), free in most_free_mm(posts, bench).items()}
        if not most:
            return supports, True
        supports, left = braced(supports, most, room, bench.supports)
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
    grows = size > posts.diameter_mm + 1e-6
    return {posts.of[i]: float(size[i]) for i in np.flatnonzero(grows)}
