"""The bench page: everything a prediction rests on, to choose, edit, compare, mix, warm and test."""

from wideberth.desktop.benchpage.charts import MarginChart
from wideberth.desktop.benchpage.page import BenchPage

__all__ = ["BenchPage", "MarginChart"]
