"""What a job costs, line by line, each with its source; to the cent, in decimal arithmetic."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from decimal import ROUND_HALF_UP, Decimal

from wideberth.core.bench import Bench, breaks_of
from wideberth.core.plan.usage import Usage
from wideberth.core.units import SECONDS_PER_MINUTE

CENT = Decimal("0.01")
NONE = Decimal(0)
HUNDRED = Decimal(100)
ML_PER_L = 1000.0


@dataclass(frozen=True)
class QuoteLine:
    """One line: so much of something at a price. amount : as it is shown, so that amount times price is the sum. price, sum :
    None where it is not priced. source : where the amount and the price come from."""

    name: str
    amount: Decimal
    unit: str
    price: Decimal | None
    sum: Decimal | None
    source: str


@dataclass(frozen=True)
class Quote:
    """A job's price for a count of sets.

    lines : what it costs. failures, discount, margin, tax : shares of what stands before them; None where the share is not
    known. missing : what is not priced; with any of it, the total is only of the rest.
    """

    title: str
    count: int
    currency: str
    lines: tuple[QuoteLine, ...]
    failures: QuoteLine
    margin: QuoteLine
    discount: QuoteLine | None
    tax: QuoteLine

    @property
    def all_lines(self) -> tuple[QuoteLine, ...]:
        """Every line, in the order in which they add up."""
        return (*self.lines, self.failures, self.margin, *((self.discount,) if self.discount else ()), self.tax)

    @property
    def missing(self) -> tuple[str, ...]:
        return tuple(line.name for line in self.all_lines if line.sum is None)

    @property
    def is_complete(self) -> bool:
        return not self.missing

    @property
    def net(self) -> Decimal:
        """Before tax, of what is priced."""
        return sum((line.sum for line in self.all_lines[:-1] if line.sum is not None), NONE)

    @property
    def total(self) -> Decimal:
        """With tax, of what is priced."""
        return self.net + (self.tax.sum or NONE)

    @property
    def each(self) -> Decimal:
        """Of one set, to the cent."""
        return (self.total / self.count).quantize(CENT, ROUND_HALF_UP)


def quote_of(title: str, bench: Bench, runs: Sequence[Usage], count: int = 1) -> Quote:
    """A quote for some sets of a job, each of the runs once for each set.

    Parameters
    ----------
    runs : of one set. count : of sets, one at least.

    Raises
    ------
    ValueError : when there is no run, or no set.
    """
    if not runs or count < 1:
        raise ValueError("a quote is for one run of one set at least")
    trade = bench.trade
    lines = _lines(bench, runs, count)
    once = lines[0].sum or NONE
    repeated = sum((line.sum for line in lines[1:] if line.sum is not None), NONE)
    failures = _failures(trade.failure_share, repeated)
    cost = once + repeated + (failures.sum or NONE)
    margin = _share("margin", trade.margin_share, cost, "of what it costs")
    price = cost + (margin.sum or NONE)
    discount = _discount(trade.breaks, count, price)
    net = price + (discount.sum or NONE if discount else NONE)
    tax = _share("tax", trade.tax_share, net, "of the price")
    return Quote(title, count, trade.currency or bench.resin.currency, lines, failures, margin, discount, tax)


def counts_worth_telling(bench: Bench) -> tuple[int, ...]:
    """One set, and each count from which there is a discount."""
    return (1, *(count for count, _ in breaks_of(bench.trade.breaks)))


def _lines(bench: Bench, runs: Sequence[Usage], count: int) -> tuple[QuoteLine, ...]:
    """What it costs: preparing first, once; then what each run needs, for all sets."""
    trade, resin = bench.trade, bench.resin

    def total(of: Callable[[Usage], float], step: str) -> Decimal:
        return sum((_decimal(of(run), step) for run in runs), NONE) * count

    def work(of: Callable[[Usage], float]) -> Decimal:
        return total(lambda run: of(run) / SECONDS_PER_MINUTE, "0.01")

    in_currency = resin.price_per_litre is None or not trade.currency or resin.currency == trade.currency
    of_resin = "with supports, and what clings to them and stays in the vat"
    if not in_currency:
        of_resin = f"its price is in {resin.currency or 'no currency'}, the others are in {trade.currency}"
    looked_at = all(run.finishing_min is not None for run in runs)
    tips = sum(run.tips for run in runs)
    light = "laser" if bench.printer.light == "laser" else "screen"
    pay = trade.labour_per_h
    return (
        _line("preparing", _decimal(trade.prepare_min / SECONDS_PER_MINUTE, "0.01"), "h", pay, "of work, once for all sets"),
        _line(
            "resin",
            total(lambda run: run.resin_ml / ML_PER_L, "0.0001"),
            "L",
            resin.price_per_litre if in_currency else None,
            of_resin,
        ),
        _line(
            "film",
            total(lambda run: run.film_share, "0.0001"),
            "lives",
            trade.film_each,
            "by hours of printing or by pulls, whichever wears it sooner",
        ),
        _line(light, total(lambda run: run.screen_share, "0.0001"), "lives", trade.screen_each, "by hours of exposure alone"),
        _line(
            "solvent",
            total(lambda run: run.bath_ml / ML_PER_L, "0.001"),
            "L",
            trade.solvent_per_litre,
            "that its resin wears out",
        ),
        _line("gloves", Decimal(trade.gloves_pairs * len(runs) * count), "pairs", trade.gloves_each, "for each run"),
        _line("filter", Decimal(len(runs) * count), "", trade.filter_each, "one for each run"),
        _line("energy", total(lambda run: run.energy_kwh, "0.01"), "kWh", trade.energy_per_kwh, "printer and lamp"),
        _line("machine", total(lambda run: run.hours, "0.01"), "h", trade.machine_per_h, "of printing"),
        _line("starting", work(lambda _: trade.start_min), "h", pay, "of work before each run"),
        _line("work after", work(lambda _: bench.hours.after_min), "h", pay, "resin back, vat, plate, wash and cure, each run"),
        _line("supports off", work(lambda run: run.tips * trade.tip_off_min), "h", pay, f"{tips:,} tips a set"),
        _line(
            "finishing",
            work(lambda run: run.finishing_min or 0.0),
            "h",
            pay if looked_at else None,
            "of the marks of tips, by the kind of surface" if looked_at else "the marks of its tips are not looked at yet",
        ),
    )


def _line(name: str, amount: Decimal, unit: str, price: float | None, source: str) -> QuoteLine:
    exact = None if price is None else Decimal(str(price))
    return QuoteLine(name, amount, unit, exact, None if exact is None else _cents(amount * exact), source)


def _failures(share: float | None, repeated: Decimal) -> QuoteLine:
    """What runs that fail cost: of n runs that succeed, n p/(1 - p) fail before."""
    source = "of what runs need: of runs that come out well, so many fail before"
    if share is None:
        return QuoteLine("failures", NONE, "%", None, None, source)
    p = Decimal(str(share))
    extra = (p / (1 - p) * HUNDRED).quantize(CENT, ROUND_HALF_UP)
    return QuoteLine("failures", extra, "%", repeated, _cents(repeated * extra / HUNDRED), source)


def _share(name: str, share: float | None, of: Decimal, source: str) -> QuoteLine:
    if share is None:
        return QuoteLine(name, NONE, "%", None, None, source)
    per_cent = Decimal(str(share)) * HUNDRED
    return QuoteLine(name, per_cent, "%", of, _cents(of * per_cent / HUNDRED), source)


def _discount(breaks: str, count: int, price: Decimal) -> QuoteLine | None:
    """What is taken off for many; None for few."""
    reached = [(least, per_cent) for least, per_cent in breaks_of(breaks) if count >= least]
    if not reached:
        return None
    least, text = reached[-1]
    per_cent = -Decimal(text)
    return QuoteLine("discount", per_cent, "%", price, _cents(price * per_cent / HUNDRED), f"from {least} sets on")


def _cents(amount: Decimal) -> Decimal:
    return amount.quantize(CENT, ROUND_HALF_UP)


def _decimal(value: float, step: str) -> Decimal:
    """A measured amount to as many places as are shown of it."""
    return Decimal(repr(float(value))).quantize(Decimal(step), ROUND_HALF_UP)


@dataclass(frozen=True)
class Change:
    """A line of two quotes: what it was, and what it would be now; None where there is no such line, or no price."""

    name: str
    was: Decimal | None
    now: Decimal | None


def changes(sent: Quote, now: Quote) -> tuple[Change, ...]:
    """What differs between a quote that was sent and one that would be sent now, the total last."""
    before, after = ({line.name: line.sum for line in quote.all_lines} for quote in (sent, now))
    names = [*before, *(name for name in after if name not in before)]
    differ = [Change(n, before.get(n), after.get(n)) for n in names if before.get(n) != after.get(n)]
    return (*differ, Change("total", sent.total, now.total))
