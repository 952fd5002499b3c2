"""How fine a prediction is: coarse for previews or fine for the verdict."""

from __future__ import annotations

from dataclasses import dataclass, replace

from wideberth.core.bench import Bench
from wideberth.core.layers import FINE_SQUEEZE, GLANCE_SQUEEZE, PREVIEW_SQUEEZE, SqueezeEffort

FINE_PITCH_MM = 0.1
PREVIEW_PITCH_MM = 0.4
PREVIEW_LAYER_MM = 0.2
GLANCE_PITCH_MM = 1.0
GLANCE_LAYER_MM = 0.5
PREVIEW_TRIANGLES, GLANCE_TRIANGLES = 40_000, 10_000
"""Of a part's stand-in at most."""


@dataclass(frozen=True)
class Fineness:
    """Rows, layers and solver of a prediction.

    layers_as_one : printed layers that are taken together for previews. light : on stand-ins of the parts, of so many `triangles`
    at most. brief : pulls and margins alone are wanted, neither their ranges nor what follows a failure, nor what sags or how all
    comes off the plate, nor what carries the bumps of ceilings or which supports pass through the part. filled : shells count as
    solid, but for their holes, as deep as these go.
    """

    pitch_mm: float
    layers_as_one: int
    squeeze: SqueezeEffort
    light: bool
    brief: bool = False
    triangles: int = PREVIEW_TRIANGLES
    filled: bool = False

    @property
    def stand_ins(self) -> int:
        """Triangles of the stand-ins that are taken, 0 for the parts themselves."""
        return self.triangles if self.light else 0


def fine(pitch_mm: float = FINE_PITCH_MM) -> Fineness:
    """The verdict's own fineness."""
    return Fineness(pitch_mm, 1, FINE_SQUEEZE, False)


def as_tips_are_judged() -> Fineness:
    """The verdict's own, but brief, and on parts that are filled: a shell makes no difference to tips."""
    return replace(fine(), brief=True, filled=True)


def preview(bench: Bench) -> Fineness:
    """Rows of 0.4 mm and layers of about 0.2 mm, on lighter stand-ins."""
    return Fineness(PREVIEW_PITCH_MM, max(1, round(PREVIEW_LAYER_MM / bench.print.layer_height_mm)), PREVIEW_SQUEEZE, True)


def glance(bench: Bench) -> Fineness:
    """Half as fine as a preview, for what is still held by the mouse."""
    layers = max(1, int(GLANCE_LAYER_MM / bench.print.layer_height_mm))
    return Fineness(GLANCE_PITCH_MM, layers, GLANCE_SQUEEZE, True, True, GLANCE_TRIANGLES)
