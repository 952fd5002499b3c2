"""A quote, added up by hand."""

from __future__ import annotations

import re
from dataclasses import replace
from decimal import Decimal
from pathlib import Path

import pytest
from PIL import Image

from wideberth.core.bench import Bench, breaks_of, load_named
from wideberth.core.errors import BadBench
from wideberth.core.handover import write_quote
from wideberth.core.plan import Usage, changes, counts_worth_telling, quote_of, wear_lines

RUN = Usage("Plate 1", 53.04, 5.93, 1.11, 1747, 0.0474, 0.000557, 1.9, 38.2, 0.41, 73, 21.4)


@pytest.fixture
def shop(bench: Bench) -> Bench:
    """The museum's workshop, with resin at 38 EUR a litre."""
    priced = bench.with_section("trade", load_named("trade", "museum-workshop"), "test")
    return priced.with_value("resin.price_per_litre", 38.0).with_value("resin.currency", "EUR")


def test_one_set_to_the_cent_by_hand(shop: Bench) -> None:
    quote = quote_of("Bell", shop, [RUN])
    by_hand = {
        "preparing": "19.00",  # 0.50 h × 38
        "resin": "2.01",  # 0.0530 L × 38 = 2.014
        "film": "1.14",  # 0.0474 × 24 = 1.1376
        "screen": "0.06",  # 0.0006 × 95 = 0.057
        "solvent": "0.12",  # 0.038 L × 3.2 = 0.1216
        "gloves": "0.70",  # 2 × 0.35
        "filter": "0.40",
        "energy": "0.13",  # 0.41 × 0.31 = 0.1271
        "machine": "8.30",  # 5.93 × 1.4 = 8.302
        "starting": "9.50",  # 0.25 h × 38
        "work after": "38.00",  # 1 h × 38
        "supports off": "2.28",  # 73 × 0.05 min = 3.65 min = 0.06 h × 38
        "finishing": "13.68",  # 21.4 min = 0.36 h × 38
    }
    assert {line.name: str(line.sum) for line in quote.lines} == by_hand
    # all but preparing 76.32; 0.08/0.92 = 8.70 %: 6.63984; cost 101.96; 20 %: 20.392; net 122.35; 19 %: 23.2465
    assert quote.failures.sum == Decimal("6.64") and quote.margin.sum == Decimal("20.39")
    assert (quote.net, quote.tax.sum, quote.total) == (Decimal("122.35"), Decimal("23.25"), Decimal("145.60"))
    assert quote.is_complete and quote.currency == "EUR"


def test_five_sets_are_prepared_once_and_cheaper_by_four_per_cent(shop: Bench) -> None:
    quote = quote_of("Bell", shop, [RUN], 5)
    sums = {line.name: line.sum for line in quote.all_lines}
    assert sums["preparing"] == Decimal("19.00") and sums["work after"] == Decimal("190.00")
    assert sums["resin"] == Decimal("10.07")  # 5 × 0.0530 L × 38
    price = sum((sums[n] for n in sums if n not in ("discount", "tax")), Decimal(0))  # type: ignore[misc]
    assert sums["discount"] == -(price * Decimal("0.04")).quantize(Decimal("0.01"))
    assert quote.total == price + sums["discount"] + sums["tax"]  # type: ignore[operator]
    assert quote.each == (quote.total / 5).quantize(Decimal("0.01"))
    assert counts_worth_telling(shop) == (1, 5, 20)


@pytest.mark.parametrize("count", [1, 2, 4, 5, 19, 20, 137])
def test_every_line_is_its_amount_times_its_price_and_the_total_their_sum(shop: Bench, count: int) -> None:
    quote = quote_of("Bell", shop, [RUN, replace(RUN, name="Plate 2", tips=11, hours=11.777, resin_ml=7.3)], count)
    total = Decimal(0)
    for line in quote.all_lines:
        assert line.sum is not None and line.price is not None
        product = line.amount * line.price / (100 if line.unit == "%" else 1)
        assert abs(line.sum - product) <= Decimal("0.005"), line
        assert line.sum == line.sum.quantize(Decimal("0.01"))
        total += line.sum
    assert quote.total == total


@pytest.mark.parametrize(
    ("key", "named"),
    [
        ("trade.film_each", {"film"}),
        ("trade.screen_each", {"screen"}),
        ("trade.machine_per_h", {"machine"}),
        ("resin.price_per_litre", {"resin"}),
        ("trade.labour_per_h", {"preparing", "starting", "work after", "supports off", "finishing"}),
        ("trade.failure_share", {"failures"}),
        ("trade.margin_share", {"margin"}),
        ("trade.tax_share", {"tax"}),
    ],
)
def test_a_missing_price_is_named_and_never_zero(shop: Bench, key: str, named: set[str]) -> None:
    quote = quote_of("Bell", shop.with_value(key, None), [RUN])
    assert set(quote.missing) == named and not quote.is_complete
    assert all(line.sum is None for line in quote.all_lines if line.name in named)
    assert quote.total < quote_of("Bell", shop, [RUN]).total


def test_a_price_of_zero_is_a_price(shop: Bench) -> None:
    quote = quote_of("Bell", shop.with_value("trade.gloves_each", 0.0), [RUN])
    assert quote.is_complete and quote.lines[5].sum == Decimal("0.00")


def test_a_resin_priced_in_another_currency_is_not_added(shop: Bench) -> None:
    quote = quote_of("Bell", shop.with_value("resin.currency", "SEK"), [RUN])
    assert quote.missing == ("resin",) and "SEK" in quote.lines[1].source


def test_marks_that_were_not_looked_at_are_not_free(shop: Bench) -> None:
    assert quote_of("Bell", shop, [replace(RUN, finishing_min=None)]).missing == ("finishing",)


def test_what_differs_from_a_quote_that_was_sent(shop: Bench) -> None:
    sent, now = quote_of("Bell", shop, [RUN]), quote_of("Bell", shop, [replace(RUN, hours=9.93)])
    told = {c.name: (c.was, c.now) for c in changes(sent, now)}
    assert told["machine"] == (Decimal("8.30"), Decimal("13.90"))
    assert set(told) == {"machine", "failures", "margin", "tax", "total"}
    assert changes(sent, sent) == (changes(sent, sent)[-1],) and changes(sent, sent)[0].was == sent.total


@pytest.mark.parametrize("text", ["5: 4 %, 5: 9 %", "1: 4 %", "five: 4 %", "5: 400 %", "5: -4 %", "5 4"])
def test_discounts_that_are_none_are_refused(shop: Bench, text: str) -> None:
    with pytest.raises(BadBench):
        shop.with_value("trade.breaks", text)


def test_discounts_are_read_in_order() -> None:
    assert breaks_of("20: 9 %, 5:4.5%") == ((5, "4.5"), (20, "9")) and breaks_of("") == ()


def test_wear_in_words(shop: Bench) -> None:
    """125 h of film against 60,000 pulls: 5.93 h are 4.7 %, 1,747 pulls 2.9 %; the screen counts light alone."""
    told = dict(wear_lines([RUN], shop))
    assert "4.7 % of its life by its 125 h" in told["Film"] and "one lasts 21 such jobs" in told["Film"]
    assert "1.11 h of light, 0.056 % of 2000 h" in told["Screen"] and "in one fill" in told["Vat"]
    many = dict(wear_lines([replace(RUN, hours=1.0, film_share=1747 / 60000)], shop))
    assert "2.9 % of its life by its 60,000 pulls" in many["Film"]
    assert "top up" in dict(wear_lines([replace(RUN, resin_ml=1200.0)], shop))["Vat"]


def test_the_sender_s_logo_heads_the_pdf_and_what_is_none_is_said(
    shop: Bench, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path))
    quote, out = quote_of("Bell", shop, [RUN]), tmp_path / "quote.pdf"

    def pictures() -> list[bytes]:
        write_quote([quote], shop.trade, out)
        return [each for each in out.read_bytes().split(b"endobj") if re.search(rb"/Subtype\s*/Image", each)]

    assert pictures() == []
    logo = tmp_path / "wide-berth" / "logo.png"
    logo.parent.mkdir()
    Image.new("RGB", (300, 90), "navy").save(logo)
    (drawn,) = pictures()
    assert b"/Width 300" in drawn and b"/Height 90" in drawn
    before = out.read_bytes()
    for content in (b"", b"no picture", logo.read_bytes()[:60], b"\x89PNG\r\n\x1a\n" + b"\0" * 5_000_000):
        logo.write_bytes(content)
        with pytest.raises(BadBench, match=r"logo\.png"):
            write_quote([quote], shop.trade, out)
        assert out.read_bytes() == before
