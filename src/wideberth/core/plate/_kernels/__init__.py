"""Compiled loops of the plate."""
