"""The plan: the plate from above, where prints are moved by hand."""

from wideberth.desktop.plan.view import PlanView

__all__ = ["PlanView"]
