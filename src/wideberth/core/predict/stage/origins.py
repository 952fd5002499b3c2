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


@dataclass(frozen=True, eq=False)
class Origins:
    """face : (faces of the new mesh,) numbers of faces of the old one, -1 for none."""

    face: NDArray[np.int64]


def face_origins(of: OriginsInput, _: Progress) -> Origins:
    """See `origins`."""
    return Origins(origins(of.new, of.old))
