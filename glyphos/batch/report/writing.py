"""A report as three files: a page to read, a table, and JSON."""

from __future__ import annotations

import csv
import io
from pathlib import Path

from ...files import json_lines, write_atomic
from ..running import Run
from .page import page_of
from .rows import Row, rows_of

HEAD = ("line", "speaker", "state", "seconds", "doubt", "bad", "poor", "note", "problem", "words", "files")  # fmt: skip


def write_report(run: Run) -> Path:
    """Write report.html, .csv and .json into the run's folder; the page's path. SaveError if that fails."""
    rows = rows_of(run.outcomes)
    write_atomic(run.target / "report.csv", to_csv(rows))
    write_atomic(run.target / "report.json", to_json(run, rows))
    path = run.target / "report.html"
    write_atomic(path, page_of(run, rows))
    return path


def to_csv(rows: list[Row]) -> bytes:
    """A row a line, those in most doubt first."""
    made = io.StringIO()
    writer = csv.writer(made, lineterminator="\n")
    writer.writerow(HEAD)
    for row in rows:
        o = row.outcome
        writer.writerow((o.line.slug, o.line.speaker, o.state, f"{o.line.duration:.3f}", row.doubt, row.count("bad"),
                         row.count("poor"), row.count("note"), o.problem, o.line.title, " ".join(o.files)))  # fmt: skip
    return made.getvalue().encode()


def to_json(run: Run, rows: list[Row]) -> bytes:
    """The same with all findings."""
    document = {
        "format": "glyphos-batch-report", "version": 1, "fps": run.fps, "seconds": round(run.seconds, 3),
        "core_seconds": round(run.cpu, 3), "workers": run.workers, "refused": run.refused,
        "lines": [
            {"line": r.outcome.line.slug, "speaker": r.outcome.line.speaker, "state": r.outcome.state,
             "seconds": r.outcome.line.duration, "doubt": r.doubt, "problem": r.outcome.problem,
             "files": r.outcome.files, "findings": r.outcome.findings}
            for r in rows
        ],
    }  # fmt: skip
    return json_lines(document)
