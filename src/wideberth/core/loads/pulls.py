"""What pulls: peel, suction and weight, each by its cause and where it acts."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from wideberth.core.bench import Bench
from wideberth.core.layers import SEALED, Bodies, Openings, Printed, Sections, beside
from wideberth.core.loads.suction import Suction
from wideberth.core.units import g_weight_n

CAUSES = ("line", "viscous", "sealed", "vented", "weight")
"""Line adhesion along the front; the viscous share; suction of sealed and of vented cups; weight."""
LINE, VISCOUS, SEALED_CUP, VENTED_CUP, WEIGHT = range(5)


@dataclass(frozen=True, eq=False)
class Pulls:
    """Pulls on one labelling, sorted by layer.

    Attributes
    ----------
    layer, x_mm, y_mm, component : (pulls,) where each acts, and on which component. force_n : (pulls, causes).
    """

    layer: NDArray[np.int64]
    x_mm: NDArray[np.float64]
    y_mm: NDArray[np.float64]
    force_n: NDArray[np.float64]
    component: NDArray[np.int64]

    @cached_property
    def total_n(self) -> NDArray[np.float64]:
        """All causes together, (pulls,)."""
        return np.asarray(self.force_n.sum(axis=1))


def of_all_causes(by_cause_n: NDArray[np.float64]) -> NDArray[np.float64]:
    """Loads of all causes together, (...), of those by cause, (..., causes)."""
    return np.asarray(by_cause_n @ np.ones(by_cause_n.shape[-1]))


def pulls_on(
    printed: Printed,
    sections: Sections,
    line_n: NDArray[np.float64],
    viscous_n: NDArray[np.float64],
    weight_n: NDArray[np.float64],
    drawn: Suction,
) -> Pulls:
    """Peel and weight at the centroids of components, suction at those of openings, on the component beside the opening.

    Parameters
    ----------
    sections : the labelling. line_n, viscous_n, weight_n : (components,) of that labelling.
    """
    o = printed.openings
    component = _beside_openings(printed, sections)
    on = component >= 0
    own = np.zeros((sections.count, len(CAUSES)))
    own[:, LINE], own[:, VISCOUS], own[:, WEIGHT] = line_n, viscous_n, weight_n
    sucked = np.zeros((o.count, len(CAUSES)))
    sealed = sealed_openings(o, drawn)
    sucked[:, SEALED_CUP] = np.where(sealed, drawn.force_n, 0.0)
    sucked[:, VENTED_CUP] = np.where(sealed, 0.0, drawn.force_n)
    layer = np.concatenate((sections.layer, o.layer[on]))
    order = np.argsort(layer, kind="stable")
    return Pulls(
        layer[order],
        np.concatenate((sections.x_mm, o.x_mm[on]))[order],
        np.concatenate((sections.y_mm, o.y_mm[on]))[order],
        np.concatenate((own, sucked[on]))[order],
        np.concatenate((np.arange(sections.count), component[on]))[order],
    )


def _beside_openings(printed: Printed, sections: Sections) -> NDArray[np.int64]:
    """The component beside each opening, (openings,), -1 where there is none."""
    o = printed.openings
    return beside(sections, o.ray, o.left_mm)


def sealed_openings(openings: Openings, drawn: Suction) -> NDArray[np.bool_]:
    """Whether an opening's suction is that of a sealed cup, else of a vented one, (openings,)."""
    return np.asarray((openings.state == SEALED) | ((drawn.vents == 0) & (drawn.narrow_kpa == 0)))


def suction_at(printed: Printed, sections: Sections, force_n: NDArray[np.float64]) -> NDArray[np.float64]:
    """Suction [N] on each component of a labelling, (components,), of that at each opening, (openings,)."""
    component = _beside_openings(printed, sections)
    on = component >= 0
    return np.bincount(component[on], force_n[on], sections.count).astype(np.float64)


def weights_n(sections: Sections, connected: Bodies, bench: Bench) -> NDArray[np.float64]:
    """Weight [N] that hangs on each component: its body's, shared by area with the body's other components.

    What lies deeper than the resin's surface weighs only its excess density. The share of a body above the surface is
    taken as the whole print's share; the body's weight acts at its topmost section.
    """
    grid, resin = sections.runs.grid, bench.resin
    grown = np.cumsum(sections.per_layer(sections.area_mm2)) * grid.layer_mm
    deep = max(1, round(bench.print.resin_depth_mm / grid.layer_mm))
    above = np.concatenate((np.zeros(min(deep, len(grown))), grown[:-deep]))[: len(grown)]
    aired = np.divide(above, grown, out=np.zeros_like(grown), where=grown > 0)[sections.layer]
    density = resin.solid_density_kg_per_m3 - (1 - aired) * resin.density_kg_per_m3
    _, body = np.unique(sections.layer * (sections.count + 1) + connected.root, return_inverse=True)
    area_of_body = np.bincount(body, sections.area_mm2)[body]
    share = np.divide(sections.area_mm2, area_of_body, out=np.zeros(len(area_of_body)), where=area_of_body > 0)
    return np.maximum(g_weight_n(1.0, 1.0) * connected.volume_mm3 * density * share, 0.0)
