"""Know the machine, the resin and the film before anything else."""

from wideberth.core.bench.bench import Bench, BenchValue
from wideberth.core.bench.cure import (
    bond_factor,
    cured_depth_mm,
    exposure_of_layer,
    first_layer_growth_mm,
    vat_viscosity,
    viscosity_at,
)
from wideberth.core.bench.load import bench_from, bench_toml, checked, load_bench, names_of, told_apart, user_folder
from wideberth.core.bench.schema import (
    Film,
    HouseRules,
    Laws,
    Printer,
    PrintSettings,
    Resin,
    SupportSettings,
    unit_of,
)

__all__ = [
    "Bench", "BenchValue", "Film", "HouseRules", "Laws", "PrintSettings", "Printer", "Resin", "SupportSettings", "bench_from",
    "bench_toml", "bond_factor", "checked", "cured_depth_mm", "exposure_of_layer", "first_layer_growth_mm",
    "load_bench", "names_of", "told_apart", "unit_of", "user_folder", "vat_viscosity", "viscosity_at",
]  # fmt: skip
