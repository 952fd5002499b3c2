"""The plate: where each part stands."""

from wideberth.core.plate.pack import Goal, Item, Packed, pack

__all__ = ["Goal", "Item", "Packed", "pack"]
