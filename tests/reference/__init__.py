"""Slow, obvious second methods that the engine is compared with."""
