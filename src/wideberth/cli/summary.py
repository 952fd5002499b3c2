"""The verdict in a few lines of text."""

from __future__ import annotations

from rich.console import Console
from rich.table import Table

from wideberth.core.handover import headline
from wideberth.core.predict import Prediction, hold_words
from wideberth.core.propose import minutes
from wideberth.core.verdict import counted

SIGNS = {"lost": "◆", "doubtful": "◇", "note": "·"}
SHOWN = 20


def print_summary(prediction: Prediction) -> None:
    """Print the headline figures and the worst findings."""
    console = Console()
    table = Table(box=None, show_header=False, padding=(0, 2, 0, 0))
    for figure in headline(prediction):
        table.add_row(figure.value, figure.label, style="bold" if figure.mark else "")
    console.print(f"{prediction.job.title}: {prediction.loads.layers} layers of {prediction.layer_mm:g} mm", markup=False)
    console.print(table)
    for drained in prediction.drainage:
        part = prediction.job.part(drained.part)
        hold = hold_words(drained.best.down, part.pose.rotation)
        console.print(
            f"{part.name}: {counted(len(drained.cells.chambers), 'void')}; {drained.hanging.stays_ml:.1f} mL stay hanging, "
            f"{drained.best.stays_ml:.1f} mL at best ({hold}), out in {minutes(drained.seconds)}",
            markup=False,
            highlight=False,
        )
    for finding in prediction.verdict.findings[:SHOWN]:
        console.print(
            f"{SIGNS[finding.severity]} {finding.severity}, {finding.z_mm:.2f} mm: {finding.message} {finding.remedy}",
            markup=False,
            highlight=False,
        )
    left = len(prediction.verdict.findings) - SHOWN
    if left > 0:
        console.print(f"... and {left} more findings")
