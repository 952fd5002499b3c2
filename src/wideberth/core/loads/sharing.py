"""Who holds what: the pulls of each body shared over its tips and its contact with the plate, and what goes first."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from wideberth.core.bench import Bench
from wideberth.core.layers import Bodies, Printed, Sections
from wideberth.core.loads import _kernels as kernels
from wideberth.core.loads.holders import Patches, tip_stiffnesses
from wideberth.core.loads.pulls import Pulls
from wideberth.core.loads.young import TipsAtPeels

NEVER = np.iinfo(np.int64).max


@dataclass(frozen=True, eq=False)
class Holders:
    """What holds one labelling: tips, `tip` (index into `Printed.touches`) with the `component` that each holds, and `patches` of
    the plate.

    All tips in their order, then some again for a second component, until both have grown together; or none at all.
    """

    tip: NDArray[np.int64]
    component: NDArray[np.int64]
    patches: Patches

    @property
    def count(self) -> int:
        return len(self.tip)


@dataclass(frozen=True, eq=False)
class Shares:
    """How the pulls are shared.

    Attributes
    ----------
    tip_n : (layers, tips, causes), below zero where a tip is pushed. plate_n_per_mm2 : (layers, causes) on the patch of the
    plate that has the greatest stress; of both a single cause where all were taken together. unheld_n, unsteady, unsteady_tip :
    (layers,). gone : (tips,) layer at which a tip let go, NEVER for most.
    """

    tip_n: NDArray[np.float64]
    plate_n_per_mm2: NDArray[np.float64]
    unheld_n: NDArray[np.float64]
    unsteady: NDArray[np.float64]
    unsteady_tip: NDArray[np.int64]
    gone: NDArray[np.int64]


def share(
    printed: Printed,
    sections: Sections,
    pulls: Pulls,
    connected: Bodies,
    holders: Holders,
    holding: kernels.Springs,
    gone: NDArray[np.int64] | None = None,
    by_cause: bool = True,
) -> Shares:
    """Share the pulls on one labelling over tips and plate.

    Parameters
    ----------
    connected : bodies that track the holders' components and then those of layer 0. holding : the holders as `springs`.
    gone : (tips,) layer from which a tip holds nothing, and tips let go at their capacity then; left out, every tip holds
        whatever it must. by_cause : or all causes together.
    """
    tips = len(printed.touches)
    until = np.full(len(holding.x_mm), NEVER)
    if gone is not None:
        until[: holders.count] = gone[holders.tip]
    force = pulls.force_n if by_cause else pulls.total_n[:, None]
    load, stress, unheld, unsteady, holder = kernels.share_pulls(
        sections.layers, pulled(sections, pulls, connected, force), holding, holders.count, until, gone is not None
    )
    by_tip = load[:, :tips] if holders.count else np.zeros((sections.layers, tips, force.shape[1]))
    for h in range(tips, holders.count):
        by_tip[:, holders.tip[h]] += load[:, h]
    let_go = np.full(tips, NEVER)
    np.minimum.at(let_go, holders.tip, until[: holders.count])
    unsteady_tip = np.where(holder >= 0, np.append(holders.tip, -1)[holder], -1)
    return Shares(by_tip, stress, unheld, unsteady, unsteady_tip, let_go)


def pulled(sections: Sections, pulls: Pulls, connected: Bodies, force_n: NDArray[np.float64]) -> kernels.Pulled:
    """Pulls by layer, with their forces by cause or taken together, (pulls, causes)."""
    first = np.searchsorted(pulls.layer, np.arange(sections.layers + 1))
    return kernels.Pulled(first, pulls.x_mm, pulls.y_mm, force_n, connected.root[pulls.component])


def springs(
    printed: Printed, bench: Bench, sections: Sections, connected: Bodies, holders: Holders, at_peels: TipsAtPeels | None
) -> kernels.Springs:
    """Tips and patches of the plate as springs; a tip that holds a body by two components counts there once.

    Parameters
    ----------
    at_peels : how stiff and how strong the tips are at each layer; None where there are none.
    """
    modulus = bench.resin.green_modulus_mpa
    patches, held = holders.patches, [printed.touches[t] for t in holders.tip]
    body = connected.tracked.copy()
    for h in range(len(printed.touches), holders.count):
        for earlier in np.flatnonzero(holders.tip[:h] == holders.tip[h]):
            body[body[:, h] == body[:, earlier], h] = -1
    none, has_set = np.zeros(holders.count), np.zeros((sections.layers, holders.count))
    wide, stiff = none, has_set
    if at_peels is not None and holders.count:
        wide = at_peels.printed_mm[holders.tip]
        has_set = at_peels.stiff if len(wide) == len(printed.touches) else np.take(at_peels.stiff, holders.tip, axis=1)
        stiff = tip_stiffnesses(held, modulus, wide, has_set)
    return kernels.Springs(
        x_mm=np.concatenate(([t.x_mm for t in held], patches.x_mm)),
        y_mm=np.concatenate(([t.y_mm for t in held], patches.y_mm)),
        tip_stiffness=stiff,
        plate_stiffness=patches.stiffness_n_per_mm,
        spread_mm2=np.concatenate((none, patches.area_mm2 / 12)),
        strength_n_per_mm2=bench.resin.green_strength_mpa,
        has_set=has_set,
        bends_mm3=np.pi * wide**3 / 32,
        area_mm2=np.concatenate((np.pi * wide**2 / 4, patches.area_mm2)),
        column=np.concatenate((np.arange(holders.count), holders.count + patches.component)),
        body=body,
    )


def first_adrift(
    shares: Shares, pulls: Pulls, connected: Bodies, speck_n: float | NDArray[np.float64]
) -> tuple[float, float] | None:
    """Where the first piece that hangs on nothing is pulled hardest, (x, y) [mm]; None when all is held.

    Parameters
    ----------
    connected : bodies that track the components of all holders. speck_n : pull that is not worth a word, in
    each layer (layers,) or in all.
    """
    adrift = np.flatnonzero(shares.unheld_n > speck_n)
    if len(adrift) == 0:
        return None
    k = int(adrift[0])
    here = np.flatnonzero(pulls.layer == k)
    alone = here[~np.isin(connected.root[pulls.component[here]], connected.tracked[k])]
    if len(alone) == 0:
        return None
    hardest = alone[pulls.total_n[alone].argmax()]
    return float(pulls.x_mm[hardest]), float(pulls.y_mm[hardest])


@dataclass(frozen=True)
class Failure:
    """What happens when a tip lets go.

    Attributes
    ----------
    tip, layer : which goes first, and when. expected : its margin is under 1; otherwise this is what would happen if it broke all
    the same. others : (tip, layer) of those that follow, in order. rest_margin : least margin of the remaining ones after it,
    infinite when none is pulled. lost_layer : from where on something hangs on nothing, None when the rest holds it.
    lost_n : greatest pull on what is lost.
    """

    tip: int
    layer: int
    expected: bool
    others: tuple[tuple[int, int], ...]
    rest_margin: float
    lost_layer: int | None
    lost_n: float


def follow_failure(
    printed: Printed,
    sections: Sections,
    pulls: Pulls,
    connected: Bodies,
    holders: Holders,
    holding: kernels.Springs,
    at_peels: TipsAtPeels,
    before: Shares,
    speck_n: float,
) -> Failure | None:
    """Let the weakest tip go at its worst layer, give its load to the others, and see what follows.

    Parameters
    ----------
    before : the shares while all hold. speck_n : pull on what hangs on nothing that is not worth a word.
    """
    load = before.tip_n.sum(axis=2)
    if load.size == 0 or load.max() <= 0:
        return None
    capacity = np.maximum(at_peels.capacity_n, 1e-12)
    strain = load / capacity
    over = np.flatnonzero(strain.max(axis=1) > 1)
    layer = int(over[0]) if len(over) else int(strain.max(axis=1).argmax())
    tip = int(strain[layer].argmax())
    gone = np.full(len(printed.touches), NEVER)
    gone[tip] = layer
    after = share(printed, sections, pulls, connected, holders, holding, gone)
    after_load = after.tip_n.sum(axis=2)
    worst = (after_load / capacity)[layer:].max()
    followed = [(int(t), int(after.gone[t])) for t in np.argsort(after.gone, kind="stable") if t != tip and after.gone[t] < NEVER]
    adrift = np.flatnonzero((after.unheld_n > speck_n) & (after.unheld_n > before.unheld_n + 1e-9))
    return Failure(
        tip,
        layer,
        bool(len(over)),
        tuple(followed),
        float(1 / worst) if worst > 0 else np.inf,
        int(adrift[0]) if len(adrift) else None,
        float((after.unheld_n - before.unheld_n).max()),
    )
