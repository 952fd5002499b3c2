"""Time, when to start, what a run uses and what it costs."""

from wideberth.core.plan.clock import Moment, TimeShares, first_seen, moments, run_of, says_text, time_shares
from wideberth.core.plan.presence import Attendance, Landing, Run, Span, bright, landings, least_hanging, present
from wideberth.core.plan.quote import Change, Quote, QuoteLine, changes, counts_worth_telling, quote_of
from wideberth.core.plan.usage import Usage, film_share, usage_of

__all__ = [
    "Attendance",
    "Change",
    "Landing",
    "Moment",
    "Quote",
    "QuoteLine",
    "Run",
    "Span",
    "TimeShares",
    "Usage",
    "bright",
    "changes",
    "counts_worth_telling",
    "film_share",
    "first_seen",
    "landings",
    "least_hanging",
    "moments",
    "present",
    "quote_of",
    "run_of",
    "says_text",
    "time_shares",
    "usage_of",
]
