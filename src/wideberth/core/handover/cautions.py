"""The usual cautions, said where the step happens. They defer to data sheets, manuals and local codes."""

from __future__ import annotations

CAUTIONS: tuple[tuple[str, str], ...] = (
    ("Resin and solvent",
     "Liquid resin and used solvent harm skin and water: gloves, eye protection, ventilation, and a mask with the filter "
     "the data sheet names. Never down a sink, rinse water included."),
    ("Fire", "Solvent vapour is flammable: no heated bath, heat gun, open evaporation or distilling near it."),
    ("Light", "UV lamps hurt eyes and skin; UV-rated glasses are not splash glasses."),
    ("Cutting", "Scrapers and blades cut, snapped supports fly, sanding dust is breathed in."),
    ("Machine", "A plate that drips on a bare screen, or a pinhole in the film, ruins the machine."),
    ("Hollow parts", "A hollow part that holds liquid resin can crack and leak later: drain, wash and cure its inside."),
    ("Waste", "Half-cured scraps are still waste: cure them, and dispose of them under local rules."),
)  # fmt: skip

DEFERS = "Always follow the resin's safety data sheet, the makers' manuals and local codes; this sheet does not replace them."
HONEST = (
    "Predictions are engineering models with the bench values listed; they rank and warn, and promise nothing. Until prints "
    "are logged, all coefficients are defaults."
)
