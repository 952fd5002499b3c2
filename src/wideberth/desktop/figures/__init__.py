"""Small figures that several pages share: charts, and pictures of parts."""

from wideberth.desktop.figures.plots import Plot, beside_plots
from wideberth.desktop.figures.thumb import thumb

__all__ = ["Plot", "beside_plots", "thumb"]
