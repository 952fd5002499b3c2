"""Sound: a copy of the mended mesh that closes and agrees with itself, as far as it can."""

from __future__ import annotations

from dataclasses import dataclass

from wideberth.core.model import Mesh, Sound, sound_copy
from wideberth.core.progress import Progress


@dataclass(frozen=True)
class SoundInput:
    """mesh : as it was mended."""

    mesh: Mesh


def sound(of: SoundInput, progress: Progress) -> Sound:
    """See `sound_copy`."""
    return sound_copy(of.mesh, progress)
