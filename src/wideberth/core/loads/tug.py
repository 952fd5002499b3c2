"""The part's tug on its tips: what pulls does not depend on the tips, so that any of them can be tried on the same pulls."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from wideberth.core.bench import Bench
from wideberth.core.layers import Bodies, Printed, Sections, Touch, bodies
from wideberth.core.loads._kernels import Springs
from wideberth.core.loads.holders import Patches, plate_patches, second_touches
from wideberth.core.loads.necks import Necks, necks
from wideberth.core.loads.pulls import WEIGHT, Pulls, of_all_causes, pulls_on, weights_n
from wideberth.core.loads.sharing import Holders, Shares, share, springs
from wideberth.core.loads.suction import Suction
from wideberth.core.loads.young import KnownTips, TipsAtPeels, Young, tips_at_peels

SPECK_PULL_N = 0.02
"""A pull under this is of a piece with less than 1 mm of outline: nothing that a margin could speak of."""
NECKS_KEPT = 4
Values = NDArray[np.float64]


@dataclass(frozen=True, eq=False)
class PartPulls:
    """What the part is pulled with, whatever holds it.

    line_n, viscous_n : (components of the part,). drawn : suction of each opening. young : how far all has set at each peel.
    """

    printed: Printed
    bench: Bench
    line_n: Values
    viscous_n: Values
    drawn: Suction
    young: Young

    @cached_property
    def _known_tips(self) -> KnownTips:
        return KnownTips(self.printed.all.grid.layers)

    @cached_property
    def pulls(self) -> Pulls:
        """Peel, suction and weight on the part's components."""
        part = self.printed.part_sections
        weight = weights_n(part, self.printed.alone.bodies, self.bench)
        return pulls_on(self.printed, part, self.line_n, self.viscous_n, weight, self.drawn)

    @cached_property
    def _patches(self) -> Patches:
        return plate_patches(self.printed.part_sections, self.bench.resin.green_modulus_mpa)

    def tug(self, touches: tuple[Touch, ...] | None = None, by_cause: bool = True) -> Tug:
        """How tips share these pulls: those that were printed, or others, whose posts then change no layer; by cause, or all
        together, which is found sooner."""
        printed = self.printed if touches is None else self.printed.with_touches(touches)
        part, layers, touched = printed.part_sections, printed.all.grid.layers, printed.touched
        again, second = second_touches(printed, self.printed.touches)
        held = np.concatenate((touched, second))
        holders = Holders(np.concatenate((np.arange(len(touched)), again)), held, self._patches)
        tips = tips_at_peels(printed.touches, self.young, layers, self._known_tips)
        hanging = bodies(part, np.concatenate((holders.component, _grounds(part))))
        holding = springs(printed, self.bench, part, hanging, holders, tips)
        shared = share(printed, part, self.pulls, hanging, holders, holding, by_cause=by_cause)
        return Tug(self, printed, holders, holding, hanging, tips, shared)

    def necks_beyond(self, held: NDArray[np.int64]) -> Necks:
        """Stress in sections of the part that alone hold what hangs beyond them, while tips hold some components: those asked for
        last are kept, for neither what tips are nor how many hold a component changes any."""
        held = np.unique(held[held >= 0])
        key, pulls = held.tobytes(), self.pulls
        found = self._necks.get(key)
        if found is None:
            force = pulls.total_n - pulls.force_n[:, WEIGHT]
            part = self.printed.part_sections
            found = necks(part, pulls.layer, pulls.x_mm, pulls.y_mm, force, pulls.component, held)
            for oldest in list(self._necks)[: -NECKS_KEPT + 1]:
                self._necks.pop(oldest, None)
            self._necks[key] = found
        return found

    @cached_property
    def _necks(self) -> dict[bytes, Necks]:
        return {}


@dataclass(frozen=True, eq=False)
class Tug:
    """Pulls shared by tips: who holds what, what hangs together, and the shares.

    of : what is shared. springs : the holders as such. hold_margin : (layers,) of the weakest tip, NaN where nothing hangs on
    tips, 0 where a piece of any size hangs on nothing. tip_margin : (layers, tips), infinite where nothing pulls.
    """

    of: PartPulls
    printed: Printed
    holders: Holders
    springs: Springs
    hanging: Bodies
    tips: TipsAtPeels
    shared: Shares

    @property
    def pulls(self) -> Pulls:
        return self.of.pulls

    @property
    def bench(self) -> Bench:
        return self.of.bench

    @property
    def young(self) -> Young:
        """How far all has set at each peel."""
        return self.of.young

    @property
    def necks(self) -> Necks:
        """Stress in sections of the part that alone hold what hangs beyond them."""
        return self.of.necks_beyond(self.holders.component)

    @property
    def neck_strength_n_per_mm2(self) -> Values:
        """Strength of each section of the part at the peel that pulls it most, (components,)."""
        part = self.printed.part_sections
        layers = self.young.layers_at(np.asarray(part.runs.grid.z_of(part.layer)))
        return self.bench.resin.green_strength_mpa * self.young.factor(layers, self.necks.peeling)

    @cached_property
    def tip_load_n(self) -> Values:
        """(layers, tips), below zero where a tip is pushed."""
        by_cause = self.shared.tip_n
        return by_cause[:, :, 0] if by_cause.shape[2] == 1 else of_all_causes(by_cause)

    @cached_property
    def tip_margin(self) -> Values:
        load = self.tip_load_n
        return np.divide(self.tips.capacity_n, load, out=np.full(load.shape, np.inf), where=load > 1e-12)

    @property
    def is_adrift(self) -> bool:
        """Whether a piece of any size hangs on nothing in some layer."""
        return bool((self.shared.unheld_n > SPECK_PULL_N).any())

    @property
    def hold_margin(self) -> Values:
        least = self.tip_margin.min(axis=1, initial=np.inf)
        return np.where(self.shared.unheld_n > SPECK_PULL_N, 0.0, np.where(np.isinf(least), np.nan, least))

    @property
    def weakest(self) -> float | None:
        """The least of all layers, None where nothing hangs on tips."""
        hold = self.hold_margin
        return None if np.isnan(hold).all() else float(np.nanmin(hold))


def _grounds(sections: Sections) -> NDArray[np.int64]:
    """Components of the first layer."""
    return np.arange(sections.first[1] if sections.layers else 0)
