"""Compiled loops of supports."""
