"""The kinds of bench files, and what is known of each key: its unit, range, description and default."""

from __future__ import annotations

import dataclasses
import typing
from dataclasses import dataclass
from functools import cache
from typing import Any

from pydantic.fields import FieldInfo

from wideberth.core.bench.exposure_test import ExposureTest
from wideberth.core.bench.rules import HouseRules, Laws, Ranges, SupportSettings
from wideberth.core.bench.schema import Film, Mix, Printer, PrintSettings, Resin, Station
from wideberth.core.bench.trade import Hours, Trade

SECTIONS: dict[str, type] = {
    "printer": Printer, "film": Film, "resin": Resin, "print": PrintSettings, "station": Station, "laws": Laws,
    "supports": SupportSettings, "house": HouseRules, "ranges": Ranges, "trade": Trade, "hours": Hours,
}  # fmt: skip
"""What a bench is put together from: one of each."""

FITTED_TABLE = "fitted"
"""And how many prints its coefficients were fitted from, by key."""

TESTED = "tested"
"""A bench's own table beside its sections: the test that it rests on."""

KINDS: dict[str, type] = SECTIONS | {"mix": Mix, "exposure": ExposureTest}
"""What a file may hold: a section, a mix of resins, or a logged exposure test."""

UNIT_SUFFIXES = (
    ("_mw_per_cm2", "mW/cm²"), ("_mj_per_cm2", "mJ/cm²"), ("_j_per_cm2", "J/cm²"), ("_mm_per_s2", "mm/s²"),
    ("_mm_per_min", "mm/min"), ("_mm2_per_s", "mm²/s"), ("_n_per_mm2", "N/mm²"), ("_n_per_mm", "N/mm"),
    ("_n_per_m", "N/m"), ("_kg_per_m3", "kg/m³"), ("_j_per_mol", "J/mol"), ("_per_c", "per °C"), ("_pa_s", "Pa·s"),
    ("_per_litre", "per litre"), ("_per_kwh", "per kWh"), ("_per_h", "per h"), ("_each", "each"), ("_w", "W"),
    ("_mm2", "mm²"), ("_mpa", "MPa"), ("_kpa", "kPa"), ("_ml", "mL"), ("_nm", "nm"),
    ("_mm", "mm"), ("_deg", "°"), ("_c", "°C"), ("_h", "h"), ("_min", "min"), ("_g", "g"), ("_s", "s"), ("_n", "N"),
)  # fmt: skip


@cache
def unit_of(key: str) -> str:
    """The unit that a key's ending names; an empty string for counts, shares and names."""
    for ending, unit in UNIT_SUFFIXES:
        if key.endswith(ending):
            return unit
    if key.startswith("pixels_"):
        return "px"
    return ""


def number_text(value: float) -> str:
    """A number as a person writes it: `500,000`, `0.00125`."""
    return f"{value:,.0f}" if abs(value) >= 1000 and value == round(value) else f"{value:.6g}"


@dataclass(frozen=True)
class KeyFacts:
    """What the schema says of one key.

    kind : "number", "count", "text", "choice" or "yes/no". low, high : bounds, None where there is none; `open_low` when the
    lower bound itself is refused. choices : of a choice. optional : whether it may be left out; its words say what then.
    """

    key: str
    kind: str
    unit: str
    title: str
    description: str
    low: float | None
    high: float | None
    open_low: bool
    choices: tuple[str, ...]
    optional: bool

    @property
    def words(self) -> str:
        """The key as a person reads it: `layer height`."""
        if self.title:
            return self.title
        stem = self.key
        for ending, _ in UNIT_SUFFIXES:
            if stem.endswith(ending) and stem != ending[1:]:
                stem = stem.removesuffix(ending)
                break
        return stem.replace("_", " ")

    @property
    def range_text(self) -> str:
        """The allowed range with its unit."""
        if self.kind == "choice":
            return " / ".join(self.choices)
        if self.low is None and self.high is None:
            return ""
        if self.high is None:
            return f"{'over' if self.open_low else 'from'} {number_text(self.low or 0.0)} {self.unit}".strip()
        low = number_text(0.0 if self.low is None else self.low)
        return f"{'over ' if self.open_low else ''}{low} to {number_text(self.high)} {self.unit}".strip()


def facts_of(kind: str) -> tuple[KeyFacts, ...]:
    """Facts of every key that a person may edit, in the order of the schema."""
    fields: dict[str, FieldInfo] = typing.cast(Any, KINDS[kind]).__pydantic_fields__
    facts = [_facts(key, field) for key, field in fields.items()]
    return tuple(f for f in facts if f is not None)


def _facts(key: str, field: FieldInfo) -> KeyFacts | None:
    base, optional = _base(field.annotation)
    choices: tuple[str, ...] = ()
    if typing.get_origin(base) is typing.Literal:
        kind, choices = "choice", tuple(str(c) for c in typing.get_args(base))
    elif base is bool:
        kind = "yes/no"
    elif base is int:
        kind = "count"
    elif base is float:
        kind = "number"
    elif base is str:
        kind = "text"
    else:
        return None
    low, high, open_low = None, None, False
    for bound in field.metadata:
        low = getattr(bound, "ge", getattr(bound, "gt", low))
        open_low = open_low or hasattr(bound, "gt")
        high = getattr(bound, "le", getattr(bound, "lt", high))
    return KeyFacts(key, kind, unit_of(key), field.title or "", field.description or "", low, high, open_low, choices, optional)


def _base(annotation: Any) -> tuple[Any, bool]:
    """The type without `| None`, and whether None was allowed."""
    if typing.get_origin(annotation) is typing.Annotated:
        return _base(typing.get_args(annotation)[0])
    options = typing.get_args(annotation)
    if type(None) in options:
        rest = [o for o in options if o is not type(None)]
        return _base(rest[0])[0], True
    return annotation, False


def keys_of(kind: str) -> list[str]:
    """All keys of a kind of file."""
    return [field.name for field in dataclasses.fields(KINDS[kind])]
