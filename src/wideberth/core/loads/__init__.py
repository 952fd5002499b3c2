"""Sections and bench to peel, suction, shares, margins and seconds."""

from wideberth.core.loads._kernels import LEAST_MPA
from wideberth.core.loads.coming_off import (
    BY_HAND,
    DAMAGE,
    WITH_BLADE,
    FirstLight,
    Removal,
    effort_class,
    least_first_light,
    peel_strength,
    removals,
    with_first_light,
)
from wideberth.core.loads.down import Pushed, buckling_n, return_share, settling_s
from wideberth.core.loads.film import film_follow_mm, needed_lift_mm, spread_radius_mm
from wideberth.core.loads.finishing import MARKS, UNMARKED, Finish, Finishing, barred_by, finish_of
from wideberth.core.loads.holders import second_touches, tip_stiffnesses
from wideberth.core.loads.loads import Loads, loads
from wideberth.core.loads.necks import Necks, necks
from wideberth.core.loads.one_other import OneOther, Others, others
from wideberth.core.loads.peel import bond_factors, line_n, peel_n, plate_strength, viscous_n
from wideberth.core.loads.pulls import CAUSES, LINE, SEALED_CUP, VENTED_CUP, VISCOUS, WEIGHT, Pulls, sealed_openings, suction_at
from wideberth.core.loads.ranges import Influence, Ranges, weakest_of
from wideberth.core.loads.sag import (
    FREE_EDGE,
    GRID,
    KINDS,
    ROW,
    Sag,
    Undersides,
    ceilings_of,
    edge_curl_mm,
    nothing_sags,
    plate_sag_mm,
    sag_of,
    together,
    undersides_of,
)
from wideberth.core.loads.seconds import layer_depths, layer_seconds, layer_temperatures, layer_viscosities
from wideberth.core.loads.sharing import Failure, first_adrift
from wideberth.core.loads.snapping import WAYS, Snap, snaps
from wideberth.core.loads.spacing import spacing_mm
from wideberth.core.loads.suction import Suction, air_flow_factor, hole_resistance, suction
from wideberth.core.loads.tug import SPECK_PULL_N, PartPulls, Tug
from wideberth.core.loads.young import KnownTips, TipsAtPeels, Young, tips_at_peels, young

__all__ = [
    "BY_HAND",
    "CAUSES",
    "DAMAGE",
    "FREE_EDGE",
    "GRID",
    "KINDS",
    "LEAST_MPA",
    "LINE",
    "MARKS",
    "ROW",
    "SEALED_CUP",
    "SPECK_PULL_N",
    "UNMARKED",
    "VENTED_CUP",
    "VISCOUS",
    "WAYS",
    "WEIGHT",
    "WITH_BLADE",
    "Failure",
    "Finish",
    "Finishing",
    "FirstLight",
    "Influence",
    "KnownTips",
    "Loads",
    "Necks",
    "OneOther",
    "Others",
    "PartPulls",
    "Pulls",
    "Pushed",
    "Ranges",
    "Removal",
    "Sag",
    "Snap",
    "Suction",
    "TipsAtPeels",
    "Tug",
    "Undersides",
    "Young",
    "air_flow_factor",
    "barred_by",
    "bond_factors",
    "buckling_n",
    "ceilings_of",
    "edge_curl_mm",
    "effort_class",
    "film_follow_mm",
    "finish_of",
    "first_adrift",
    "hole_resistance",
    "layer_depths",
    "layer_seconds",
    "layer_temperatures",
    "layer_viscosities",
    "least_first_light",
    "line_n",
    "loads",
    "necks",
    "needed_lift_mm",
    "nothing_sags",
    "others",
    "peel_n",
    "peel_strength",
    "plate_sag_mm",
    "plate_strength",
    "removals",
    "return_share",
    "sag_of",
    "sealed_openings",
    "second_touches",
    "settling_s",
    "snaps",
    "spacing_mm",
    "spread_radius_mm",
    "suction",
    "suction_at",
    "tip_stiffnesses",
    "tips_at_peels",
    "together",
    "undersides_of",
    "viscous_n",
    "weakest_of",
    "with_first_light",
    "young",
]  # fmt: skip
