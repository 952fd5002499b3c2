"""Origins: which face of an old mesh each face of a new one lies on, so that marks stay where they were put."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from wideberth.core.model import Mesh, origins
from wideberth.core.progress import Progress


@dataclass(frozen=True)
class OriginsInput:
    """new : what became of `old`, in the same frame."""

    new: Mesh
    old: Mesh


def face_origins(of: OriginsInput, _: Progress) -> NDArray[np.int64]:
    """See `origins`."""
    return origins(of.new, of.old)
