"""Bottles and vats, and what is done with them: each act takes a shelf and gives another, or says why it cannot be."""

from __future__ import annotations

from dataclasses import replace
from datetime import date, datetime
from typing import Annotated

from pydantic import AfterValidator, Field
from pydantic.dataclasses import dataclass

from wideberth.core.bench import STRICT, Printer
from wideberth.core.errors import BadShelf
from wideberth.core.naming import cleaned, shown

MOST_BOTTLES, MOST_VATS = 500, 100
DROP_ML = 0.05
"""Less than this is nothing."""
Millilitres = Annotated[float, Field(ge=0, le=50_000)]
Share = Annotated[float, Field(ge=0, le=1)]
Name = Annotated[str, Field(min_length=1, max_length=80), AfterValidator(cleaned)]
Word = Annotated[str, Field(max_length=80), AfterValidator(shown)]


@dataclass(frozen=True, config=STRICT)
class Bottle:
    """A bottle of resin. resin : its name on the bench. full_ml : when it came; left_ml : now. opened : the day; None while it is
    shut. used_share : of what is in it, how much was poured back from a vat."""

    id: Name
    resin: Name
    full_ml: Annotated[float, Field(gt=0, le=50_000)]
    left_ml: Millilitres
    lot: Word = ""
    opened: date | None = None
    used_share: Share = 0.0


@dataclass(frozen=True, config=STRICT)
class Vat:
    """What is in a printer's vat. used_share : how much of it was in there during a print. lots : that went into it. filled,
    stirred :
    when it was last poured into, and stirred."""

    printer: Name
    resin: Word = ""
    ml: Millilitres = 0.0
    used_share: Share = 0.0
    lots: Annotated[tuple[Word, ...], Field(max_length=50)] = ()
    filled: datetime | None = None
    stirred: datetime | None = None

    @property
    def is_empty(self) -> bool:
        return self.ml < DROP_ML


@dataclass(frozen=True, config=STRICT)
class Shelf:
    """All bottles, and the vats that something is known of."""

    bottles: Annotated[tuple[Bottle, ...], Field(max_length=MOST_BOTTLES)] = ()
    vats: Annotated[tuple[Vat, ...], Field(max_length=MOST_VATS)] = ()

    def bottle(self, id: str) -> Bottle:
        """The bottle of an id.

        Raises
        ------
        BadShelf : when it is not there any more.
        """
        found = next((b for b in self.bottles if b.id == id), None)
        if found is None:
            raise BadShelf("this bottle is not on the shelf any more.", where="shelf", remedy="Choose another one.")
        return found

    def vat(self, printer: str) -> Vat:
        """What is in a printer's vat; an empty one where nothing is known."""
        return next((v for v in self.vats if v.printer == printer), Vat(printer))

    def _with(self, *changed: Bottle | Vat) -> Shelf:
        bottles = {b.id: b for b in self.bottles} | {b.id: b for b in changed if isinstance(b, Bottle)}
        vats = {v.printer: v for v in self.vats} | {v.printer: v for v in changed if isinstance(v, Vat)}
        return Shelf(tuple(bottles.values()), tuple(vats.values()))


EMPTY = Shelf()


def on_shelf(shelf: Shelf, resin: str, full_ml: float, lot: str = "") -> Shelf:
    """A bottle more, full and shut.

    Raises
    ------
    BadShelf : when the shelf is full.
    """
    if len(shelf.bottles) >= MOST_BOTTLES:
        raise BadShelf(f"has {MOST_BOTTLES} bottles already.", where="shelf", remedy="Take empty ones away.")
    number = 1 + max((int(b.id) for b in shelf.bottles if b.id.isdecimal()), default=0)
    return shelf._with(Bottle(str(number), resin, full_ml, full_ml, lot))


def taken_away(shelf: Shelf, id: str) -> Shelf:
    """A bottle less."""
    return Shelf(tuple(b for b in shelf.bottles if b.id != id), shelf.vats)


def of_resin(shelf: Shelf, resin: str) -> float:
    """How much of a resin is in bottles [mL]."""
    return sum(b.left_ml for b in shelf.bottles if b.resin == resin)


def poured(shelf: Shelf, id: str, printer: Printer, ml: float, now: datetime) -> Shelf:
    """Poured from a bottle into a vat: what is in both blends.

    Raises
    ------
    BadShelf : when the bottle has less, when it would stand over the vat's mark, or when another resin is in it.
    """
    bottle, vat = shelf.bottle(id), shelf.vat(printer.name)
    if ml > bottle.left_ml + DROP_ML:
        raise BadShelf(f"the bottle has {bottle.left_ml:.0f} mL left.", where="shelf", kept="Nothing was poured.")
    room = printer.vat_ml - vat.ml
    if ml > room + DROP_ML:
        what = f"{ml:.0f} mL would stand {ml - room:.0f} mL over the mark of {printer.vat_ml:.0f} mL."
        raise BadShelf(what, where=printer.name, kept="Nothing was poured.", remedy=f"Pour no more than {max(room, 0):.0f} mL.")
    if not vat.is_empty and vat.resin != bottle.resin:
        raise BadShelf(
            f"holds {vat.resin}; {bottle.resin} would blend with it.",
            where=printer.name,
            kept="Nothing was poured.",
            remedy="Empty the vat first, or mix them on the bench and pour the mix.",
        )
    before = 0.0 if vat.is_empty else vat.ml
    together = before + ml
    used = (before * vat.used_share + ml * bottle.used_share) / together if together > 0 else 0.0
    lots = () if vat.is_empty else vat.lots
    lots = lots if bottle.lot in ("", *lots) else (*lots, bottle.lot)[-50:]
    left = replace(bottle, left_ml=max(bottle.left_ml - ml, 0.0), opened=bottle.opened or now.date())
    return shelf._with(left, replace(vat, resin=bottle.resin, ml=together, used_share=used, lots=lots, filled=now, stirred=None))


def stirred(shelf: Shelf, printer: str, at: datetime | None) -> Shelf:
    """When the vat was stirred last; None: not since it was filled."""
    return shelf._with(replace(shelf.vat(printer), stirred=at))


def used_up(shelf: Shelf, printer: str, ml: float) -> Shelf:
    """A print took so much out of a vat; what is left has been through a print."""
    vat = shelf.vat(printer)
    return shelf if vat.is_empty else shelf._with(replace(vat, ml=max(vat.ml - ml, 0.0), used_share=1.0))


def corrected(shelf: Shelf, printer: Printer, resin: str, ml: float, used_share: float, now: datetime) -> Shelf:
    """What is in a vat, as one sees it there.

    Raises
    ------
    BadShelf : for more than up to its mark.
    """
    if ml > printer.vat_ml + DROP_ML:
        raise BadShelf(f"the vat holds {printer.vat_ml:.0f} mL up to its mark.", where=printer.name, kept="Nothing was changed.")
    vat = shelf.vat(printer.name)
    same = vat.resin == resin
    return shelf._with(
        Vat(printer.name, resin, ml, used_share, vat.lots if same else (), vat.filled or now, vat.stirred if same else None)
    )


def emptied(shelf: Shelf, printer: str) -> Shelf:
    """The vat was emptied, and what was in it is gone."""
    return shelf._with(Vat(printer))


def poured_back(shelf: Shelf, printer: Printer, id: str) -> Shelf:
    """What is in a vat back through the filter into a bottle, less what stays in vat and filter.

    Raises
    ------
    BadShelf : when another resin is in the bottle, when there is no room in it, or when the vat is empty.
    """
    bottle, vat = shelf.bottle(id), shelf.vat(printer.name)
    back = max(vat.ml - printer.stays_ml, 0.0)
    if back < DROP_ML:
        raise BadShelf("has nothing in its vat to pour back.", where=printer.name, kept="Nothing was changed.")
    if bottle.resin != vat.resin:
        raise BadShelf(f"the bottle is of {bottle.resin}, the vat holds {vat.resin}.", where="shelf", kept="Nothing was poured.")
    if bottle.left_ml + back > bottle.full_ml + DROP_ML:
        room = bottle.full_ml - bottle.left_ml
        raise BadShelf(
            f"the bottle has room for {room:.0f} mL, and {back:.0f} mL are in the vat.",
            where="shelf",
            kept="Nothing was poured.",
            remedy="Put an empty bottle on the shelf for used resin.",
        )
    used = (bottle.left_ml * bottle.used_share + back * vat.used_share) / (bottle.left_ml + back)
    return shelf._with(replace(bottle, left_ml=bottle.left_ml + back, used_share=used), Vat(printer.name))
