"""What holds: tips and plate, how stiff each is and how much it can bear."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from wideberth.core.layers import Printed, Sections, Touch

PATCH_MM = 2.0
NEAR_MM = 12.0
LEAST_STIFF_MM = 1e-6
"""A tip that is not printed at all holds next to nothing."""


@dataclass(frozen=True, eq=False)
class Patches:
    """Contact with the plate in small patches: centre, area, stiffness and the component (of layer 0) each is of."""

    x_mm: NDArray[np.float64]
    y_mm: NDArray[np.float64]
    area_mm2: NDArray[np.float64]
    stiffness_n_per_mm: NDArray[np.float64]
    component: NDArray[np.int64]


def tip_stiffnesses(
    touches: Sequence[Touch], modulus_mpa: float, printed_mm: NDArray[np.float64], young: NDArray[np.float64]
) -> NDArray[np.float64]:
    """Stiffness of tips on their posts at each layer [N/mm], (layers, tips): 1/(1/(E' d) + l/(E a_post)).

    Parameters
    ----------
    modulus_mpa : E of the posts. printed_mm : (tips,) d. young : (layers, tips) E'/E of the tips themselves.
    """
    post_area = np.pi * np.array([t.post_diameter_mm for t in touches]) ** 2 / 4
    length = np.array([t.post_length_mm for t in touches])
    gives = np.maximum(young * printed_mm, LEAST_STIFF_MM)
    np.divide(1, gives, out=gives)
    gives += length / post_area
    return np.divide(modulus_mpa, gives, out=gives)


def second_touches(printed: Printed, standing: tuple[Touch, ...]) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """Islands that rest on supports but are no tip's first component: (tip, component) of each with its nearest.

    A tip at the rim of two beginnings holds both, and so does a post that a beginning grows onto; until these have
    grown together it counts for each.

    standing : the tips with which the layers are printed. Where others are tried on them, an island is held by the one whose
    limb it rests on, as long as that is among them: none takes over for one that is gone.
    """
    sections, touched = printed.part_sections, set(printed.touched.tolist())
    missed = [c for c in printed.held_islands if c not in touched]
    tips, components = [], []
    if standing and printed.touches and missed:
        spots = np.array([(t.x_mm, t.y_mm, t.z_mm) for t in standing])
        posts = np.array([(t.post_x_mm, t.post_y_mm) for t in standing])
        tops = np.array([t.post_top_mm for t in standing])
        number = {(t.part, t.contact): n for n, t in enumerate(printed.touches)}
        for c in missed:
            at = np.array([sections.x_mm[c], sections.y_mm[c], float(printed.part.grid.z_of(int(sections.layer[c])))])
            beside_post = np.where(at[2] <= tops, np.hypot(posts[:, 0] - at[0], posts[:, 1] - at[1]), np.inf)
            away = np.minimum(np.linalg.norm(spots - at, axis=1), beside_post)
            nearest = standing[int(away.argmin())]
            if away.min() <= NEAR_MM and (nearest.part, nearest.contact) in number:
                tips.append(number[nearest.part, nearest.contact])
                components.append(c)
    return np.array(tips, np.int64), np.array(components, np.int64)


def plate_patches(sections: Sections, modulus_mpa: float) -> Patches:
    """Contact of a solid's first layer with the plate, cut into patches of about 2 mm.

    All of it together is as stiff as one tip of that area would be, spread evenly, so that the stress under a base
    that tips is linear from edge to edge.
    """
    runs, grid = sections.runs, sections.runs.grid
    last = runs.offsets[grid.rows]
    x0, x1, component = runs.x0[:last], runs.x1[:last], sections.label[:last].astype(np.int64)
    if last == 0:
        none = np.empty(0)
        return Patches(none, none, none, none, np.empty(0, np.int64))
    row = np.repeat(np.arange(grid.rows), np.diff(runs.offsets[: grid.rows + 1]))
    pieces = np.ceil((x1 - x0) / PATCH_MM).astype(np.int64)
    run = np.repeat(np.arange(last), pieces)
    step = np.arange(len(run)) - np.repeat(np.cumsum(pieces) - pieces, pieces)
    length = ((x1 - x0) / pieces)[run]
    x = x0[run] + (step + 0.5) * length
    y = grid.y0_mm + row[run] * grid.pitch_mm
    area = length * grid.pitch_mm
    cell = np.stack([component[run], np.floor(x / PATCH_MM), np.floor(y / PATCH_MM)], axis=1).astype(np.int64)
    names, group = np.unique(cell, axis=0, return_inverse=True)
    group = group.reshape(-1)
    total = np.bincount(group, area).astype(np.float64)
    stiffness = modulus_mpa * 2 * np.sqrt(total.sum() / np.pi) / total.sum()
    return Patches(
        np.bincount(group, area * x) / total, np.bincount(group, area * y) / total, total, stiffness * total, names[:, 0]
    )
