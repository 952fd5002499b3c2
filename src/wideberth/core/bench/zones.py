"""Zones of a plate that are kept free: where it is scratched, where a screw sits, where the screen has gone dark."""

from __future__ import annotations

from typing import Annotated, NamedTuple

from pydantic import AfterValidator, Field

FARTHEST_MM = 2000.0
MOST_ZONES = 40


class Zone(NamedTuple):
    """A rectangle of the plate, from the plate's middle."""

    left_mm: float
    front_mm: float
    right_mm: float
    back_mm: float


def zones_of(text: str) -> tuple[Zone, ...]:
    """Rectangles as two opposite corners each: `-60,-30,-45,-20; 50,10,60,30`.

    Raises
    ------
    ValueError : for what is no rectangle, has no area, or lies beyond any plate; for very many.
    """
    zones = []
    for piece in filter(None, (p.strip() for p in text.split(";"))):
        try:
            x0, y0, x1, y1 = (float(v) for v in piece.split(","))
        except ValueError as error:
            raise ValueError(f"`{piece}` is no zone; write two corners in mm as -60,-30,-45,-20") from error
        if not max(abs(v) for v in (x0, y0, x1, y1)) <= FARTHEST_MM or x0 == x1 or y0 == y1:
            raise ValueError(f"`{piece}` is no rectangle on a plate")
        zones.append(Zone(min(x0, x1), min(y0, y1), max(x0, x1), max(y0, y1)))
    if len(zones) > MOST_ZONES:
        raise ValueError(f"more than {MOST_ZONES} zones")
    return tuple(zones)


def _plain(text: str) -> str:
    """Zones as they were read, and nothing else."""
    return "; ".join(",".join(f"{v:.10g}" for v in zone) for zone in zones_of(text))


Zones = Annotated[str, Field(max_length=2000), AfterValidator(_plain)]
