"""Health: how a mended mesh is."""

from __future__ import annotations

from dataclasses import dataclass

from wideberth.core.model import Health, Mesh, examine
from wideberth.core.progress import Progress


@dataclass(frozen=True)
class HealthInput:
    """mesh : as it was mended."""

    mesh: Mesh


def health(of: HealthInput, progress: Progress) -> Health:
    """See `examine`."""
    return examine(of.mesh, progress)
