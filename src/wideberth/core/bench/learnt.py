"""What of a bench was learnt from prints, as its sources say it."""

from __future__ import annotations

from wideberth.core.bench.bench import Bench

FITTED = "fitted from "


def source_of_fit(prints: int) -> str:
    """As a bench value says where it comes from: `fitted from 12 prints`."""
    return f"{FITTED}{prints:,} print{'s' if prints != 1 else ''}"


def fitted_counts(bench: Bench) -> dict[str, int]:
    """From how many prints each value was fitted, by key; those that were not are left out."""
    counts = {}
    for key, source in bench.sources:
        if source.startswith(FITTED) and source.endswith(("print", "prints")):
            number = source.removeprefix(FITTED).split()[0].replace(",", "")
            if number.isdigit() and int(number):
                counts[key] = int(number)
    return counts


def fitted_prints(bench: Bench) -> int:
    """From how many prints the coefficients of a bench were fitted, the most of any; 0 for none."""
    counts = fitted_counts(bench)
    return max((counts[key] for key in fitted_keys(bench)), default=0)


def fitted_keys(bench: Bench) -> tuple[str, ...]:
    """Coefficients that were fitted from prints, without their ranges."""
    return tuple(sorted(key for key in fitted_counts(bench) if not key.startswith(("ranges.", "laws.time_", "trade."))))
