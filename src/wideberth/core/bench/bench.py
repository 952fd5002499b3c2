"""The bench in use: one printer, film, resin and set of settings, each value with where it came from."""

from __future__ import annotations

import dataclasses
from dataclasses import dataclass

from wideberth.core.bench.kinds import SECTIONS, unit_of
from wideberth.core.bench.rules import HouseRules, Laws, Ranges, SupportSettings
from wideberth.core.bench.schema import Film, Printer, PrintSettings, Resin, Station, Tested
from wideberth.core.bench.trade import Hours, Trade


@dataclass(frozen=True)
class Bench:
    """Everything a prediction needs to know beside the mesh; `sources` maps `section.key` to where a value
    came from; `tested` is the test of one's own that it rests on, None where there is none."""

    printer: Printer
    film: Film
    resin: Resin
    print: PrintSettings
    station: Station
    laws: Laws
    supports: SupportSettings
    house: HouseRules
    ranges: Ranges
    trade: Trade
    hours: Hours
    sources: tuple[tuple[str, str], ...] = ()
    tested: Tested | None = None

    def values(self) -> list[BenchValue]:
        """Every value in use, in the order of the files."""
        where = dict(self.sources)
        listed = []
        for section in SECTIONS:
            part = getattr(self, section)
            for field in dataclasses.fields(part):
                if field.name == "ingredients":
                    continue
                key = f"{section}.{field.name}"
                source = where.get(key, where.get(section, "default"))
                listed.append(BenchValue(key, getattr(part, field.name), unit_of(field.name), source))
        return listed

    def with_value(self, key: str, value: object, source: str = "set by hand") -> Bench:
        """A bench in which `section.key` has another value; the schema's ranges are checked again.

        Raises
        ------
        BadBench : when the key is unknown or the value out of range.
        """
        from wideberth.core.bench.load import checked

        section, _, name = key.partition(".")
        part = getattr(self, section)
        entries = {f.name: getattr(part, f.name) for f in dataclasses.fields(part)} | {name: value}
        sources = (*((k, s) for k, s in self.sources if k != key), (key, source))
        return dataclasses.replace(self, **{section: checked(section, entries, source)}, sources=sources)

    def with_section(self, section: str, part: object, source: str) -> Bench:
        """A bench with another printer, film, resin, ...; what was set by hand in the old one goes with it."""
        kept = tuple((k, s) for k, s in self.sources if k != section and not k.startswith(f"{section}."))
        return dataclasses.replace(self, **{section: part}, sources=(*kept, (section, source)))  # type: ignore[arg-type]


@dataclass(frozen=True)
class BenchValue:
    """One value of the bench with its unit and source."""

    key: str
    value: object
    unit: str
    source: str
