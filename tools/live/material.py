"""Recordings to teach the live mouth with and to measure it on: sound, sounds in time, offline curves.

A folder is what `glyphos batch RECORDINGS --to FOLDER --steps listen,perform,hand --formats csv --fps 60` leaves.
"""

from __future__ import annotations

import csv
import json
from collections.abc import Sequence
from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np
import soxr
from numpy.typing import NDArray

from glyphos.live.speaker import CLOSED_TO
from glyphos.speech.recording import open_recording

Array = NDArray[np.float64]
Floats = NDArray[np.float32]
RATE = 16_000
LEAD = 0.040  # seconds by which offline curves lead the sound
NOISES = ("clean", "white", "babble")


@dataclass(frozen=True)
class Line:
    """samples (n,) at 16 kHz; phones (ipa, start, end); times (m,) of the offline curves, seconds; curves (m,) each."""

    name: str
    samples: Floats
    phones: tuple[tuple[str, float, float], ...]
    times: Array
    curves: dict[str, Array]

    @property
    def seconds(self) -> float:
        return len(self.samples) / RATE

    @property
    def voice(self) -> str:
        return self.name.rpartition("-")[0] or self.name

    def closures(self) -> Array:
        """Middle of the closed part of each p, b and m, in the time of the sound."""
        return np.array(
            [a + (0.15 + CLOSED_TO[p]) / 2 * (b - a) for p, a, b in self.phones if p in CLOSED_TO]
        )

    def gaps(self, least: float) -> list[tuple[float, float]]:
        """Silences of at least so many seconds between sounds."""
        ends = [0.0, *(b for _, _, b in self.phones)]
        starts = [*(a for _, a, _ in self.phones), self.seconds]
        return [(a, b) for a, b in zip(ends, starts, strict=True) if b - a >= least]


def load(folder: Path, doubt: float = 1.0) -> list[Line]:
    """All lines of a batch that were listened to, with at most so much doubt by its report, and handed over."""
    doubts = doubts_of(folder / "report.csv")
    documents = sorted((folder / "lines").glob("*.json"))
    return [
        load_line(p)
        for p in documents
        if curves_of(p).exists() and doubts.get(p.stem, 0.0) <= doubt
    ]


def doubts_of(report: Path) -> dict[str, float]:
    if not report.exists():
        return {}
    with report.open(encoding="utf-8") as file:
        return {r["line"]: float(r["doubt"] or 1) for r in csv.DictReader(file)}


def curves_of(document: Path) -> Path:
    return document.parents[1] / "handoff" / f"{document.stem}.curves.csv"


def load_line(document: Path) -> Line:
    made = json.loads(document.read_text(encoding="utf-8"))
    samples = np.array(open_recording(document.parents[1] / made["audio"]).samples, np.float32)
    phones = tuple(
        (p["ipa"], float(p["start"]), float(p["end"]))
        for q in made["reading"]["phrases"] for w in q["words"] for p in w["phones"]
    )  # fmt: skip
    with curves_of(document).open(encoding="utf-8") as file:
        rows = list(csv.DictReader(file))
    curves = {
        c: np.array([float(r[c]) for r in rows]) for c in rows[0] if c not in ("frame", "seconds")
    }
    return Line(
        document.stem, samples, phones, np.array([float(r["seconds"]) for r in rows]), curves
    )


def power_of(line: Line) -> float:
    """Mean power of its sounds alone."""
    spoken = np.zeros(len(line.samples), bool)
    for _, a, b in line.phones:
        spoken[int(a * RATE) : int(b * RATE)] = True
    return float((line.samples[spoken].astype(float) ** 2).mean())


def behind(line: Line, noise: Array, decibels: float) -> Line:
    """The line with noise under its sounds' own mean power by so many dB."""
    scaled = noise * np.sqrt(power_of(line) / (noise**2).mean() * 10 ** (-decibels / 10))
    return replace(line, samples=np.asarray(line.samples + scaled, np.float32))


def babble(n: int, others: Sequence[Line], draw: np.random.Generator, voices: int = 8) -> Array:
    """Stretches of other lines, backwards, on top of each other."""
    noise = np.zeros(n)
    for k in draw.permutation(len(others))[:voices]:
        x = others[k].samples[::-1].astype(float)
        x = np.tile(x / np.sqrt((x**2).mean()), n // len(x) + 2)
        at = int(draw.integers(0, len(x) - n))
        noise += x[at : at + n]
    return noise


def noisy(line: Line, kind: str, others: Sequence[Line], decibels: float = 15.0) -> Line:
    """clean, white or babble of other voices; the same every time."""
    draw = np.random.default_rng(sum(map(ord, line.name)))
    if kind == "clean":
        return line
    if kind == "white":
        return behind(line, draw.normal(0, 1, len(line.samples)), decibels)
    return behind(
        line,
        babble(len(line.samples), [x for x in others if x.voice != line.voice], draw),
        decibels,
    )


def slower(line: Line, by: float) -> Line:
    """The line played slower and lower by a factor: another length of throat, another tempo."""
    x = np.asarray(soxr.resample(line.samples, RATE, RATE * by), np.float32)
    phones = tuple((p, a * by, b * by) for p, a, b in line.phones)
    return replace(line, samples=x, phones=phones, times=line.times * by)


def lasting(line: Line, seconds: float, level: float) -> Line:
    """The line with faint hiss behind it, until it lasts so long."""
    more = max(0, round(seconds * RATE) - len(line.samples))
    quiet = level * np.random.default_rng(more).normal(0, 1, more)
    return replace(line, samples=np.asarray(np.append(line.samples, quiet), np.float32))


def joined(lines: Sequence[Line], gaps: Sequence[float], level: float) -> Line:
    """Lines one after the other, with gaps of so many seconds of faint hiss (linear level) before each."""
    draw = np.random.default_rng(len(lines))
    samples: list[Floats] = []
    phones: list[tuple[str, float, float]] = []
    names = list(lines[0].curves)
    times, values = [0.0], [np.zeros(len(names))]
    at = 0.0
    for line, gap in zip(lines, gaps, strict=True):
        quiet = np.asarray(level * draw.normal(0, 1, round(gap * RATE)), np.float32)
        samples += [quiet, line.samples]
        at += len(quiet) / RATE
        phones += [(p, at + a, at + b) for p, a, b in line.phones]
        times += (at + line.times).tolist()
        values += list(np.stack([line.curves[n] for n in names], 1))
        at += line.seconds
    table = np.array(values)
    return Line(lines[0].name, np.concatenate(samples), tuple(phones), np.array(times),
                {n: table[:, k] for k, n in enumerate(names)})  # fmt: skip
