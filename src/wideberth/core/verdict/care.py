"""What a print asks for once it is done: drip, wash and cure, each with its figures."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from wideberth.core.bench import (
    Bench,
    bath_room_g,
    bath_share,
    cure_dose_j_per_cm2,
    cure_min,
    film_mm,
    inner_cure_min,
    lit_mm,
    viscosity_at,
    worth_waiting_min,
)
from wideberth.core.loads import Loads
from wideberth.core.units import KG_PER_M3_IN_G_PER_ML, MM3_PER_ML, SECONDS_PER_MINUTE

BATHS = 2


@dataclass(frozen=True)
class Care:
    """Drip, wash and cure of a print.

    clings_ml : what hangs on it after the house's drip time, on wetted_mm2 of surface; thickest_mm : its film at the lower
    end. worth_min : how long waiting pays; half_min : when half of what clings after the drip time has gone too. to_bath_g
    : what the wash takes off; to_clean_g : what is carried over into the clean bath. bath_share, bath_share_after : resin
    in the dirty bath by mass; bath_prints : how many prints like this one it still takes, this one counted. wash_each_min :
    in each bath, so that the resin's time is met. station_j_per_cm2 : dose in the station's own time. cure_low_min,
    cure_high_min : under the lamp, for the least and the most dose; lit_mm : how deep its light reaches; inner_min : for
    inner walls behind the house's wall, None where no light gets through.
    """

    clings_ml: float
    wetted_mm2: float
    thickest_mm: float
    drip_min: float
    worth_min: float
    half_min: float
    to_bath_g: float
    to_clean_g: float
    bath_share: float
    bath_share_after: float
    bath_prints: int
    wash_each_min: float
    station_j_per_cm2: float
    cure_low_min: float
    cure_high_min: float
    lit_mm: float
    inner_min: float | None

    @property
    def bath_spent(self) -> bool:
        """Whether the dirty bath is spent before this print is washed."""
        return self.bath_prints < 1


def care_of(loads: Loads, bench: Bench, layer_mm: float) -> Care:
    """Drip by Jeffreys' film over every layer's walls, in the pose it was printed in; wash and cure by resin and station.

    Parameters
    ----------
    layer_mm : height of the layers that `loads` has.

    Notes
    -----
    A layer's wetted surface is its side walls (outline times height) and its level faces (changes of area); the wall's lean is
    taken from the two. It hangs from the plate, so that the film runs down from there. What pools in hollows is not in it.
    """
    walls = loads.perimeter_mm * layer_mm
    level = np.abs(np.diff(loads.area_mm2, append=0.0))
    wetted = walls + level
    upright = np.divide(walls, np.hypot(walls, level), out=np.ones(len(walls)), where=wetted > 0)
    below = (np.arange(loads.layers) + 0.5) * layer_mm
    resin, station, drip = bench.resin, bench.station, bench.house.drip_min
    viscosity = viscosity_at(resin, float(loads.vat_c[-1])) if loads.layers else resin.viscosity_pa_s
    film = film_mm(below, drip, upright, viscosity, resin.density_kg_per_m3)
    clings = resin.cling_factor * float((wetted * film).sum()) / MM3_PER_ML
    grams = clings * resin.density_kg_per_m3 * KG_PER_M3_IN_G_PER_ML
    room = bath_room_g(station.dirty_bath_ml, station) - station.bath_load_g
    after = bath_share(station.bath_load_g + grams, station.dirty_bath_ml, station)
    return Care(
        clings,
        float(wetted.sum()),
        float(film.max(initial=0.0)),
        drip,
        worth_waiting_min(clings, drip, bench.house.minutes_per_ml, resin.longest_wet_min),
        4 * drip,
        grams,
        grams * after,
        bath_share(station.bath_load_g, station.dirty_bath_ml, station),
        after,
        max(0, int(room / max(grams, 1e-9))),
        max(resin.wash_min / BATHS, station.wash_s / SECONDS_PER_MINUTE),
        cure_dose_j_per_cm2(station),
        cure_min(resin.cure_low_j_per_cm2, station),
        cure_min(resin.cure_high_j_per_cm2, station),
        lit_mm(resin),
        inner_cure_min(resin.cure_low_j_per_cm2, bench.house.wall_mm, bench),
    )
