"""The page of the plan: the tide table, the quote, the checklist."""

from wideberth.desktop.planpage.page import PlanPage

__all__ = ["PlanPage"]
