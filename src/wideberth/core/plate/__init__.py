"""The plate: where each part stands."""

from wideberth.core.plate.arrange import arrange

__all__ = ["arrange"]
