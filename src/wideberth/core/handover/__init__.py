"""Plate, layers, sheets and reports out."""

from wideberth.core.handover.carrying import Drive
from wideberth.core.handover.converter import Converter, convert, converters
from wideberth.core.handover.first_edges import FirstEdges, drawn_in_mm
from wideberth.core.handover.job_file import save_job, write_package
from wideberth.core.handover.layer_table import layer_table, write_layer_table
from wideberth.core.handover.layers import GREY_LEVELS, write_layers
from wideberth.core.handover.manifest import Manifest
from wideberth.core.handover.plate import write_plate
from wideberth.core.handover.quote_file import (
    NOT_PRICED,
    amount_text,
    beside_row,
    quote_csv,
    quote_rows,
    read_quote,
    sum_text,
    total_text,
    write_quote,
)
from wideberth.core.handover.report import report, write_report
from wideberth.core.handover.sheet import Figure, headline, verdict_text, write_html, write_pdf

__all__ = [
    "GREY_LEVELS",
    "NOT_PRICED",
    "Converter",
    "Drive",
    "Figure",
    "FirstEdges",
    "Manifest",
    "amount_text",
    "beside_row",
    "convert",
    "converters",
    "drawn_in_mm",
    "headline",
    "layer_table",
    "quote_csv",
    "quote_rows",
    "read_quote",
    "report",
    "save_job",
    "sum_text",
    "total_text",
    "verdict_text",
    "write_html",
    "write_layer_table",
    "write_layers",
    "write_package",
    "write_pdf",
    "write_plate",
    "write_quote",
    "write_report",
]
