"""What is wrong with files that were handed over: checks of Proof over what the production remembers."""

from __future__ import annotations

from collections.abc import Iterator
from fractions import Fraction
from pathlib import Path

from ..proof.finding import Finding
from ..proof.whole import Pieces, Whole, check_whole
from ..rates import frame_rate
from .handed import Entry, known_folders, state_of

COMMON = "common practice, no source"
FRAMES = 1.5  # that a clip may be short of its sound: its last frame is the one the sound ends in


def _entries(whole: Whole) -> Iterator[tuple[Path, str, Entry]]:
    for known in known_folders(whole.production):
        for name, entry in known.entries.items():
            asked = whole.only is None or entry.line in whole.only
            if asked and whole.production.has(entry.line):
                yield known.folder, name, entry


@check_whole("file-gone", "handing", "files that were handed over and are gone", COMMON)
def gone(whole: Whole) -> Pieces:
    for folder, name, entry in _entries(whole):
        if not (folder / name).exists():
            yield entry.line, "poor", f"{name} is no longer in {folder.name}; hand it over again.", 0.0, 0.0, 0.0  # fmt: skip


@check_whole("stale-export", "handing", "files that are older than their lines", COMMON)
def stale(whole: Whole) -> Pieces:
    production = whole.production
    for folder, name, entry in _entries(whole):
        line = production.line(entry.line)
        now = state_of(line, production.character_for(line.speaker))
        if now != entry.of and (folder / name).exists():
            yield entry.line, "poor", f"{name} in {folder.name} was made before the line was changed; hand it over again.", 0.0, 0.0, 0.0  # fmt: skip


@check_whole("frame-rate", "handing", "files at another frame rate than the production", COMMON)
def rate(whole: Whole) -> Pieces:
    for folder, name, entry in _entries(whole):
        if (folder / name).exists() and frame_rate(entry.fps) != whole.fps:
            yield entry.line, "poor", f"{name} in {folder.name} has {entry.fps} frames a second, the production has {_plain(whole.fps)}.", 0.0, 0.0, float(frame_rate(entry.fps))  # fmt: skip


@check_whole("clip-short", "handing", "clips shorter than their sound", COMMON)
def short(whole: Whole) -> Pieces:
    for folder, name, entry in _entries(whole):
        frames = _frames(folder / name) if ".curves." in name and name.endswith(".csv") else None
        fps = float(frame_rate(entry.fps))
        if frames is not None and frames + FRAMES < entry.seconds * fps:
            less = entry.seconds - frames / fps
            yield entry.line, "bad", f"{name} in {folder.name} is {less:.2f} s shorter than its sound; hand it over again.", 0.0, 0.0, less  # fmt: skip


def by_handing(finding: Finding) -> bool:
    """Whether it goes away once the line is handed over again (`handed.again`)."""
    return finding.family == "handing" and bool(finding.line) and not finding.accepted


def _frames(path: Path) -> int | None:
    try:
        return max(0, path.read_bytes().count(b"\n") - 1)
    except OSError:
        return None


def _plain(fps: Fraction) -> str:
    return str(fps.numerator) if fps.denominator == 1 else f"{float(fps):.3f}"
