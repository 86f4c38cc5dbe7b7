"""A report as one HTML page that needs no network: a table sorted by doubt, the mouths of each line, what was found.

Pictures and previews lie beside it and are loaded as they come into sight.
"""

from __future__ import annotations

import time
from html import escape
from importlib.resources import files
from urllib.parse import quote

from ...proof.finding import Finding
from ...speech.script import read_aloud
from ..running import Run
from .rows import Row

SIGNS = {"bad": "✗", "poor": "!", "note": "·"}
STATES = {"done": "done", "there": "there already", "failed": "failed", "listened": "listened"}
MOST = 12  # findings of a line that are written out
MANY = 3  # findings of one check, above which they are told as one


def page_of(run: Run, rows: list[Row]) -> bytes:
    """The page of a run."""
    refused = "".join(f"<li>{escape(text)}</li>" for text in run.refused)
    left_out = f"<details><summary>{len(run.refused)} left out</summary><ul>{refused}</ul></details>" if refused else ""  # fmt: skip
    return paged(run.target.resolve().name, _summary(run, rows), rows, left_out)


def paged(title: str, summary: str, rows: list[Row], more: str = "") -> bytes:
    """A page of rows. summary, more: HTML under its heading."""
    data = files("glyphos.data") / "report"
    style, script = ((data / n).read_text(encoding="utf-8") for n in ("report.css", "report.js"))
    body, name = "\n".join(map(_row, rows)), escape(title)
    heads = "".join(
        f'<th scope="col" aria-sort="{"descending" if key == "doubt" else "none"}"><button data-key="{key}">{text}</button></th>'
        for key, text in (("line", "Line"), ("speaker", "Speaker"), ("seconds", "Seconds"), ("doubt", "Doubt"))
    )  # fmt: skip
    page = f"""<!doctype html>
<html lang="en"><head><meta charset="utf-8"><meta name="viewport" content="width=device-width, initial-scale=1">
<title>{name}: report</title><style>{style}</style></head><body>
<header><h1>{name}</h1><p>{summary}</p>{more}
<form role="search"><label>Find <input type="search" id="find" autocomplete="off"></label>
<label><input type="checkbox" id="only"> only lines with something bad or poor</label>
<output id="shown" aria-live="polite"></output></form></header>
<main><table><caption>Lines, those in most doubt first</caption>
<thead><tr>{heads}<th scope="col">Mouths, and what was found</th></tr></thead>
<tbody>
{body}
</tbody></table></main><script>{script}</script></body></html>
"""
    return page.encode()


def _summary(run: Run, rows: list[Row]) -> str:
    failed = sum(r.outcome.state == "failed" for r in rows)
    grave = sum(bool(r.count("bad") or r.count("poor")) for r in rows)
    spoken = sum(r.outcome.line.duration for r in rows)
    parts = [
        f"{len(rows)} lines, {spoken / 60:.1f} minutes of speech",
        f"<strong>{failed} failed</strong>" if failed else "none failed",
        f"{grave} with something to look at",
        f"{run.fps} frames a second",
        f"{run.seconds:.0f} s on {run.workers} workers",
        time.strftime("%Y-%m-%d %H:%M", time.localtime(run.began)),
    ]
    return " · ".join(parts)


def _row(row: Row) -> str:
    o, line = row.outcome, row.outcome.line
    words = escape(read_aloud(line.title)[:160])
    mouths = f'<img data-src="{quote(o.mouths)}" alt="Mouths of {escape(line.slug)}">' if o.mouths else ""  # fmt: skip
    kinds = _kinds(row)
    found = [_findings(kind) for kind in kinds[:MOST]]
    if len(kinds) > MOST:
        found.append(f"<li>and {len(kinds) - MOST} more</li>")
    if o.problem:
        found.insert(0, f'<li class="bad"><b>✗ failed</b> {escape(o.problem)}</li>')
    listed = f"<ul>{''.join(found)}</ul>" if found else ""
    links = [f'<a href="{quote(f)}">{escape(f.partition("/")[2] or f)}</a>' for f in o.files]
    if o.preview:
        links.append(f'<a href="{quote(o.preview)}">preview</a>')
    made = f'<p class="files">{" ".join(links)}</p>' if links else ""
    worst = "bad" if o.problem or row.count("bad") else "poor" if row.count("poor") else "fine"
    return (
        f'<tr class="{worst}" data-line="{escape(line.slug)}" data-speaker="{escape(line.speaker)}" '
        f'data-seconds="{line.duration:.2f}" data-doubt="{row.doubt:g}">'
        f'<th scope="row">{escape(line.slug)}<small>{STATES[o.state]}</small></th><td>{escape(line.speaker)}</td>'
        f'<td class="number">{line.duration:.1f}</td><td class="number">{_doubt(row)}</td>'
        f"<td><p>{words}</p>{mouths}{listed}{made}</td></tr>"
    )


def _doubt(row: Row) -> str:
    counts = [f"{SIGNS[s]} {row.count(s)}" for s in ("bad", "poor", "note") if row.count(s)]
    return "failed" if row.outcome.state == "failed" else "<br>".join(counts) or "–"


def _gravity(finding: Finding) -> tuple[int, float]:
    return list(SIGNS).index(finding.severity), finding.start


def _kinds(row: Row) -> list[list[Finding]]:
    """Findings of one check together where there are many, the gravest first."""
    by_check: dict[str, list[Finding]] = {}
    for finding in row.open:
        by_check.setdefault(finding.check, []).append(finding)
    kinds: list[list[Finding]] = []
    for own in by_check.values():
        kinds += [own] if len(own) > MANY else [[f] for f in own]
    return sorted(kinds, key=lambda own: min(map(_gravity, own)))


def _findings(own: list[Finding]) -> str:
    first = min(own, key=_gravity)
    at = f"{first.start:.2f} s" if first.end > 0 else ""
    more = ""
    if len(own) > 1:
        times = ", ".join(f"{f.start:.2f}" for f in own[1:])
        more = f" <small>(and {len(own) - 1} more such: {times} s)</small>"
    return f'<li class="{first.severity}"><b>{SIGNS[first.severity]} {at}</b> {escape(first.text)}{more}</li>'
