"""Shipped tables: CSV with comment lines, read once."""

from __future__ import annotations

import csv
from functools import cache
from importlib.resources import files


@cache
def rows(name: str) -> tuple[dict[str, str], ...]:
    """Rows of `data/<name>`; lines that begin with # are comments."""
    text = (files("glyphos.data") / name).read_text(encoding="utf-8")
    kept = [line for line in text.splitlines() if line.strip() and not line.startswith("#")]
    return tuple(csv.DictReader(kept))
