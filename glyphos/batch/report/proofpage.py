"""What Proof found in a production, as a page of the same kind as a report."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from html import escape

from ...production.documents import Line
from ...production.production import Production
from ...proof.finding import Finding
from ..job import Outcome
from .page import paged
from .rows import rows_of


def proof_page(production: Production, lines: Sequence[Line], found: Mapping[str, list[Finding]]) -> bytes:  # fmt: skip
    """Lines with what is found in them, those in most doubt first. found: by slug, under "" what is of none."""
    rows = rows_of([Outcome(x, "listened", findings=tuple(found.get(x.slug, ()))) for x in lines])
    grave = sum(bool(r.count("bad") or r.count("poor")) for r in rows)
    summary = f"{len(rows)} lines · {grave} with something to look at"
    whole = "".join(f"<li>{escape(f.text)}</li>" for f in found.get("", ()))
    return paged(production.header.name, summary, rows, f"<ul>{whole}</ul>" if whole else "")
