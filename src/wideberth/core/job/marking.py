"""Marks of a part: faces of its source that are to stay clean, may carry marks, are hidden, or mate."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from wideberth.core.job.part import Part
from wideberth.core.model import MarkKind, mark_of


def with_marked(part: Part, kind: MarkKind | None, faces: NDArray[np.int64]) -> Part:
    """The part with faces of its source (n,) marked as a kind, and as no other; None takes their marks away.

    There is one mark for each kind. It keeps its id as long as it has a face.
    """
    asked = np.unique(np.asarray(faces, np.int64))
    marks, last = [], part.last
    for each in part.marks:
        left = np.union1d(each.faces, asked) if each.kind is kind else np.setdiff1d(each.faces, asked)
        if len(left):
            marks.append(mark_of(each.id, each.kind, left))
    if kind is not None and len(asked) and all(m.kind is not kind for m in marks):
        last += 1
        marks.append(mark_of(f"mark-{last}", kind, asked))
    return replace(part, marks=tuple(marks), last=last)


def marked_as(part: Part, kind: MarkKind) -> NDArray[np.int64]:
    """Faces of the source that are marked as a kind, (n,) rising."""
    own = [m.faces for m in part.marks if m.kind is kind]
    return np.unique(np.concatenate(own)) if own else np.empty(0, np.int64)
