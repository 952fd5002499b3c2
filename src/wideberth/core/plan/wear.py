"""What a job takes of film, screen, bath and vat, in words."""

from __future__ import annotations

from collections.abc import Sequence

from wideberth.core.bench import Bench, bath_room_g
from wideberth.core.logbook import Behind
from wideberth.core.plan.usage import Usage, film_share


def wear_lines(runs: Sequence[Usage], bench: Bench) -> list[tuple[str, str]]:
    """(head, sentence) of each: this job's share of a life, and how many like it one lasts, fresh ones taken for granted."""
    film, printer, station = bench.film, bench.printer, bench.station
    hours, pulls = sum(run.hours for run in runs), sum(run.pulls for run in runs)
    of_film, of_light = sum(run.film_share for run in runs), sum(run.screen_share for run in runs)
    by_hours = hours / film.lasts_h >= pulls / film.lasts_pulls
    first = f"its {film.lasts_h:g} h" if by_hours else f"its {film.lasts_pulls:,} pulls"
    treated = f", {film.treatment_factor:g} times as long since it was treated" if film.treatment_factor != 1 else ""
    lit = sum(run.exposure_h for run in runs)
    light = "laser" if printer.light == "laser" else "screen"
    grams, room = sum(run.bath_g for run in runs), bath_room_g(station.dirty_bath_ml, station) - station.bath_load_g
    most = max((run.resin_ml for run in runs), default=0.0)
    full = "in one fill" if most <= printer.vat_ml else f"over the {printer.vat_ml:g} mL to the mark: top up on the way"
    left = _lasts(grams / room) if room > 0 else "it is spent"
    of_life = f"{_share(of_light)} of {printer.light_lasts_h:g} h"
    return [
        ("Film", f"{hours:.1f} h and {pulls:,} pulls, {_share(of_film)} of its life by {first}{treated}; {_lasts(of_film)}."),
        (light.capitalize(), f"{lit:.2f} h of light, {of_life}; motion does not count; {_lasts(of_light)}."),
        ("Bath", f"{grams:.1f} g of resin into the dirty one, which takes {max(room, 0.0):.0f} g more; {left}."),
        ("Vat", f"{most:.0f} mL for the largest run with what clings and stays, {full}."),
    ]


def behind_lines(behind: Behind, bench: Bench) -> list[tuple[str, str]]:
    """(head, sentence) of what film, screen, bath and vat of the bench's printer have behind them, by the log."""
    of_film = film_share(behind.film_h, behind.film_pulls, bench)
    of_light = behind.light_h / bench.printer.light_lasts_h
    room = bath_room_g(bench.station.dirty_bath_ml, bench.station)
    light = "Laser" if bench.printer.light == "laser" else "Screen"
    return [
        (
            "Film",
            f"{behind.film_h:.1f} h and {behind.film_pulls:,} pulls behind it, {_share(of_film)} of its life{_due(of_film)}.",
        ),
        (light, f"{behind.light_h:.1f} h of light behind it, {_share(of_light)} of its life{_due(of_light)}."),
        ("Bath", f"{behind.bath_g:.0f} g of resin in it, of {room:.0f} g that it takes{_due(behind.bath_g / room)}."),
        ("Vat", f"{behind.vat_h:.1f} h of printing with this resin."),
    ]


def _due(share: float) -> str:
    return ": change it" if share >= 1 else ": soon to be changed" if share >= 0.8 else ""


def _share(share: float) -> str:
    return f"{100 * share:.2g} %" if share < 0.1 else f"{100 * share:.0f} %"


def _lasts(share: float) -> str:
    """How many such jobs one lasts."""
    if share > 1:
        return "one does not last for it"
    return f"one lasts {int(1 / share):,} such jobs" if share > 0 else "nothing of it"
