"""What stands on a bench: one dataclass a file kind, every key named with its unit, every value with its range.

The descriptions are shown to the user as the reason for a value; the ranges are hard limits, not advice.
"""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import AfterValidator, ConfigDict, Field
from pydantic.dataclasses import dataclass

from wideberth.core.bench.zones import Zone, Zones, zones_of
from wideberth.core.naming import cleaned, shown

VAT_RIM_MM = 30.0
"""By so much the vat's film is longer and wider than the plate, where the bench does not say."""
STRICT = ConfigDict(extra="forbid", allow_inf_nan=False)

Positive = Annotated[float, Field(gt=0)]
NotNegative = Annotated[float, Field(ge=0)]
Share = Annotated[float, Field(ge=0, le=1)]
LEAST_BETA, MOST_BETA = 0.3, 3.0
"""Setting rates of resins that are known."""
Name = Annotated[str, Field(min_length=1, max_length=80), AfterValidator(cleaned)]


@dataclass(frozen=True, config=STRICT)
class Printer:
    """A masked-light printer: its plate, its light and how it moves."""

    name: Name
    plate_x_mm: Annotated[
        float, Field(title="plate, long side", gt=1, le=2000, description="plate size along the screen's long side")
    ]
    plate_y_mm: Annotated[
        float, Field(title="plate, short side", gt=1, le=2000, description="plate size along the screen's short side")
    ]
    height_mm: Annotated[float, Field(title="greatest height", gt=1, le=2000, description="greatest height the lift reaches")]
    pixels_x: Annotated[
        int, Field(title="pixels, long side", ge=16, le=40000, description="pixels, or steps of a laser's spot, along x")
    ]
    pixels_y: Annotated[
        int, Field(title="pixels, short side", ge=16, le=40000, description="pixels, or steps of a laser's spot, along y")
    ]
    irradiance_mw_per_cm2: Annotated[float, Field(gt=0, le=200, description="light power at the film")]
    acceleration_mm_per_s2: Annotated[float, Field(gt=0, le=10000, description="of the lift axis; trapezoidal motion")]
    overhead_s: Annotated[
        float, Field(title="overhead a layer", ge=0, le=60, description="fixed delay of each layer: image, controller")
    ]
    light: Annotated[Literal["screen", "laser"], Field(description="a screen lights all at once, a laser writes")] = "screen"
    writes_mm2_per_s: Annotated[
        float | None,
        Field(title="laser writes", gt=0, le=100000, description="area a laser writes in a second; leave it out for a screen"),
    ] = None
    step_mm: Annotated[float, Field(title="smallest step", gt=0, le=1, description="smallest step of the lift axis")] = 0.00125
    fastest_mm_per_min: Annotated[
        float, Field(title="fastest move", gt=0, le=5000, description="greatest speed of the lift axis")
    ] = 300.0
    vat_side_mm: Annotated[
        float | None,
        Field(title="vat, short side", gt=1, le=3000, description="short side of the vat's film; left out: plate_y + 30"),
    ] = None
    vat_ml: Annotated[float, Field(title="vat holds", gt=0, le=50000, description="resin up to the vat's mark")] = 600.0
    cover_mm: Annotated[
        float, Field(title="film covered by", ge=0, le=100, description="least resin over the film while it prints")
    ] = 3.0
    stiffness_n_per_m: Annotated[float, Field(gt=1e3, le=1e8, description="K: arm and plate under a pull")] = 5e5
    texture: Annotated[
        Literal["smooth", "fine", "coarse", "perforated"], Field(title="plate surface", description="surface of the plate")
    ] = "fine"
    light_lasts_h: Annotated[float, Field(gt=0, le=1e6, description="exposure hours that a screen or laser lasts")] = 2000.0
    blur_mm: Annotated[
        float, Field(title="blur of the light", ge=0, le=1, description="s: how far the light's edge spreads; a laser's spot")
    ] = 0.05
    removal_factor: Annotated[
        float, Field(title="coming off", gt=0, le=20, description="how much harder its surface holds a scraper; texture")
    ] = 1.0
    stays_ml: Annotated[
        float, Field(title="stays in the vat", ge=0, le=1000, description="resin that stays in vat and filter each time")
    ] = 2.0
    motion_factor: Annotated[
        float, Field(title="motion takes", ge=0.5, le=3, description="times as long as speeds and acceleration reckon")
    ] = 1.0
    kept_free: Annotated[
        Zones,
        Field(title="kept free", description="where nothing may stand: two corners from the plate's middle, zones apart by ;"),
    ] = ""
    warmest_c: Annotated[
        float | None,
        Field(title="vat heats to", ge=0, le=100, description="what a heated vat reaches; leave it out without a heater"),
    ] = None

    @property
    def zones(self) -> tuple[Zone, ...]:
        """Zones of the plate that are kept free."""
        return zones_of(self.kept_free)

    @property
    def pixel_x_mm(self) -> float:
        return self.plate_x_mm / self.pixels_x

    @property
    def pixel_y_mm(self) -> float:
        return self.plate_y_mm / self.pixels_y

    @property
    def longest_mm(self) -> float:
        """The longest side that it takes."""
        return max(self.plate_x_mm, self.plate_y_mm, self.height_mm)

    @property
    def half_vat_mm(self) -> float:
        """Half the short side of the vat's film, b of the film's law."""
        return 0.5 * (self.vat_side_mm if self.vat_side_mm is not None else self.plate_y_mm + VAT_RIM_MM)

    @property
    def vat_mm2(self) -> float:
        """Area of the vat's film."""
        return 2 * self.half_vat_mm * (self.plate_x_mm + VAT_RIM_MM)

    @property
    def cover_ml(self) -> float:
        """Resin that has to stay in the vat while it prints: over the whole film."""
        return self.vat_mm2 * self.cover_mm / 1000


@dataclass(frozen=True, config=STRICT)
class Film:
    """A release film and how it lets go."""

    name: Name
    line_adhesion_n_per_mm: Annotated[float, Field(ge=0, le=10, description="γ: work of peeling along the front")]
    viscous_pull_n_per_mm2: Annotated[float, Field(ge=0, le=10, description="τ: viscous share of the peel at μ0 and v0")]
    follow_share: Annotated[Share, Field(description="φ: how far the film follows a lifted cup")]
    tension_n_per_mm: Annotated[float, Field(gt=0, le=100, description="T: how tightly it is stretched")] = 3.0
    lasts_h: Annotated[
        float, Field(title="lasts, hours", gt=0, le=1e5, description="hours of printing that it usually lasts")
    ] = 125.0
    treatment_factor: Annotated[
        float, Field(title="treated lasts", ge=0.1, le=20, description="times as long once it was treated; 1: untreated")
    ] = 1.0
    lasts_pulls: Annotated[int, Field(title="lasts, pulls", gt=0, le=10**8, description="pull cycles that it usually lasts")] = (
        60000
    )


@dataclass(frozen=True, config=STRICT)
class Ingredient:
    """One resin of a mix: its file's name and its parts."""

    resin: Name
    parts: Annotated[float, Field(gt=0, le=1e6, description="parts; only their ratios count")]


@dataclass(frozen=True, config=STRICT)
class Resin:
    """A resin as it comes from the bottle, and the young solid it makes."""

    name: Name
    viscosity_pa_s: Annotated[float, Field(gt=0, le=100, description="μ at the reference temperature")]
    reference_c: Annotated[
        float, Field(title="reference", ge=-20, le=100, description="temperature of the stated viscosity and Ec")
    ]
    activation_j_per_mol: Annotated[
        float, Field(title="activation energy", ge=0, le=200000, description="Ea: how fast warmth thins it")
    ]
    density_kg_per_m3: Annotated[float, Field(title="density, liquid", gt=300, le=5000, description="liquid")]
    solid_density_kg_per_m3: Annotated[float, Field(title="density, cured", gt=300, le=5000, description="cured")]
    green_strength_mpa: Annotated[float, Field(gt=0, le=200, description="σg: tensile strength of a fresh tip")]
    green_modulus_mpa: Annotated[float, Field(gt=0, le=10000, description="E: stiffness of fresh material")]
    penetration_depth_mm: Annotated[float, Field(title="penetration depth Dp", gt=0, le=5, description="Dp of the working curve")]
    critical_exposure_mj_per_cm2: Annotated[
        float, Field(title="critical exposure Ec", gt=0, le=1000, description="Ec of the working curve")
    ]
    reference_energy_mj_per_cm2: Annotated[
        float | None,
        Field(title="reference dose", gt=0, le=1000, description="dose for σg, E, γ and τ; left out: what is advised"),
    ] = None
    reference_layer_mm: Annotated[
        float, Field(title="reference layer", ge=0.005, le=0.5, description="layer height that they are stated for")
    ] = 0.05
    green_beta: Annotated[
        float, Field(title="setting rate β", ge=LEAST_BETA, le=MOST_BETA, description="how fast green strength grows with dose")
    ] = 1.0
    cure_gain_per_c: Annotated[float, Field(ge=0, le=0.03, description="k: Ec falls by this share for each degree warmer")] = (
        0.015
    )
    coldest_c: Annotated[float, Field(title="coldest advised", ge=-20, le=80, description="coldest that its maker advises")] = (
        18.0
    )
    warmest_c: Annotated[float, Field(title="warmest advised", ge=-20, le=100, description="warmest that its maker advises")] = (
        35.0
    )
    cure_shrinkage_share: Annotated[
        float, Field(title="shrinkage on cure", ge=0, le=0.1, description="all lengths shrink by this share on the cure")
    ] = 0.005
    thinnest_wall_mm: Annotated[float, Field(gt=0, le=10, description="thinnest wall that it holds by itself")] = 0.5
    water_washable: Annotated[bool, Field(description="whether water washes it")] = False
    cure_low_j_per_cm2: Annotated[
        float, Field(title="cure dose, least", gt=0, le=1000, description="light after the wash that it wants at least")
    ] = 3.0
    cure_high_j_per_cm2: Annotated[
        float, Field(title="cure dose, most", gt=0, le=1000, description="light after the wash that it should get at most")
    ] = 9.0
    wash_min: Annotated[
        float, Field(title="wash", gt=0, le=120, description="time in the baths together; longer makes it soft")
    ] = 6.0
    cling_factor: Annotated[
        float, Field(title="what clings", ge=0, le=10, description="times what the law of a dripping film reckons")
    ] = 1.0
    longest_wet_min: Annotated[
        float, Field(title="longest wet", gt=0, le=1440, description="longest that it may hang or lie wet with solvent or resin")
    ] = 30.0
    rest_before_paint_h: Annotated[
        float, Field(title="rest before paint", ge=0, le=500, description="after the cure, until solvent and light are out")
    ] = 24.0
    brittle_overcured: Annotated[
        Literal["yes", "no", "disputed"],
        Field(title="brittle by much light", description="whether too much cure makes it brittle"),
    ] = "disputed"
    sheet: Annotated[str, Field(title="safety data sheet", description="its safety data sheet: read it")] = (
        "ask the maker for the safety data sheet"
    )
    price_per_litre: Annotated[float | None, Field(ge=0, description="leave it out when not known")] = None
    currency: Annotated[str, Field(max_length=12, description="of the price"), AfterValidator(shown)] = ""
    strength_low_mpa: Annotated[
        float | None, Field(title="strength, at least", gt=0, le=200, description="least σg to reckon with")
    ] = None
    strength_high_mpa: Annotated[
        float | None, Field(title="strength, at most", gt=0, le=200, description="greatest σg to reckon with")
    ] = None
    used_share: Annotated[
        float, Field(title="used resin", ge=0, le=1, description="share of what is in the vat that was in it for a print before")
    ] = 0.0
    used_thicker_share: Annotated[
        float, Field(title="used: thicker by", ge=0, le=5, description="viscosity, when all of it is used")
    ] = 0.1
    used_weaker_share: Annotated[
        float, Field(title="used: weaker by", ge=0, le=0.9, description="green strength, when all of it is used")
    ] = 0.05
    ingredients: Annotated[tuple[Ingredient, ...], Field(description="what it was mixed from")] = ()


@dataclass(frozen=True, config=STRICT)
class Mix:
    """Any number of resins by parts; its values are computed from theirs."""

    name: Name
    ingredients: Annotated[tuple[Ingredient, ...], Field(min_length=1, max_length=12)]
    by: Annotated[Literal["volume", "weight"], Field(description="whether the parts are measured or weighed")] = "volume"


@dataclass(frozen=True, config=STRICT)
class PrintSettings:
    """Layers, light and motion of one print."""

    name: Name
    layer_height_mm: Annotated[float, Field(ge=0.005, le=0.5, description="t: thickness of one layer")]
    vat_c: Annotated[
        float, Field(title="vat at the start", ge=-10, le=80, description="temperature of the resin in the vat at the start")
    ]
    exposure_s: Annotated[float, Field(title="exposure", gt=0, le=300, description="light on a normal layer")]
    first_layers: Annotated[int, Field(ge=0, le=100, description="layers exposed longer, to grip the plate")]
    first_exposure_s: Annotated[float, Field(gt=0, le=1000, description="light on each first layer")]
    transition_layers: Annotated[int, Field(ge=0, le=200, description="linear from first to normal exposure")]
    lift_mm: Annotated[
        float, Field(title="slow lift", gt=0, le=50, description="first, slow stage of the lift: the layer peels here")
    ]
    lift_mm_per_min: Annotated[
        float, Field(title="slow lift, speed", gt=0, le=2000, description="speed of the first stage: it sets the pull")
    ]
    second_lift_mm: Annotated[float, Field(ge=0, le=50, description="second stage: only makes room for resin")]
    second_lift_mm_per_min: Annotated[
        float, Field(title="second lift, speed", gt=0, le=2000, description="speed of the second stage: only time")
    ]
    return_mm_per_min: Annotated[
        float, Field(title="return, speed", gt=0, le=2000, description="speed down while nothing is near the film")
    ]
    slow_return_mm: Annotated[float, Field(ge=0, le=50, description="last stretch of the return, at the slow speed")]
    slow_return_mm_per_min: Annotated[
        float, Field(title="slow return, speed", gt=0, le=2000, description="squeezes resin out from under the part")
    ]
    wait_before_s: Annotated[
        float, Field(title="wait before the light", ge=0, le=120, description="before the light, so that the resin settles")
    ]
    wait_after_s: Annotated[
        float, Field(title="wait after the light", ge=0, le=120, description="after the light, before the lift")
    ]
    wait_lifted_s: Annotated[float, Field(title="wait when lifted", ge=0, le=120, description="at the top of the lift")]
    resin_depth_mm: Annotated[float, Field(gt=0, le=500, description="film to surface of the resin in the vat")]
    drift_to_c: Annotated[
        float | None,
        Field(title="vat at the end", ge=-10, le=80, description="vat temperature that the night brings; left out: it stays"),
    ] = None
    drift_h: Annotated[float, Field(title="drift takes", gt=0, le=500, description="hours until the drift has ended")] = 8.0
    rest_s: Annotated[
        float | None,
        Field(title="rest, motion included", ge=0, le=600, description="light-off to light; the wait is what it leaves"),
    ] = None
    first_lift_mm: Annotated[
        float | None, Field(title="first layers: slow lift", gt=0, le=50, description="left out: as the other layers")
    ] = None
    first_lift_mm_per_min: Annotated[
        float | None, Field(title="first layers: slow lift, speed", gt=0, le=2000, description="left out: as the other layers")
    ] = None
    first_second_lift_mm: Annotated[
        float | None,
        Field(title="first layers: second lift", ge=0, le=50, description="left out: as the other layers; 0: one stage"),
    ] = None
    first_second_lift_mm_per_min: Annotated[
        float | None, Field(title="first layers: second lift, speed", gt=0, le=2000, description="left out: as the other layers")
    ] = None
    first_return_mm_per_min: Annotated[
        float | None, Field(title="first layers: return, speed", gt=0, le=2000, description="left out: as the other layers")
    ] = None
    first_slow_return_mm: Annotated[
        float | None, Field(title="first layers: slow return", ge=0, le=50, description="left out: as the other layers")
    ] = None
    first_slow_return_mm_per_min: Annotated[
        float | None, Field(title="first layers: slow return, speed", gt=0, le=2000, description="left out: as the other layers")
    ] = None
    first_wait_before_s: Annotated[
        float | None,
        Field(title="first layers: wait before", ge=0, le=120, description="before their light; left out: as the others"),
    ] = None
    first_wait_after_s: Annotated[
        float | None,
        Field(title="first layers: wait after", ge=0, le=120, description="after their light; left out: as the others"),
    ] = None
    first_wait_lifted_s: Annotated[
        float | None, Field(title="first layers: wait lifted", ge=0, le=120, description="at the top; left out: as the others")
    ] = None
    first_rest_s: Annotated[
        float | None,
        Field(
            title="first layers: rest", ge=0, le=600, description="light-off to light, motion included; left out: as the others"
        ),
    ] = None


@dataclass(frozen=True, config=STRICT)
class Station:
    """Wash and cure station: baths, basket and lamp."""

    name: Name
    solvent: Annotated[Literal["isopropanol", "glycol ether", "water"], Field(description="what the baths hold")]
    strength_share: Annotated[
        float, Field(title="share of solvent", gt=0, le=1, description="share of solvent in the clean bath")
    ]
    dirty_bath_ml: Annotated[float, Field(gt=0, le=200000, description="first bath")]
    clean_bath_ml: Annotated[float, Field(gt=0, le=200000, description="second bath")]
    bath_depth_mm: Annotated[float, Field(gt=1, le=2000, description="depth that a part can stand in")]
    basket_x_mm: Annotated[float, Field(gt=1, le=2000, description="inner length of the basket")]
    basket_y_mm: Annotated[float, Field(gt=1, le=2000, description="inner width of the basket")]
    basket_gap_mm: Annotated[float, Field(ge=0, le=200, description="widest gap of the basket: less falls through")]
    wash_s: Annotated[float, Field(title="wash, each bath", gt=0, le=7200, description="time in each bath")]
    lamp_mw_per_cm2: Annotated[float, Field(gt=0, le=1000, description="lamp strength at the part")]
    lamp_nm: Annotated[float, Field(ge=300, le=500, description="wavelength of the lamp")]
    chamber_mm: Annotated[float, Field(title="height under the lamp", gt=1, le=2000, description="inner height under the lamp")]
    cure_s: Annotated[float, Field(title="cure", gt=0, le=36000, description="time under the lamp")]
    lit_share: Annotated[
        float,
        Field(title="share in the light", gt=0, le=1, description="of the time that a face looks at the lamp; turning: a half"),
    ] = 0.5
    spent_share: Annotated[
        float, Field(title="bath spent at", gt=0, le=0.9, description="share of resin by mass from which a bath is spent")
    ] = 0.15
    bath_load_g: Annotated[
        float, Field(title="dirty bath holds", ge=0, le=1e5, description="resin that the dirty bath has taken so far")
    ] = 0.0


@dataclass(frozen=True, config=STRICT)
class Tested:
    """An exposure test of one's own that a bench rests on: what it was made with, and what came out."""

    name: Name
    printer: Annotated[str, Field(max_length=80, description="the printer tested on")]
    resin: Annotated[str, Field(max_length=80, description="the resin tested")]
    film: Annotated[str, Field(max_length=80, description="the film tested on")]
    vat_c: Annotated[float, Field(ge=-10, le=80, description="temperature during the test")]
    date: Annotated[str, Field(max_length=40, description="when it was done")]
    exposure_s: Annotated[float, Field(gt=0, le=300, description="light on the test plate's layers")]
    growth_mm: Annotated[float | None, Field(ge=-5, le=5, description="how far each edge grew outward")] = None
    smallest_mm: Annotated[float | None, Field(gt=0, le=20, description="smallest feature that was legible")] = None
