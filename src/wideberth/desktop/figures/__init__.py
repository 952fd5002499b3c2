"""Small figures that several pages share: charts, and pictures of parts."""

from wideberth.desktop.figures.plots import Plot, beside_plots

__all__ = ["Plot", "beside_plots"]
