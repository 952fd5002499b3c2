"""What hands do before, during and after a print: lists that know the job, with its own figures, timers and cautions."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from wideberth.core.bench import Bench
from wideberth.core.plan.cautions import CAUTIONS
from wideberth.core.plan.clock import moments
from wideberth.core.plan.filling import filling_of, taking_of
from wideberth.core.predict import Prediction
from wideberth.core.shelf import Vat
from wideberth.core.units import SECONDS_PER_MINUTE, duration_text
from wideberth.core.verdict import Code, coming_off_lines, taking_off_lines

NOT_ALONE = {Code.STICKS_OUT, Code.FALLS_THROUGH, Code.UNDER_LAMP, Code.WRONG_BATH}
"""What does not go well in the station."""


@dataclass(frozen=True)
class Item:
    """Something to do. key : stays the same whatever its figures are. timer_min : for how long; None for what has no time of its
    own. caution : head of the caution that belongs to it, "" for none. station : what of the wash and cure station its timer is,
    "wash" or "cure"; "" for neither."""

    key: str
    text: str
    timer_min: float | None = None
    caution: str = ""
    station: str = ""

    @property
    def caution_text(self) -> str:
        return next((c.text for c in CAUTIONS if c.head == self.caution), "")


@dataclass(frozen=True)
class Phase:
    """A list: what it is for, and its items in their order."""

    name: str
    items: tuple[Item, ...]


def checklist_of(prediction: Prediction) -> tuple[Phase, ...]:
    """Before, the first proof, after, left ready, and after a failure."""
    bench = prediction.job.bench
    return (
        Phase("Before", tuple(_before(prediction, bench))),
        Phase("First proof", tuple(_proof(prediction))),
        Phase("After", tuple(_after(prediction, bench))),
        Phase("Left ready", tuple(_left_ready(bench))),
        Phase("If it failed", tuple(_failed(bench))),
    )


def _before(prediction: Prediction, bench: Bench) -> Iterator[Item]:
    settings, printer = bench.print, bench.printer
    need = prediction.verdict.totals.resin_ml
    yield Item("gloves", f"Gloves and glasses on; read the data sheet: {bench.resin.sheet}.", caution="Resin and solvent")
    yield Item("vat felt", "Feel the vat's floor with a soft scraper: no bits of an earlier print.")
    yield Item("film", "Hold the film against the light: no scratch, no pinhole, no dent.", caution="Machine")
    yield Item("plate clean", "Wipe the plate: no cured resin, no grease.")
    yield Item("plate level", "Plate levelled and its screws tight.")
    yield Item("stirred", f"{bench.resin.name} stirred until no sediment lies on the floor.")
    yield Item("temperature", f"Resin at {settings.vat_c:g} °C, not under {bench.resin.coldest_c:g} °C.")
    most = "" if need <= printer.vat_ml else f" It needs more than the vat holds ({printer.vat_ml:g} mL): top up on the way."
    least = filling_of(taking_of(prediction), Vat(printer.name))
    enough = f"at least {least.before_ml:.0f} mL, so that the film stays covered; the print takes {need:.0f}.{most}"
    yield Item("fill", f"Fill {settings.resin_depth_mm:g} mm deep, never over the mark: {enough}")
    first = f"{settings.first_layers} first ones of {settings.first_exposure_s:g} s"
    yield Item("settings", f"Settings: {settings.layer_height_mm:g} mm layers, {settings.exposure_s:g} s of light, {first}.")


def _proof(prediction: Prediction) -> Iterator[Item]:
    for one in moments(prediction):
        if one.name in ("listen", "first layers done", "look"):
            spoken = f"{duration_text(one.low_s)} to {duration_text(one.high_s)} in (layer {one.layer}): {one.told}."
            yield Item(one.name, spoken[0].upper() + spoken[1:], one.after_s / SECONDS_PER_MINUTE if one.name == "look" else None)


def _after(prediction: Prediction, bench: Bench) -> Iterator[Item]:
    verdict, house, resin = prediction.verdict, bench.house, bench.resin
    care = verdict.care
    yield Item(
        "drip",
        f"Tilt the plate and let it drip {care.drip_min:g} min; every change of tilt begins anew.",
        care.drip_min,
        "Machine",
    )
    if resin.longest_wet_min < bench.hours.after_min:
        yield Item("not longer wet", f"Wet no longer than {resin.longest_wet_min:g} min from here on.", resin.longest_wet_min)
    scrape = Item(
        "off the plate", "Off the plate: " + " ".join(coming_off_lines(verdict.removals, prediction.boxes)), caution="Cutting"
    )
    wash = [
        Item(
            "dirty bath",
            f"Dirty bath, {care.wash_each_min:.0f} min" + ("; it is spent: change it first." if care.bath_spent else "."),
            care.wash_each_min,
            "Resin and solvent",
            "wash",
        ),
        Item(
            "clean bath", f"Clean bath, {care.wash_each_min:.0f} min; turn hollow parts over.", care.wash_each_min, station="wash"
        ),
    ]
    dry = Item("dry", "Dry fully: what is wet cures blotchy.", caution="Fire")
    low, high = care.cure_low_min, care.cure_high_min
    cure = Item("cure", f"Cure {low:.0f} to {high:.0f} min, each side in the light.", low, "Light", "cure")
    off = (
        [Item("supports off", "Supports off. " + " ".join(taking_off_lines(verdict.snaps, bench)), caution="Cutting")]
        if verdict.snaps
        else []
    )
    if off and house.supports_off == "after the first wash":
        off.insert(0, Item("warm water", "Warm water softens the tips; not hot, and no solvent in it."))
    before = off if house.supports_off == "before the wash" else []
    between = off if house.supports_off == "after the first wash" else []
    last = off if house.supports_off == "after the cure" else []
    loose = [scrape, *before, *wash] if not house.washed_on_plate else [*wash, scrape, *before]
    yield from [*loose, *between]
    if between:
        yield Item("rinse", "Rinse once more in the clean bath.", 1.0)
    for finding in verdict.findings:
        if finding.code in NOT_ALONE:
            yield Item(f"{finding.code} {finding.message}", f"{finding.message} {finding.remedy}")
    yield dry
    if any(part.shell is not None for part in prediction.job.parts):
        inner = (
            "no light comes through the walls: shine in by the holes"
            if care.inner_min is None
            else f"inner walls take {care.inner_min:.0f} min"
        )
        yield Item("inside", f"Hollow: {inner}; then blow it dry and look for liquid.", caution="Hollow parts")
    yield cure
    yield from last
    yield Item("scraps", "Cure supports, wipes and scraps, then throw them away as the local rules say.", caution="Waste")
    yield Item("rest", f"No paint for {resin.rest_before_paint_h:g} h.")


def _left_ready(bench: Bench) -> Iterator[Item]:
    yield Item(
        "resin back", f"{bench.resin.name} back through a filter, or the vat covered against light.", caution="Resin and solvent"
    )
    yield Item("vat felt after", "Vat felt for bits, film held against the light.")
    yield Item("plate left", "Plate clean and dry, screen wiped.")
    yield Item("noted", "Time, resin and what happened noted in the log.")


def _failed(bench: Bench) -> Iterator[Item]:
    yield Item("stop", "Stop, let it drip, note the layer and what is heard and seen.")
    yield Item("drain", "Drain the vat through a filter.", caution="Resin and solvent")
    yield Item("peel", "Peel the residue off the film from its edge with a finger, never with a blade.")
    yield Item("pinholes", f"Hold {bench.film.name} against the light: a pinhole means a new film.", caution="Machine")
    yield Item("filtered", "Filter the resin: one flake ruins the next print.")
    yield Item("cause", "Compare with the findings: was it warned of?")
