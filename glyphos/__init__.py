"""Glyphos: a recorded line of dialogue becomes facial motion."""

__version__ = "0.4.0"
