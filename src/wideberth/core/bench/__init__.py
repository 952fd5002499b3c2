"""Know the machine, the resin and the film before anything else."""

from wideberth.core.bench.bench import Bench, BenchValue
from wideberth.core.bench.cure import (
    BLEEDING,
    RIGHT,
    UNDER,
    ExposureAdvice,
    bond_factor,
    coldest_c,
    critical_exposure,
    cured_depth_mm,
    exposure_advice,
    exposure_for_depth,
    exposure_of_layer,
    first_layer_growth_mm,
    vat_c_at,
    vat_viscosity,
    viscosity_at,
)
from wideberth.core.bench.exposure_test import CuredPair, ExposureTest, WorkingCurve, fit_working_curve
from wideberth.core.bench.kinds import KINDS, SECTIONS, KeyFacts, facts_of, number_text, unit_of
from wideberth.core.bench.load import (
    bench_from,
    bench_toml,
    checked,
    load_bench,
    load_named,
    names_of,
    source_of,
    told_apart,
    user_folder,
)
from wideberth.core.bench.mix import mixed, volume_shares
from wideberth.core.bench.outlook import Outlook, outlook
from wideberth.core.bench.rules import HouseRules, Laws, Ranges, SupportSettings
from wideberth.core.bench.schema import Film, Ingredient, Mix, Printer, PrintSettings, Resin, Station
from wideberth.core.bench.store import (
    Difference,
    compare,
    duplicate,
    export_file,
    import_file,
    is_own,
    rename,
    reset,
    save_own,
    shipped,
    slug,
    with_entry,
)

__all__ = [
    "BLEEDING", "KINDS", "RIGHT", "SECTIONS", "UNDER", "Bench", "BenchValue", "CuredPair", "Difference",
    "ExposureAdvice", "ExposureTest", "Film", "HouseRules", "Ingredient", "KeyFacts", "Laws", "Mix", "Outlook",
    "PrintSettings", "Printer", "Ranges", "Resin", "Station", "SupportSettings", "WorkingCurve", "bench_from", "bench_toml",
    "bond_factor", "checked", "coldest_c", "compare", "critical_exposure", "cured_depth_mm", "duplicate", "export_file",
    "exposure_advice", "exposure_for_depth", "exposure_of_layer", "facts_of", "first_layer_growth_mm",
    "fit_working_curve", "import_file", "is_own", "load_bench", "load_named", "mixed", "names_of", "number_text",
    "outlook", "rename", "reset", "save_own", "shipped", "slug", "source_of", "told_apart", "unit_of", "user_folder",
    "vat_c_at", "vat_viscosity", "viscosity_at", "volume_shares", "with_entry",
]  # fmt: skip
