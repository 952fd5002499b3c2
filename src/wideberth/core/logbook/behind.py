"""What film, screen, bath and vat of a printer have behind them: the hours of all its prints since each was last changed."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime

from wideberth.core.logbook.record import Entry

SECONDS_PER_HOUR = 3600.0
CHANGED = ("film", "screen", "bath", "vat")
"""What can be changed on a printer: with it, its count begins anew."""


@dataclass(frozen=True)
class Service:
    """Something that was changed on a printer; at : UTC."""

    at: datetime
    printer: str
    what: str
    note: str = ""


@dataclass(frozen=True)
class Behind:
    """film_h, film_pulls : hours of printing and pulls since the film was changed. light_h : of light since the screen was.
    bath_g :
    of resin since the bath was. vat_h : hours since the resin in the vat was changed. prints : that count for any of these."""

    film_h: float = 0.0
    film_pulls: int = 0
    light_h: float = 0.0
    bath_g: float = 0.0
    vat_h: float = 0.0
    prints: int = 0


def behind_of(entries: Sequence[Entry], services: Sequence[Service], printer: str) -> Behind:
    """What a printer's things have behind them; a print counts as it was measured, and as predicted where it was not."""
    since = {
        what: max((s.at for s in services if s.printer == printer and s.what == what), default=datetime.min) for what in CHANGED
    }
    film_h = light_h = bath_g = vat_h = 0.0
    pulls = prints = 0
    for e in entries:
        if e.printer != printer or e.ended == "printing":
            continue
        seconds = e.seconds if e.seconds is not None else e.told.seconds
        layers = e.layers if e.layers is not None else e.told.layers
        share = layers / max(e.told.layers, 1)
        if e.began >= since["film"]:
            film_h, pulls = film_h + seconds / SECONDS_PER_HOUR, pulls + layers
        if e.began >= since["screen"]:
            light_h += share * e.told.lit_s / SECONDS_PER_HOUR
        if e.began >= since["bath"]:
            bath_g += e.told.bath_g
        if e.began >= since["vat"]:
            vat_h += seconds / SECONDS_PER_HOUR
        prints += e.began >= min(since.values())
    return Behind(film_h, pulls, light_h, bath_g, vat_h, prints)
