"""Time, when to start, what a run uses and what it costs, checklists and cautions."""

from wideberth.core.plan.beside import Beside, beside
from wideberth.core.plan.cautions import CAUTIONS, DEFERS, HONEST, ROUGH, Caution, cautions_of
from wideberth.core.plan.checklist import Item, Phase, checklist_of
from wideberth.core.plan.clock import Moment, TimeShares, first_seen, moments, run_of, says_text, time_shares
from wideberth.core.plan.filling import Filling, Taking, TopUp, filling_lines, filling_of, taking_of
from wideberth.core.plan.presence import Attendance, Landing, Run, Span, bright, landings, lasting, later, least_hanging, present
from wideberth.core.plan.quote import Change, Quote, QuoteLine, changes, counts_worth_telling, quote_of
from wideberth.core.plan.runs import predicted_runs
from wideberth.core.plan.ticks import NO_TICKS, TickFile, Ticks, key_of
from wideberth.core.plan.usage import Usage, film_share, usage_of
from wideberth.core.plan.wanted import wanted_of
from wideberth.core.plan.wear import behind_lines, wear_lines
from wideberth.core.plan.week import Begun, Wanted, clash, waits_of, week_of

__all__ = [
    "CAUTIONS",
    "DEFERS",
    "HONEST",
    "NO_TICKS",
    "ROUGH",
    "Attendance",
    "Begun",
    "Beside",
    "Caution",
    "Change",
    "Filling",
    "Item",
    "Landing",
    "Moment",
    "Phase",
    "Quote",
    "QuoteLine",
    "Run",
    "Span",
    "Taking",
    "TickFile",
    "Ticks",
    "TimeShares",
    "TopUp",
    "Usage",
    "Wanted",
    "behind_lines",
    "beside",
    "bright",
    "cautions_of",
    "changes",
    "checklist_of",
    "clash",
    "counts_worth_telling",
    "filling_lines",
    "filling_of",
    "film_share",
    "first_seen",
    "key_of",
    "landings",
    "lasting",
    "later",
    "least_hanging",
    "moments",
    "predicted_runs",
    "present",
    "quote_of",
    "run_of",
    "says_text",
    "taking_of",
    "time_shares",
    "usage_of",
    "waits_of",
    "wanted_of",
    "wear_lines",
    "week_of",
]
