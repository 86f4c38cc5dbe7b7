"""Glyphos: a recorded line of dialogue becomes facial motion."""

__version__ = "0.1.0"
