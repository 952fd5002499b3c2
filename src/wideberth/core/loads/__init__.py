"""Sections and bench to peel, suction, shares, margins and seconds."""

from wideberth.core.loads.down import settling_s
from wideberth.core.loads.film import film_follow_mm, needed_lift_mm, spread_radius_mm
from wideberth.core.loads.holders import capacities_n, tip_capacity_n, tip_stiffness
from wideberth.core.loads.loads import SPECK_PULL_N, Loads, loads
from wideberth.core.loads.necks import Necks, necks
from wideberth.core.loads.peel import bond_factors, peel_n, plate_strength
from wideberth.core.loads.seconds import layer_seconds, layer_temperatures, layer_viscosities, move_s
from wideberth.core.loads.suction import Suction, air_flow_factor, hole_resistance, suction

__all__ = [
    "SPECK_PULL_N", "Loads", "Necks", "Suction", "air_flow_factor", "bond_factors", "capacities_n", "film_follow_mm",
    "hole_resistance", "layer_seconds", "layer_temperatures", "layer_viscosities", "loads", "move_s", "necks",
    "needed_lift_mm", "peel_n", "plate_strength", "settling_s", "spread_radius_mm", "suction", "tip_capacity_n",
    "tip_stiffness",
]  # fmt: skip
