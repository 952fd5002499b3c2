"""What a logbook says of one print."""

from __future__ import annotations

from dataclasses import dataclass, replace
from datetime import UTC, datetime
from typing import Literal

Ended = Literal["printing", "done", "stopped", "power cut", "lost touch"]
ENDED: tuple[Ended, ...] = ("printing", "done", "stopped", "power cut", "lost touch")
"""How a run ended; "printing" while it runs, "lost touch" when its device fell silent."""
Fate = Literal["not looked at", "good", "flawed", "lost"]
FATES: tuple[Fate, ...] = ("not looked at", "good", "flawed", "lost")
CameOff = Literal["not told", "fell off", "easy", "hard", "broke"]
CAME_OFF: tuple[CameOff, ...] = ("not told", "fell off", "easy", "hard", "broke")
PLACES = ("corner", "edge", "face")
"""What of a part is graded."""
STAGES = ("before the wash", "after the first wash", "after the cure")
METHODS = ("pulled", "snipped", "warm water")
SCARS = ("clean", "bump", "crater")


REAL, SIMULATED = "real printers", "simulated printer"
"""Makers of prints; a simulated printer's name goes on with its seed."""


@dataclass(frozen=True)
class Spot:
    """A grade of one place of a part: corner, edge or face, 1 to 5, where it is in the part's own frame [mm], and a word."""

    place: str
    grade: int
    at_mm: tuple[float, float, float] | None = None
    note: str = ""


@dataclass(frozen=True)
class Scars:
    """How many marks of one kind tips of one size left: when and how the supports were taken off."""

    stage: str
    method: str
    tip_mm: float
    kind: str
    count: int


@dataclass(frozen=True)
class PartOutcome:
    """What became of one print of the plate.

    number : on the plate. lost_layer : at which it let go, from 0, where that is known.
    """

    number: int
    name: str
    fate: Fate = "not looked at"
    lost_layer: int | None = None
    spots: tuple[Spot, ...] = ()
    scars: tuple[Scars, ...] = ()


@dataclass(frozen=True)
class Told:
    """What was predicted of a print, in figures: see `Expected` for all of it. lit_s : light; bath_g : resin into the bath;
    density : of the liquid resin [g/mL]."""

    layers: int
    seconds: float
    seconds_low: float
    seconds_high: float
    resin_ml: float
    peak_n: float
    margin: float | None
    margin_low: float | None
    margin_high: float | None
    plate_margin: float | None
    lit_s: float = 0.0
    bath_g: float = 0.0
    density: float | None = None


@dataclass(frozen=True)
class Entry:
    """One print.

    id : its own, for good. began, finished : UTC. job : title. recipe : of the job, a hash. variant : its name, "" for the job
    as it stood. printer, film, resin, settings : titles on its bench. told : what was predicted. seconds, layers : measured.
    resin_g : by scale, all told. came_off : the plate, with `off_plate` the layer at which it came off by itself. cause : of a
    failure, a key of the tree. warned : whether a finding had told of it, None where nothing failed. source : "simulated
    printer, seed 3", a device's name, or "by hand". fitted : how many prints its bench was fitted from. lost_tips : that let
    go, by their numbers in `Expected`. alarms : that were told while it ran. findings : codes of what its prediction warned of.
    """

    id: str
    began: datetime
    job: str
    printer: str
    film: str
    resin: str
    told: Told
    finished: datetime | None = None
    plate: str = ""
    recipe: str = ""
    variant: str = ""
    settings: str = ""
    source: str = "by hand"
    ended: Ended = "printing"
    seconds: float | None = None
    layers: int | None = None
    resin_g: float | None = None
    vat_c: float | None = None
    came_off: CameOff = "not told"
    off_plate: int | None = None
    cause: str = ""
    warned: bool | None = None
    fitted: int = 0
    note: str = ""
    film_torn: bool = False
    lost_tips: tuple[int, ...] = ()
    alarms: tuple[str, ...] = ()
    findings: tuple[str, ...] = ()
    parts: tuple[PartOutcome, ...] = ()

    @property
    def failed(self) -> bool | None:
        """Whether a part was lost, or all of it; None while nobody has looked, and for one that held but was not finished."""
        if self.off_plate is not None or any(p.fate == "lost" for p in self.parts):
            return True
        looked = [p for p in self.parts if p.fate != "not looked at"]
        return False if self.ended == "done" and looked and len(looked) == len(self.parts) else None

    @property
    def used_ml(self) -> float | None:
        """Resin by scale, as a volume; None where it was not weighed, or its density is not known."""
        return None if self.resin_g is None or not self.told.density else self.resin_g / self.told.density

    @property
    def maker(self) -> str:
        """Who printed it: a simulated printer by its seed, or a real one. Prints of different makers teach each other nothing."""
        return self.source if self.source.startswith(SIMULATED) else REAL

    @property
    def group(self) -> tuple[str, str, str]:
        """What coefficients are learnt for: printer, resin, film."""
        return self.printer, self.resin, self.film

    def part(self, number: int) -> PartOutcome:
        """The part of a number.

        Raises
        ------
        KeyError
        """
        return {p.number: p for p in self.parts}[number]

    def with_part(self, part: PartOutcome) -> Entry:
        """With another outcome of the part of that number."""
        return replace(self, parts=tuple(part if p.number == part.number else p for p in self.parts))


@dataclass(frozen=True)
class Search:
    """What entries are asked for.

    words : all of which must be somewhere in job, plate, note, printer, resin or film. failed : True or False, None for any.
    since, until : when they began.
    """

    words: str = ""
    printer: str = ""
    resin: str = ""
    film: str = ""
    failed: bool | None = None
    since: datetime | None = None
    until: datetime | None = None
    limit: int | None = None


@dataclass(frozen=True)
class TakenFit:
    """A fit that was taken over: values by bench key, each before and after. state : "taken" or "taken back"."""

    number: int
    at: datetime
    group: tuple[str, str, str]
    prints: int
    values: dict[str, tuple[float, float]]
    state: str = "taken"


@dataclass(frozen=True)
class Exercise:
    """One try on the trainer's shelf: what was guessed, what came out, and the points for it."""

    at: datetime
    model: str
    seed: int
    guess: dict[str, float | str]
    result: dict[str, float | str]
    score: int


def utc_now() -> datetime:
    """Now, to the second, without a zone: all times in a logbook are UTC."""
    return datetime.now(UTC).replace(microsecond=0, tzinfo=None)
