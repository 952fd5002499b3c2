"""Scaffold: supports and base as meshes, around the part's own place."""

from __future__ import annotations

from dataclasses import dataclass

from wideberth.core.bench import SupportSettings
from wideberth.core.model import Mesh
from wideberth.core.progress import Progress
from wideberth.core.support import Supports, supports_mesh


@dataclass(frozen=True)
class ScaffoldInput:
    """supports : without reasons and pins."""

    supports: Supports
    settings: SupportSettings


def scaffold(of: ScaffoldInput, _: Progress) -> Mesh | None:
    """See `supports_mesh`."""
    return supports_mesh(of.supports, of.settings)
