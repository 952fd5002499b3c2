"""What the models and the workshop assume: coefficients of the laws and how sure they are, supports, house rules."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field
from pydantic.dataclasses import dataclass

from wideberth.core.bench.schema import STRICT, Name, NotNegative, Positive, Share


@dataclass(frozen=True, config=STRICT)
class Laws:
    """Coefficients of the engineering models; they rank and warn, they promise nothing."""

    name: Name
    shape_length2_mm2: Annotated[Positive, Field(description="ℓ0²: width squared at which the viscous pull is τ")]
    shape_power: Annotated[Share, Field(description="m: power on the section's mean squeeze")]
    peel_viscosity_pa_s: Annotated[Positive, Field(description="μ0")]
    peel_speed_mm_per_min: Annotated[Positive, Field(description="v0")]
    rate_power: Annotated[Share, Field(description="n: power on viscosity and on speed")]
    exposure_gain: Annotated[float, Field(ge=0, le=2, description="κ: longer exposure bonds harder")]
    exposure_factor_limit: Annotated[float, Field(ge=1, le=10, description="and no harder than this")]
    seal_kpa: Annotated[float, Field(gt=0, le=95, description="suction at which any seal gives in")]
    discharge: Annotated[Share, Field(description="Cd of a hole that breathes air")]
    air_kg_per_m3: Annotated[Positive, Field(description="ρ of air")]
    plate_adhesion_n_per_mm2: Annotated[Positive, Field(description="σp at the reference first-layer exposure")]
    plate_reference_exposure_s: Annotated[Positive, Field(description="first-layer exposure that σp is stated for")]
    edge_bleed_mm: Annotated[NotNegative, Field(description="b: growth of an outline per e-fold of exposure")]
    time_less_share: Annotated[
        Share, Field(title="time, less by", description="a print may be so much faster than computed, until prints are logged")
    ] = 0.05
    time_more_share: Annotated[Share, Field(title="time, more by", description="and so much slower")] = 0.25
    removal_mm: Annotated[
        float, Field(title="scraper's depth", gt=0, le=20, description="λ: plate grip σp times this is the peel strength; rough")
    ] = 1.0
    plate_reference_mj_per_cm2: Annotated[
        float | None,
        Field(title="plate's reference dose", gt=0, le=10000, description="dose for σp; left out: that exposure on this printer"),
    ] = None
    air_kpa: Annotated[float, Field(title="air pressure", ge=50, le=110, description="p of the air; less in the mountains")] = (
        101.3
    )
    young_layers: Annotated[float, Field(ge=1, le=50, description="m: layers of a young underside that carry together")] = 5.0
    shrinkage_share: Annotated[float, Field(ge=0, le=0.1, description="ε: shrinkage of a new layer, that curls edges")] = 0.005
    bond_depth_ratio: Annotated[float, Field(ge=1, le=5, description="a layer must cure so many times its height to bond")] = 1.3
    advised_depth_ratio: Annotated[float, Field(ge=1, le=8, description="cured depth over layer height that we advise")] = 2.0
    blur_depth_ratio: Annotated[float, Field(ge=1, le=20, description="beyond this, down-facing details blur")] = 3.0
    surface_tension_n_per_m: Annotated[
        float, Field(title="surface tension", gt=0, le=0.2, description="Γ of liquid resin: whether air gets in by a hole")
    ] = 0.035


@dataclass(frozen=True, config=STRICT)
class Ranges:
    """How far the coefficients may be off, as shares of themselves, until prints are logged: ranges of engineering judgement."""

    name: Name
    line_adhesion: Annotated[Share, Field(description="of γ, the film's line adhesion")]
    viscous_pull: Annotated[Share, Field(description="of τ, the film's viscous pull")]
    rate_power: Annotated[Share, Field(description="of n, the power on viscosity and speed")]
    viscosity: Annotated[Share, Field(description="of the resin's viscosity at one temperature")]
    vat_c: Annotated[float, Field(ge=0, le=15, description="the vat may be so much colder or warmer than set")]
    seal: Annotated[Share, Field(description="of the suction at which a seal gives in")]
    follow_share: Annotated[Share, Field(description="of φ, how far the film follows a lift")]
    green_strength: Annotated[Share, Field(description="of σ_g, the strength of young resin")]
    plate_adhesion: Annotated[Share, Field(description="of σ_p, the grip on the plate")]
    shape_power: Annotated[Share, Field(description="of m, the power on a section's width")] = 0.2
    exposure_gain: Annotated[Share, Field(description="of κ, how much harder long exposure bonds")] = 0.4
    setting_rate: Annotated[
        float, Field(ge=0, le=2, description="of β, how fast resin sets: times 1 and this at most, over it at least")
    ] = 2.0


@dataclass(frozen=True, config=STRICT)
class SupportSettings:
    """How supports are built unless a tip says otherwise."""

    name: Name
    gap_mm: Annotated[float, Field(ge=0, le=100, description="part's lowest point above the plate")]
    tip_mm: Annotated[float, Field(ge=0.1, le=3, description="usual diameter where a support touches")]
    smallest_tip_mm: Annotated[float, Field(ge=0.1, le=3, description="proposals go no thinner")]
    largest_tip_mm: Annotated[float, Field(ge=0.1, le=3, description="proposals go no thicker")]
    contact_depth_mm: Annotated[float, Field(ge=0, le=2, description="how deep a tip reaches into the part")]
    cone_mm: Annotated[float, Field(gt=0, le=20, description="length of the tapered end")]
    post_mm: Annotated[float, Field(gt=0.1, le=10, description="post diameter")]
    steepest_twig_deg: Annotated[float, Field(gt=0, le=80, description="greatest lean of a twig from upright")]
    carry_slope_deg: Annotated[float, Field(gt=0, le=89, description="undersides steeper than this carry themselves")]
    pad_mm: Annotated[float, Field(gt=0.5, le=50, description="pad diameter on the plate")]
    pad_height_mm: Annotated[float, Field(gt=0.05, le=10, description="height of the pads")]
    pad_slope_deg: Annotated[float, Field(gt=10, le=90, description="rim leans out by this, so a scraper gets under")]
    rib_mm: Annotated[float, Field(gt=0.5, le=30, description="width of the ribs that tie the pads together")]
    pad_bridge_mm: Annotated[float, Field(ge=0, le=30, description="pads nearer than this grow together")]
    wanted_margin: Annotated[float, Field(ge=1, le=20, description="margin that tips are sized for")]
    spacing_mm: Annotated[
        float | None,
        Field(title="spacing", gt=0.5, le=50, description="between tips under a flat underside; left out: by the sag law"),
    ] = None
    stoutest_post_mm: Annotated[
        float, Field(title="stoutest post", gt=0.1, le=10, description="posts that are pressed hard grow up to this")
    ] = 1.8
    sizes: Annotated[
        Literal["by load", "light, medium, heavy", "heavy first", "one size"],
        Field(
            description="of proposed tips: each by its load; the next of three sizes; the same, but heavy under what is printed "
            "first; or all as the most loaded one"
        ),
    ] = "by load"
    light_tip_mm: Annotated[float, Field(title="light tip", ge=0.1, le=3, description="the thinnest of the three sizes")] = 0.3
    medium_tip_mm: Annotated[float, Field(title="medium tip", ge=0.1, le=3, description="the middle one of the three sizes")] = (
        0.5
    )
    heavy_tip_mm: Annotated[float, Field(title="heavy tip", ge=0.1, le=3, description="the thickest of the three sizes")] = 0.8
    deepest_contact_mm: Annotated[
        float, Field(title="deepest contact", ge=0, le=2, description="the thickest tips reach so deep, but not into relief")
    ] = 0.4
    base: Annotated[
        Literal["pads", "pads alone", "slab", "frame"],
        Field(description="under the posts of proposals: pads tied by ribs, pads alone, one slab, or a frame"),
    ] = "pads"
    slab_mm: Annotated[float, Field(title="slab, height", gt=0.05, le=10, description="height of a base that is one slab")] = 2.0
    slab_edge_deg: Annotated[
        float, Field(title="slab, edge", gt=10, le=90, description="its rim leans out by this, so a scraper gets under")
    ] = 75.0
    drain_gap_mm: Annotated[
        float, Field(title="drain gap", gt=0.1, le=20, description="resin runs out of a frame through gaps so wide")
    ] = 1.5


@dataclass(frozen=True, config=STRICT)
class HouseRules:
    """What this workshop does unless told otherwise: shells, holes, tilts, and from where on a finding speaks."""

    name: Name
    wall_mm: Annotated[float, Field(gt=0.2, le=20, description="wall of a shell")]
    smallest_chamber_ml: Annotated[float, Field(ge=0, le=100, description="smaller chambers stay solid")]
    hollow_pays_ml: Annotated[float, Field(ge=0, le=1000, description="hollow when it saves at least this")]
    thin_hole_mm: Annotated[float, Field(gt=0.3, le=30, description="drain hole for thin resins")]
    viscous_hole_mm: Annotated[float, Field(gt=0.3, le=30, description="drain hole for viscous resins")]
    viscous_from_pa_s: Annotated[float, Field(gt=0, le=100, description="a resin counts as viscous from here")]
    holes_per_chamber: Annotated[int, Field(ge=1, le=12, description="one to drain, one for air")]
    widest_hole_mm: Annotated[float, Field(gt=0.3, le=30, description="proposals go no wider")]
    suction_limit_n: Annotated[float, Field(gt=0, le=100, description="suction that proposed holes should leave at most")]
    tilt_deg: Annotated[float, Field(ge=0, le=60, description="lean given to large flat faces")]
    quiet_suction_n: Annotated[float, Field(ge=0, le=100, description="say nothing of a cup that pulls less")]
    quiet_trap_ml: Annotated[float, Field(ge=0, le=100, description="say nothing of less trapped resin")]
    jump_share: Annotated[float, Field(gt=0, le=10, description="area jump between layers worth a note")]
    jump_mm2: Annotated[float, Field(ge=0, le=10000, description="and its least size")]
    apart_mm: Annotated[float, Field(ge=0, le=50, description="between parts on the plate")]
    quiet_stays_ml: Annotated[
        float, Field(title="liquid that may stay", ge=0, le=100, description="say nothing of less left in the best pose")
    ] = 0.5
    hidden_hole_mm: Annotated[
        float, Field(title="hole out of sight", gt=0.3, le=30, description="drain hole where it does not show and there is room")
    ] = 5.0
    hole_edge_mm: Annotated[
        float, Field(title="hole to edge", ge=0, le=20, description="material that a hole leaves beside it")
    ] = 0.8
    plug_clearance_mm: Annotated[
        float, Field(title="plug clearance", ge=0, le=2, description="a plug is so much smaller on each side")
    ] = 0.08
    passage_mm: Annotated[
        float, Field(title="smallest passage", ge=0, le=20, description="ways in a shell that are narrower are filled")
    ] = 1.5
    glued_mm: Annotated[
        float, Field(title="clearance, glued", ge=0, le=2, description="a socket is so much wider on each side where it is glued")
    ] = 0.1
    push_fit_mm: Annotated[
        float, Field(title="clearance, push-fit", ge=0, le=2, description="and so much where it is pushed in and holds")
    ] = 0.05
    moving_mm: Annotated[float, Field(title="clearance, moving", ge=0, le=2, description="and so much where it is to move")] = (
        0.25
    )
    by_hand_n: Annotated[
        float, Field(title="off by hand", gt=0, le=1000, description="what comes off with less needs no blade")
    ] = 15.0
    with_blade_n: Annotated[
        float, Field(title="off with a blade", gt=0, le=5000, description="more than this will damage print or plate")
    ] = 120.0
    drip_min: Annotated[
        float, Field(title="drip time", gt=0, le=1440, description="the print hangs and drips so long before the wash")
    ] = 10.0
    washed_on_plate: Annotated[
        bool, Field(title="washed on the plate", description="prints are washed while they hang on it, and scraped off then")
    ] = False
    supports_off: Annotated[
        Literal["before the wash", "after the first wash", "after the cure"],
        Field(title="supports come off", description="disputed: before, soft; after the cure, brittle"),
    ] = "after the first wash"
    snip_share: Annotated[
        float,
        Field(
            title="snip from", gt=0, le=5, description="a tip that takes this share of what breaks the neck beside it is snipped"
        ),
    ] = 0.5
    margin_doubtful: Annotated[
        float, Field(title="doubtful margin", ge=1, le=10, description="a margin under this is doubtful; under 1 it lets go")
    ] = 1.5
    margin_note: Annotated[
        float, Field(title="margin worth a note", ge=1, le=10, description="a margin under this is worth a note")
    ] = 2.0
    sag_doubtful_layers: Annotated[
        float, Field(title="doubtful sag", ge=1, le=50, description="layers of sag or curl from which it is doubtful")
    ] = 3.0
    heavy_suction: Annotated[
        float,
        Field(title="heavy suction", ge=1, le=1000, description="times the quiet suction: a sealed cup is doubtful from here"),
    ] = 5.0
    face_on_plate_mm2: Annotated[
        float, Field(title="face on the plate", ge=0, le=100000, description="say nothing of less of the part right on the plate")
    ] = 20.0
    face_raised_mm2: Annotated[
        float,
        Field(
            title="flat face, raised", ge=0, le=100000, description="say nothing of smaller faces that hang parallel to the plate"
        ),
    ] = 150.0
    narrow_passage_mm: Annotated[
        float, Field(title="narrow passage", ge=0, le=20, description="solvent hardly gets through a narrower way inside")
    ] = 1.0
    dark_share: Annotated[
        float, Field(title="dark walls", ge=0, le=1, description="share of inner walls without light that is worth a note")
    ] = 0.25
    settled_times: Annotated[
        float, Field(title="settled after", ge=0.5, le=10, description="settling times after which a layer counts as settled")
    ] = 2.0
    young_weight: Annotated[
        float, Field(title="weight of young pull", ge=0, le=1000, description="ranks poses: newtons for each on fresh undersides")
    ] = 3.0
    suction_weight: Annotated[
        float, Field(title="weight of suction", ge=0, le=1000, description="ranks poses: newtons for each of suction")
    ] = 2.0
    lever_weight: Annotated[
        float, Field(title="weight of leverage", ge=0, le=1000, description="ranks poses: newtons for each of leverage")
    ] = 0.5
    support_weight_n_per_mm2: Annotated[
        float, Field(title="weight of support", ge=0, le=100, description="ranks poses: newtons for area to support")
    ] = 0.0
    minutes_per_ml: Annotated[
        float, Field(title="a millilitre is worth", ge=0, le=1000, description="ranks advice: minutes for each mL of resin")
    ] = 1.0
    mark_min: Annotated[
        float, Field(title="a mark takes", ge=0, le=60, description="minutes to finish any mark, however small")
    ] = 0.3
    mark_min_per_mm2: Annotated[
        float, Field(title="and by its size", ge=0, le=60, description="and so many more for each mm² of d²")
    ] = 2.0
    smooth_mark_times: Annotated[
        float, Field(title="on smooth faces", ge=0, le=100, description="a mark there takes so many times as long to finish")
    ] = 1.0
    flat_mark_times: Annotated[
        float, Field(title="on flat faces", ge=0, le=100, description="a mark there takes so many times as long to finish")
    ] = 0.8
    busy_mark_times: Annotated[
        float, Field(title="on busy faces", ge=0, le=100, description="a mark there takes so many times as long to finish")
    ] = 0.4
    engraved_mark_times: Annotated[
        float, Field(title="on engraved faces", ge=0, le=100, description="a mark there takes so many times as long to finish")
    ] = 4.0
    inner_mark_times: Annotated[
        float, Field(title="in hollows", ge=0, le=100, description="a mark there takes so many times as long to finish")
    ] = 1.5
    hidden_mark_times: Annotated[
        float, Field(title="on hidden faces", ge=0, le=100, description="marked hidden: a mark there takes so many times as long")
    ] = 0.1
    clean_mark_times: Annotated[
        float | None,
        Field(title="on clean faces", ge=1, le=1000, description="marked keep clean: so many times as long; left out: forbidden"),
    ] = None
    mating_mark_times: Annotated[
        float | None,
        Field(title="on mating faces", ge=1, le=1000, description="marked mating: so many times as long; left out: forbidden"),
    ] = None
    clean_weight_n: Annotated[
        float,
        Field(
            title="weight of a clean face",
            ge=0,
            le=1e5,
            description="ranks poses: newtons for each tip that only such faces offer",
        ),
    ] = 100.0
    finishing_weight_n_per_min: Annotated[
        float, Field(title="weight of finishing", ge=0, le=1000, description="ranks poses: newtons for each minute of finishing")
    ] = 0.3
    height_weight_n_per_mm: Annotated[
        float, Field(title="weight of height", ge=0, le=100, description="ranks poses: newtons for each millimetre")
    ] = 0.05
    chamfer_mm: Annotated[
        float,
        Field(title="chamfer", ge=0, le=5, description="height of the chamfer that layers may be written with at the plate"),
    ] = 0.4
    stays_weight_n_per_ml: Annotated[
        float,
        Field(title="weight of resin left", ge=0, le=100, description="ranks poses: newtons for each mL that stays in hollows"),
    ] = 0.1
    round_weight_n_per_mm: Annotated[
        float,
        Field(
            title="weight of roundness",
            ge=0,
            le=1000,
            description="ranks poses: newtons for each millimetre by which the worst bore or peg is out of round",
        ),
    ] = 10.0
