"""The usual cautions, said where the step happens. They defer to data sheets, manuals and local codes."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Caution:
    """What can hurt someone or ruin something. steps : where it is said, beside the sheet."""

    head: str
    text: str
    steps: tuple[str, ...]


CAUTIONS: tuple[Caution, ...] = (
    Caution(
        "Resin and solvent",
        "Liquid resin and used solvent harm skin and water: gloves, eye protection, ventilation, and a mask with the filter "
        "the data sheet names. Never down a sink, rinse water included.",
        ("bench", "handover"),
    ),
    Caution(
        "Fire", "Solvent vapour is flammable: no heated bath, heat gun, open evaporation or distilling near it.", ("handover",)
    ),
    Caution("Light", "UV lamps hurt eyes and skin; UV-rated glasses are not splash glasses.", ("bench", "handover")),
    Caution(
        "Cutting", "Scrapers and blades cut, snapped supports fly, sanding dust is breathed in.", ("split", "support", "handover")
    ),
    Caution("Machine", "A plate that drips on a bare screen, or a pinhole in the film, ruins the machine.", ("plate", "predict")),
    Caution(
        "Hollow parts",
        "A hollow part that holds liquid resin can crack and leak later: drain, wash and cure its inside.",
        ("hollow", "drain"),
    ),
    Caution(
        "Waste", "Half-cured scraps are still waste: cure them, and dispose of them under local rules.", ("support", "handover")
    ),
)

DEFERS = "Always follow the resin's safety data sheet, the makers' manuals and local codes; this sheet does not replace them."
HONEST = (
    "Predictions are engineering models with the bench values listed; they rank and warn, and promise nothing. Until prints "
    "are logged, all coefficients are defaults."
)
ROUGH = "How hard it comes off is rough: the grip of a scraper was never measured here. Grade it in the log."


def cautions_of(step: str) -> tuple[Caution, ...]:
    """Those that are said where a step happens."""
    return tuple(c for c in CAUTIONS if step in c.steps)
