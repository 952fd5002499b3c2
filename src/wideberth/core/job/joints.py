"""Joints: in what order pieces go together, by which keys, glued or not."""

from __future__ import annotations

from collections.abc import Hashable, Sequence

from wideberth.core.job.job import Job
from wideberth.core.job.part import Part
from wideberth.core.split import Cut


def assembly_lines(job: Job) -> list[str]:
    """Joints of all parts that were cut, those first that are put together first: the last cut is closed first."""
    lines: list[str] = []
    families: dict[Hashable, list[Part]] = {}
    for part in job.parts:
        if part.piece is not None:
            families.setdefault(part.shape, []).append(part)
    for pieces in families.values():
        for depth in range(max(len(p.cuts) for p in pieces), 0, -1):
            done = set()
            for piece in pieces:
                if len(piece.cuts) < depth:
                    continue
                before, cut = piece.cuts[: depth - 1], _upper(piece.cuts[depth - 1])
                sides = [[p for p in pieces if p.cuts[:depth] == (*before, side)] for side in (cut, cut.other_side)]
                if (before, cut) not in done and all(sides):
                    done.add((before, cut))
                    lines.append(f"{len(lines) + 1}. {_joint_text(cut, *(_names(side) for side in sides))}")
    return lines


def _upper(cut: Cut) -> Cut:
    return cut if cut.keep > 0 else cut.other_side


def _names(parts: Sequence[Part]) -> str:
    return " with ".join(p.name for p in parts)


def _joint_text(cut: Cut, upper: str, lower: str) -> str:
    """One joint: which goes into which, and how."""
    step = "" if cut.step is None else f" The joint steps by {abs(cut.step.rise_mm):.1f} mm."
    if not cut.keys:
        faces = "flat faces" if cut.step is None else "faces"
        return f"{upper} onto {lower}: {faces} without a key; glue them before curing, while they lie flat.{step}"
    into, other = (upper, lower) if cut.keys[0].peg_on > 0 else (lower, upper)
    sizes = " and ".join(f"{key.size_mm:.1f}" for key in cut.keys)
    kind = str(cut.keys[0].kind) + ("s" if len(cut.keys) > 1 else "")
    deep, clear = cut.keys[0].depth_mm, cut.clearance_mm
    text = f"{into} into {other}: {kind} of {sizes} mm, {deep:.1f} mm deep, {clear:.2f} mm clear on each side"
    glued = "What is to be glued is glued before curing, since parts warp a little."
    return f"{text}.{step} Try it dry: it goes in one way only. {glued}"
