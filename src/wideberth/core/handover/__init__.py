"""Plate, layers, sheets and reports out."""

from wideberth.core.handover.cautions import CAUTIONS, DEFERS, HONEST, ROUGH, Caution, cautions_of
from wideberth.core.handover.job_file import save_job, write_package
from wideberth.core.handover.layer_table import layer_table, write_layer_table
from wideberth.core.handover.layers import GREY_LEVELS, write_layers
from wideberth.core.handover.plate import write_plate
from wideberth.core.handover.report import report, write_report
from wideberth.core.handover.sheet import Figure, headline, write_html, write_pdf

__all__ = [
    "CAUTIONS",
    "DEFERS",
    "GREY_LEVELS",
    "HONEST",
    "ROUGH",
    "Caution",
    "Figure",
    "cautions_of",
    "headline",
    "layer_table",
    "report",
    "save_job",
    "write_html",
    "write_layer_table",
    "write_layers",
    "write_package",
    "write_pdf",
    "write_plate",
    "write_report",
]
