"""What a bench holds: one dataclass a file kind, every key named with its unit, every value with its range.

The descriptions are shown to the user as the reason for a value; the ranges are hard limits, not advice.
"""

from __future__ import annotations

from typing import Annotated

from pydantic import ConfigDict, Field
from pydantic.dataclasses import dataclass

STRICT = ConfigDict(extra="forbid", allow_inf_nan=False)

Positive = Annotated[float, Field(gt=0)]
NotNegative = Annotated[float, Field(ge=0)]
Share = Annotated[float, Field(ge=0, le=1)]


@dataclass(frozen=True, config=STRICT)
class Printer:
    """A masked-light printer: its plate, its screen and how it moves."""

    name: str
    plate_x_mm: Annotated[float, Field(gt=1, le=2000, description="plate size along the screen's long side")]
    plate_y_mm: Annotated[float, Field(gt=1, le=2000, description="plate size along the screen's short side")]
    height_mm: Annotated[float, Field(gt=1, le=2000, description="greatest height the lift reaches")]
    pixels_x: Annotated[int, Field(ge=16, le=40000)]
    pixels_y: Annotated[int, Field(ge=16, le=40000)]
    irradiance_mw_per_cm2: Annotated[float, Field(gt=0, le=200, description="light power at the film")]
    acceleration_mm_per_s2: Annotated[float, Field(gt=0, le=10000, description="of the lift axis; trapezoidal motion")]
    overhead_s: Annotated[float, Field(ge=0, le=60, description="fixed delay of each layer: image, controller")]

    @property
    def pixel_x_mm(self) -> float:
        return self.plate_x_mm / self.pixels_x

    @property
    def pixel_y_mm(self) -> float:
        return self.plate_y_mm / self.pixels_y


@dataclass(frozen=True, config=STRICT)
class Film:
    """A release film and how it lets go."""

    name: str
    line_adhesion_n_per_mm: Annotated[float, Field(ge=0, le=10, description="γ: work of peeling along the front")]
    viscous_pull_n_per_mm2: Annotated[
        float, Field(ge=0, le=10, description="τ: viscous share of the peel at μ0 and v0")
    ]
    follow_share: Annotated[Share, Field(description="φ: how far the film follows a lifted cup")]


@dataclass(frozen=True, config=STRICT)
class Resin:
    """A resin as it comes from the bottle, and the young solid it makes."""

    name: str
    viscosity_pa_s: Annotated[float, Field(gt=0, le=100, description="at the reference temperature")]
    reference_c: Annotated[float, Field(ge=-20, le=100, description="temperature of the stated viscosity")]
    activation_j_per_mol: Annotated[float, Field(ge=0, le=200000, description="Ea: how fast warmth thins it")]
    density_kg_per_m3: Annotated[float, Field(gt=300, le=5000, description="liquid")]
    solid_density_kg_per_m3: Annotated[float, Field(gt=300, le=5000, description="cured")]
    green_strength_mpa: Annotated[float, Field(gt=0, le=200, description="σg: tensile strength of a fresh tip")]
    green_modulus_mpa: Annotated[float, Field(gt=0, le=10000, description="E: stiffness of fresh material")]
    penetration_depth_mm: Annotated[float, Field(gt=0, le=5, description="Dp of the working curve")]
    critical_exposure_mj_per_cm2: Annotated[float, Field(gt=0, le=1000, description="Ec of the working curve")]
    sheet: str = "ask the maker for the safety data sheet"
    price_per_litre: Annotated[float | None, Field(ge=0, description="leave it out when not known")] = None
    currency: str = ""


@dataclass(frozen=True, config=STRICT)
class PrintSettings:
    """Layers, light and motion of one print."""

    name: str
    layer_height_mm: Annotated[float, Field(ge=0.005, le=0.5)]
    vat_c: Annotated[float, Field(ge=-10, le=80, description="temperature of the resin in the vat")]
    exposure_s: Annotated[float, Field(gt=0, le=300, description="of a normal layer")]
    first_layers: Annotated[int, Field(ge=0, le=100)]
    first_exposure_s: Annotated[float, Field(gt=0, le=1000)]
    transition_layers: Annotated[int, Field(ge=0, le=200, description="linear from first to normal exposure")]
    lift_mm: Annotated[float, Field(gt=0, le=50, description="first, slow stage of the lift")]
    lift_mm_per_min: Annotated[float, Field(gt=0, le=2000, description="speed of the first stage: it peels")]
    second_lift_mm: Annotated[float, Field(ge=0, le=50)]
    second_lift_mm_per_min: Annotated[float, Field(gt=0, le=2000)]
    return_mm_per_min: Annotated[float, Field(gt=0, le=2000)]
    slow_return_mm: Annotated[float, Field(ge=0, le=50, description="last stretch of the return, at the slow speed")]
    slow_return_mm_per_min: Annotated[float, Field(gt=0, le=2000)]
    wait_before_s: Annotated[float, Field(ge=0, le=120, description="before the light, so that the resin settles")]
    wait_after_s: Annotated[float, Field(ge=0, le=120, description="after the light, before the lift")]
    wait_lifted_s: Annotated[float, Field(ge=0, le=120, description="at the top of the lift")]
    resin_depth_mm: Annotated[float, Field(gt=0, le=500, description="film to surface of the resin in the vat")]


@dataclass(frozen=True, config=STRICT)
class Laws:
    """Coefficients of the engineering models; they rank and warn, they promise nothing."""

    name: str
    shape_length2_mm2: Annotated[Positive, Field(description="ℓ0²: width squared at which the viscous pull is τ")]
    shape_power: Annotated[Share, Field(description="m: power on the section's mean squeeze")]
    peel_viscosity_pa_s: Annotated[Positive, Field(description="μ0")]
    peel_speed_mm_per_min: Annotated[Positive, Field(description="v0")]
    rate_power: Annotated[Share, Field(description="n: power on viscosity and on speed")]
    exposure_gain: Annotated[float, Field(ge=0, le=2, description="κ: longer exposure bonds harder")]
    exposure_factor_limit: Annotated[float, Field(ge=1, le=10)]
    seal_kpa: Annotated[float, Field(gt=0, le=95, description="suction at which any seal gives in")]
    discharge: Annotated[Share, Field(description="Cd of a hole that breathes air")]
    air_kg_per_m3: Positive
    plate_adhesion_n_per_mm2: Annotated[Positive, Field(description="σp at the reference first-layer exposure")]
    plate_reference_exposure_s: Positive
    edge_bleed_mm: Annotated[NotNegative, Field(description="b: growth of an outline per e-fold of exposure")]
    clinging_mm: Annotated[NotNegative, Field(description="skin of resin left on wetted surfaces")]
    time_spread: Annotated[Share, Field(description="half width of the time's range, until prints are logged")]


@dataclass(frozen=True, config=STRICT)
class SupportSettings:
    """How supports are built unless a tip says otherwise."""

    name: str
    gap_mm: Annotated[float, Field(ge=0, le=100, description="part's lowest point above the plate")]
    tip_mm: Annotated[float, Field(ge=0.1, le=3, description="usual diameter where a support touches")]
    smallest_tip_mm: Annotated[float, Field(ge=0.1, le=3)]
    largest_tip_mm: Annotated[float, Field(ge=0.1, le=3)]
    contact_depth_mm: Annotated[float, Field(ge=0, le=2, description="how deep a tip reaches into the part")]
    cone_mm: Annotated[float, Field(gt=0, le=20, description="length of the tapered end")]
    post_mm: Annotated[float, Field(gt=0.1, le=10, description="post diameter")]
    spacing_mm: Annotated[float, Field(gt=0.5, le=50, description="between tips under a flat underside")]
    steepest_twig_deg: Annotated[float, Field(gt=0, le=80, description="greatest lean of a twig from upright")]
    carry_slope_deg: Annotated[float, Field(gt=0, le=89, description="undersides steeper than this carry themselves")]
    pad_mm: Annotated[float, Field(gt=0.5, le=50, description="pad diameter on the plate")]
    pad_height_mm: Annotated[float, Field(gt=0.05, le=10)]
    pad_slope_deg: Annotated[float, Field(gt=10, le=90, description="rim leans out by this, so a scraper gets under")]
    rib_mm: Annotated[float, Field(gt=0.5, le=30, description="width of the ribs that tie the pads together")]
    pad_bridge_mm: Annotated[float, Field(ge=0, le=30, description="pads nearer than this grow together")]
    wanted_margin: Annotated[float, Field(ge=1, le=20, description="margin that tips are sized for")]


@dataclass(frozen=True, config=STRICT)
class HouseRules:
    """What this workshop does unless told otherwise: shells, holes, tilts, and from where on a finding speaks."""

    name: str
    wall_mm: Annotated[float, Field(gt=0.2, le=20, description="wall of a shell")]
    smallest_chamber_ml: Annotated[float, Field(ge=0, le=100, description="smaller chambers stay solid")]
    hollow_pays_ml: Annotated[float, Field(ge=0, le=1000, description="hollow when it saves at least this")]
    thin_hole_mm: Annotated[float, Field(gt=0.3, le=30, description="drain hole for thin resins")]
    viscous_hole_mm: Annotated[float, Field(gt=0.3, le=30, description="drain hole for viscous resins")]
    viscous_from_pa_s: Annotated[float, Field(gt=0, le=100)]
    holes_per_chamber: Annotated[int, Field(ge=1, le=12)]
    widest_hole_mm: Annotated[float, Field(gt=0.3, le=30, description="proposals go no wider")]
    suction_limit_n: Annotated[
        float, Field(gt=0, le=100, description="suction that proposed holes should leave at most")
    ]
    tilt_deg: Annotated[float, Field(ge=0, le=60, description="lean given to large flat faces")]
    quiet_suction_n: Annotated[float, Field(ge=0, le=100, description="say nothing of a cup that pulls less")]
    quiet_trap_ml: Annotated[float, Field(ge=0, le=100, description="say nothing of less trapped resin")]
    jump_share: Annotated[float, Field(gt=0, le=10, description="area jump between layers worth a note")]
    jump_mm2: Annotated[float, Field(ge=0, le=10000, description="and its least size")]
    apart_mm: Annotated[float, Field(ge=0, le=50, description="between parts on the plate")]


KINDS: dict[str, type] = {
    "printer": Printer,
    "film": Film,
    "resin": Resin,
    "print": PrintSettings,
    "laws": Laws,
    "supports": SupportSettings,
    "house": HouseRules,
}

UNIT_SUFFIXES = (
    ("_mw_per_cm2", "mW/cm²"), ("_mj_per_cm2", "mJ/cm²"), ("_mm_per_s2", "mm/s²"), ("_mm_per_min", "mm/min"),
    ("_n_per_mm2", "N/mm²"), ("_n_per_mm", "N/mm"), ("_kg_per_m3", "kg/m³"), ("_j_per_mol", "J/mol"),
    ("_pa_s", "Pa·s"), ("_per_litre", "per litre"), ("_mm2", "mm²"), ("_mpa", "MPa"), ("_kpa", "kPa"),
    ("_mm", "mm"), ("_deg", "°"), ("_c", "°C"), ("_s", "s"),
)  # fmt: skip


def unit_of(key: str) -> str:
    """The unit that a key's ending names; an empty string for counts, shares and names."""
    for ending, unit in UNIT_SUFFIXES:
        if key.endswith(ending):
            return unit
    if key.startswith("pixels_"):
        return "px"
    return ""
