"""The model step: its panel, its leaves, and what it does by itself."""

from wideberth.desktop.steps.model.examiner import Examiner
from wideberth.desktop.steps.model.step import ModelStep

__all__ = ["Examiner", "ModelStep"]
