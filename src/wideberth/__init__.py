"""Wide Berth: print preparation for masked-light resin printers."""

__version__ = "0.1.0"
