"""The workshop as a business: what things cost there, and when someone is there."""

from __future__ import annotations

import re
from typing import Annotated

from pydantic import AfterValidator, Field
from pydantic.dataclasses import dataclass

from wideberth.core.bench.schema import STRICT, Name, NotNegative
from wideberth.core.naming import shown

Price = Annotated[float, Field(ge=0, le=1e7)]
Text = Annotated[str, Field(max_length=80), AfterValidator(shown)]
MINUTES_PER_DAY = 24 * 60
WEEKDAYS = ("monday", "tuesday", "wednesday", "thursday", "friday", "saturday", "sunday")
SPAN = re.compile(r"^(\d{1,2}):(\d{2})\s*[-–]\s*(\d{1,2}):(\d{2})$")
BREAK = re.compile(r"^(\d{1,5})\s*:\s*(\d{1,2}(?:\.\d{1,2})?)\s*%$")


def spans_of(text: str) -> tuple[tuple[int, int], ...]:
    """Times of a day as (from, to) in minutes after midnight, in order: `8:00-12:00, 13:00-17:30`.

    Raises
    ------
    ValueError : for what is no time of a day, ends before it begins, or overlaps.
    """
    spans = []
    for piece in filter(None, (p.strip() for p in text.split(","))):
        match = SPAN.match(piece)
        if match is None:
            raise ValueError(f"`{piece}` is no time of a day; write it as 8:00-12:00, 13:00-17:30")
        h, m, to_h, to_m = (int(g) for g in match.groups())
        begin, end = 60 * h + m, 60 * to_h + to_m
        if m > 59 or to_m > 59 or end > MINUTES_PER_DAY or begin >= end:
            raise ValueError(f"`{piece}` does not end after it begins, within one day")
        spans.append((begin, end))
    spans.sort()
    if any(later[0] < earlier[1] for earlier, later in zip(spans, spans[1:], strict=False)):
        raise ValueError(f"`{text}`: times overlap")
    return tuple(spans)


def breaks_of(text: str) -> tuple[tuple[int, str], ...]:
    """Discounts by count as (from how many, per cent), in order: `5: 4 %, 20: 9 %`.

    Raises
    ------
    ValueError : for what is no count and share, and for a count given twice.
    """
    breaks = []
    for piece in filter(None, (p.strip() for p in text.split(","))):
        match = BREAK.match(piece)
        if match is None or int(match[1]) < 2:
            raise ValueError(f"`{piece}` is no discount; write it as 5: 4 %, 20: 9 %")
        breaks.append((int(match[1]), match[2]))
    if len({count for count, _ in breaks}) < len(breaks):
        raise ValueError(f"`{text}`: a count stands there twice")
    return tuple(sorted(breaks))


def _spans(text: str) -> str:
    spans_of(text)
    return text


def _breaks(text: str) -> str:
    breaks_of(text)
    return text


Day = Annotated[str, Field(max_length=80), AfterValidator(shown), AfterValidator(_spans)]


@dataclass(frozen=True, config=STRICT)
class Trade:
    """Prices and minutes of a quote. What is left out is not known, and a quote says so."""

    name: Name
    sender: Annotated[Text, Field(title="sender", description="who sends the quote")] = ""
    street: Annotated[Text, Field(title="street", description="of the sender")] = ""
    town: Annotated[Text, Field(title="town", description="of the sender")] = ""
    contact: Annotated[Text, Field(title="contact", description="of the sender")] = ""
    currency: Annotated[str, Field(max_length=12, description="of all prices here"), AfterValidator(shown)] = ""
    film_each: Annotated[Price | None, Field(title="film", description="price of a film")] = None
    screen_each: Annotated[Price | None, Field(title="screen or laser", description="price of a screen, or of a laser")] = None
    solvent_per_litre: Annotated[Price | None, Field(title="solvent", description="price of what the baths hold")] = None
    gloves_each: Annotated[Price | None, Field(title="gloves", description="price of a pair")] = None
    gloves_pairs: Annotated[int, Field(title="pairs of gloves", ge=0, le=100, description="used for each run")] = 2
    filter_each: Annotated[Price | None, Field(title="filter", description="price of one; each run takes one")] = None
    energy_per_kwh: Annotated[Price | None, Field(title="energy", description="price of a kilowatt hour")] = None
    printer_w: Annotated[float, Field(title="printer takes", ge=0, le=20000, description="power while it prints")] = 60.0
    station_w: Annotated[float, Field(title="lamp takes", ge=0, le=20000, description="power while it cures")] = 100.0
    machine_per_h: Annotated[Price | None, Field(title="machine hour", description="printer, room and upkeep")] = None
    labour_per_h: Annotated[Price | None, Field(title="labour", description="price of an hour of work")] = None
    prepare_min: Annotated[NotNegative, Field(title="preparing takes", description="of work, once for all runs")] = 30.0
    start_min: Annotated[NotNegative, Field(title="starting takes", description="of work before each run")] = 15.0
    tip_off_min: Annotated[NotNegative, Field(title="a tip takes", description="of work to take it off")] = 0.05
    failure_share: Annotated[
        float | None, Field(title="runs that fail", ge=0, le=0.9, description="share of runs, until the log knows it")
    ] = None
    margin_share: Annotated[float | None, Field(title="margin", ge=0, le=10, description="added to what it costs")] = None
    tax_share: Annotated[float | None, Field(title="tax", ge=0, le=1, description="added to the price")] = None
    breaks: Annotated[
        str,
        Field(title="discounts", max_length=80, description="by count, as 5: 4 %, 20: 9 %"),
        AfterValidator(shown),
        AfterValidator(_breaks),
    ] = ""


@dataclass(frozen=True, config=STRICT)
class Hours:
    """When someone is there, on each weekday as `8:00-12:00, 13:00-17:30`; nothing: nobody is."""

    name: Name
    monday: Annotated[Day, Field(description="when someone is there")] = ""
    tuesday: Annotated[Day, Field(description="when someone is there")] = ""
    wednesday: Annotated[Day, Field(description="when someone is there")] = ""
    thursday: Annotated[Day, Field(description="when someone is there")] = ""
    friday: Annotated[Day, Field(description="when someone is there")] = ""
    saturday: Annotated[Day, Field(description="when someone is there")] = ""
    sunday: Annotated[Day, Field(description="when someone is there")] = ""
    after_min: Annotated[
        float, Field(title="work after a run", ge=0, le=720, description="resin back, vat, plate, wash, cure")
    ] = 60.0
    change_min: Annotated[
        float, Field(title="changing the resin", ge=0, le=720, description="work to empty and clean the vat for another resin")
    ] = 30.0
    bright: Annotated[
        Day, Field(title="daylight", description="when daylight falls on the printer, on any day; nothing: it is shaded")
    ] = ""

    def spans(self, weekday: int) -> tuple[tuple[int, int], ...]:
        """When someone is there on a weekday, 0 for Monday, as (from, to) in minutes after midnight."""
        return spans_of(getattr(self, WEEKDAYS[weekday]))
