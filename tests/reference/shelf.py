"""A shelf of boxes: what packing by true outlines is compared with."""

from __future__ import annotations

from wideberth.core.bench import Printer


def arrange(sizes_mm: list[tuple[float, float]], printer: Printer, apart_mm: float) -> list[tuple[float, float]] | None:
    """Centres of boxes in rows, the deepest first, the whole centred on the plate; None when they do not fit.

    Parameters
    ----------
    sizes_mm : (x, y) of each box, supports and base included.
    """
    order = sorted(range(len(sizes_mm)), key=lambda i: -sizes_mm[i][1])
    rows: list[list[int]] = []
    width = 0.0
    for i in order:
        needed = sizes_mm[i][0] + (apart_mm if rows and rows[-1] else 0.0)
        if rows and width + needed <= printer.plate_x_mm:
            rows[-1].append(i)
            width += needed
        else:
            rows.append([i])
            width = sizes_mm[i][0]
    depth = sum(max(sizes_mm[i][1] for i in row) for row in rows) + apart_mm * (len(rows) - 1)
    widest = max((s[0] for s in sizes_mm), default=0.0)
    if depth > printer.plate_y_mm or widest > printer.plate_x_mm:
        return None
    centres = [(0.0, 0.0)] * len(sizes_mm)
    y = -depth / 2
    for row in rows:
        deepest = max(sizes_mm[i][1] for i in row)
        x = -(sum(sizes_mm[i][0] for i in row) + apart_mm * (len(row) - 1)) / 2
        for i in row:
            centres[i] = (x + sizes_mm[i][0] / 2, y + deepest / 2)
            x += sizes_mm[i][0] + apart_mm
        y += deepest + apart_mm
    return centres
