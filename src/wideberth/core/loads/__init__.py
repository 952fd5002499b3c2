"""Sections and bench to peel, suction, shares, margins and seconds."""

from wideberth.core.loads.holders import capacities_n, tip_capacity_n, tip_stiffness
from wideberth.core.loads.loads import SPECK_PULL_N, Loads, loads
from wideberth.core.loads.peel import bond_factors, peel_n, plate_strength
from wideberth.core.loads.seconds import layer_seconds, move_s
from wideberth.core.loads.suction import Suction, air_flow_factor, hole_resistance, suction

__all__ = [
    "SPECK_PULL_N", "Loads", "Suction", "air_flow_factor", "bond_factors", "capacities_n", "hole_resistance",
    "layer_seconds", "loads", "move_s", "peel_n", "plate_strength", "suction", "tip_capacity_n", "tip_stiffness",
]  # fmt: skip
