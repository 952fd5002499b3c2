"""A job: parts on a bench, and the plates that they stand on. Immutable; everything in it has an id that it keeps for good."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace

from wideberth.core.bench import Bench
from wideberth.core.errors import BadJob
from wideberth.core.job.part import Part
from wideberth.core.job.plate import Placed, Placement, Plate

Place = tuple[float, float]


@dataclass(frozen=True)
class Variant:
    """A whole state of a job kept under a name, to be looked at beside the present one."""

    id: str
    name: str
    bench: Bench
    parts: tuple[Part, ...]
    plates: tuple[Plate, ...]
    linked: bool = False


@dataclass(frozen=True)
class Job:
    """Parts, and plates with placements of them.

    linked : the parts are a kit that shares one scale. variants : states that were kept. last : the highest number that the id of
    a part, plate, placement or variant was given so far; none is given twice.
    """

    title: str
    bench: Bench
    parts: tuple[Part, ...] = ()
    plates: tuple[Plate, ...] = ()
    linked: bool = False
    variants: tuple[Variant, ...] = ()
    last: int = 0

    # parts

    def part(self, id: str) -> Part:
        """A part by its id.

        Raises
        ------
        BadJob : when there is none such.
        """
        for part in self.parts:
            if part.id == id:
                return part
        raise BadJob("there is no such part.", where=self.title)

    def has(self, id: str) -> bool:
        """Whether there is a part of this id."""
        return any(part.id == id for part in self.parts)

    def with_part(self, part: Part) -> Job:
        """The job with a part in place of the one that has its id."""
        self.part(part.id)
        return replace(self, parts=tuple(part if p.id == part.id else p for p in self.parts))

    def with_more(self, *parts: Part, places: Iterable[Place] | None = None) -> Job:
        """The job with more parts, numbered anew, each placed once on the first plate: at `places`, or in its middle."""
        job = self if self.plates else self.with_plate("Plate 1")
        at = list(places) if places is not None else [(0.0, 0.0)] * len(parts)
        for part, (x, y) in zip(parts, at, strict=True):
            one, two = job.last + 1, job.last + 2
            made = replace(part, id=f"part-{one}").with_holes(part.holes)
            plate = job.plates[0]
            plate = replace(plate, placements=(*plate.placements, Placement(f"print-{two}", made.id, x, y)))
            job = replace(job, parts=(*job.parts, made), plates=(plate, *job.plates[1:]), last=two)
        return job

    def without(self, id: str) -> Job:
        """The job without a part and all its prints."""
        self.part(id)
        plates = tuple(replace(plate, placements=tuple(p for p in plate.placements if p.part != id)) for plate in self.plates)
        return replace(self, parts=tuple(p for p in self.parts if p.id != id), plates=plates)

    # plates

    def plate(self, id: str = "") -> Plate:
        """A plate by its id, "" for the first one.

        Raises
        ------
        BadJob : when there is none such.
        """
        for plate in self.plates:
            if not id or plate.id == id:
                return plate
        raise BadJob("there is no such plate.", where=self.title)

    def with_plate(self, name: str) -> Job:
        """The job with one more, empty plate."""
        number = self.last + 1
        return replace(self, plates=(*self.plates, Plate(f"plate-{number}", name)), last=number)

    def without_plate(self, id: str) -> Job:
        """The job without an empty plate; the last one stays.

        Raises
        ------
        BadJob : when something stands on it, it is the only one, or there is none such.
        """
        if self.plate(id).placements or len(self.plates) == 1:
            raise BadJob("only an empty plate can go, and one stays.", where=self.title, kept="All plates are as they were.")
        return replace(self, plates=tuple(p for p in self.plates if p.id != id))

    def replated(self, plate: Plate) -> Job:
        """The job with a plate in place of the one that has its id."""
        return replace(self, plates=tuple(plate if p.id == plate.id else p for p in self.plates))

    def placed(self, plate: str = "") -> tuple[Placed, ...]:
        """Every print on a plate, "" for the first one: further prints of a part are numbered through all plates."""
        if not self.plates:
            return ()
        wanted = self.plate(plate)
        count: dict[str, int] = {}
        prints = []
        for each in self.plates:
            for placement in each.placements:
                part = self.part(placement.part)
                count[part.id] = count.get(part.id, 0) + 1
                mark = ", mirrored" if placement.mirrored else ""
                more = f" ({count[part.id]}{mark})" if count[part.id] > 1 else ""
                if each.id == wanted.id:
                    prints.append(Placed(placement, part, part.name + more))
        return tuple(prints)

    def placements_of(self, part: str) -> tuple[Placement, ...]:
        """All prints of a part, on whatever plate."""
        return tuple(p for plate in self.plates for p in plate.placements if p.part == part)

    def with_placement(self, placement: Placement) -> Job:
        """The job with a placement in place of the one that has its id."""
        return replace(self, plates=tuple(plate.with_placement(placement) for plate in self.plates))

    # variants

    def keep_variant(self, name: str) -> Job:
        """The job with its present state kept under a name."""
        number = self.last + 1
        kept = Variant(f"variant-{number}", name, self.bench, self.parts, self.plates, self.linked)
        return replace(self, variants=(*self.variants, kept), last=number)

    def take_variant(self, id: str) -> Job:
        """The job in a state that was kept; the variants stay.

        Raises
        ------
        BadJob : when there is none such.
        """
        for v in self.variants:
            if v.id == id:
                return replace(self, bench=v.bench, parts=v.parts, plates=v.plates, linked=v.linked)
        raise BadJob("there is no such variant.", where=self.title)

    def rename_variant(self, id: str, name: str) -> Job:
        """The job with a variant under another name."""
        return replace(self, variants=tuple(replace(v, name=name) if v.id == id else v for v in self.variants))

    def without_variant(self, id: str) -> Job:
        """The job without one of its variants."""
        return replace(self, variants=tuple(v for v in self.variants if v.id != id))


def job_of(
    title: str, bench: Bench, parts: Iterable[Part] = (), places: Iterable[Place] | None = None, linked: bool = False
) -> Job:
    """A job of one plate with each part on it once, at `places` or in its middle."""
    return Job(title, bench, linked=linked).with_plate("Plate 1").with_more(*parts, places=places)
