"""A part looked over: the health of its mended mesh, its walls at its size, and what its mends did."""

from __future__ import annotations

from dataclasses import dataclass

from wideberth.core.bench import Bench, outline_growth_mm, smallest_feature_mm
from wideberth.core.job import Part
from wideberth.core.model import Detail, Flaw, Health, Mended, wall_flaws
from wideberth.core.predict.stages import Stages
from wideberth.core.progress import Progress


@dataclass(frozen=True, eq=False)
class Examined:
    """What there is to say of a part before it is prepared. thinnest_mm : see `Thickness`."""

    health: Health
    walls: tuple[Flaw, ...]
    thinnest_mm: float
    mended: tuple[Mended, ...]

    @property
    def flaws(self) -> tuple[Flaw, ...]:
        return self.health.flaws + self.walls


def detail_of(bench: Bench) -> Detail:
    """What a bench can still print, with what its exposure test said."""
    pixel = max(bench.printer.pixel_x_mm, bench.printer.pixel_y_mm)
    return Detail(pixel, bench.resin.thinnest_wall_mm, smallest_feature_mm(bench), outline_growth_mm(bench))


def examined(part: Part, bench: Bench, stages: Stages, progress: Progress | None = None) -> Examined:
    """Look a part over, against the printer's pixels and what the resin holds.

    Raises
    ------
    Cancelled : when the progress is cancelled.
    """
    health = stages.health(part, progress)
    thick = stages.thickness(part)
    flaws = tuple(wall_flaws(thick, detail_of(bench)))
    return Examined(health, flaws, thick.thinnest_mm, stages.mended(part)[1])
