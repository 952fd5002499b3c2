"""The controls of each step, one file a step."""

from wideberth.desktop.steps.bench import BenchStep
from wideberth.desktop.steps.drain import DrainStep
from wideberth.desktop.steps.handover import HandoverStep
from wideberth.desktop.steps.hollow import HollowStep
from wideberth.desktop.steps.log import LogStep
from wideberth.desktop.steps.model import ModelStep
from wideberth.desktop.steps.orient import OrientStep
from wideberth.desktop.steps.plan import PlanStep
from wideberth.desktop.steps.plate import PlateStep
from wideberth.desktop.steps.predict import PredictStep
from wideberth.desktop.steps.split import SplitStep
from wideberth.desktop.steps.support import SupportStep

STEPS = (
    BenchStep, ModelStep, SplitStep, HollowStep, OrientStep, DrainStep, SupportStep, PlateStep, PredictStep, PlanStep,
    HandoverStep, LogStep,
)  # fmt: skip

__all__ = [
    "STEPS", "BenchStep", "DrainStep", "HandoverStep", "HollowStep", "LogStep", "ModelStep", "OrientStep", "PlanStep",
    "PlateStep", "PredictStep", "SplitStep", "SupportStep",
]  # fmt: skip
