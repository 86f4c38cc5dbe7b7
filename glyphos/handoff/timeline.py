"""Scenes to and from OpenTimelineIO (the interchange format of editing programs): a track a lane, a marker a
word. What of a foreign timeline a scene cannot hold is told."""

from __future__ import annotations

import os
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Any
from urllib.parse import quote, unquote, urlsplit

import msgspec

from ..errors import DocumentError, GlyphosError
from ..files import write_atomic
from ..production.documents import Line, slugify
from ..production.production import Production
from ..production.scenes import bed_brought_in
from ..scene.documents import LONGEST, LOUDEST, Clip, Lane, Scene, check_scene
from ..scene.made import placed
from ..speech.recording import probe
from .brought import Brought, apart, by_file
from .filming import Filming

OURS = "glyphos"  # key of what only we know, in the metadata
DEEPEST = 8  # timelines in timelines


# ---- out ------------------------------------------------------------------------------------------


def save_otio(filming: Filming, path: Path) -> Path:
    """A scene as a timeline; media are named relative to it."""
    write_atomic(path, to_otio(filming, path.parent).to_json_string().encode() + b"\n")
    return path


def to_otio(filming: Filming, folder: Path) -> Any:
    """The timeline. folder: where it will lie."""
    from opentimelineio import opentime, schema

    fps, scene = float(filming.look.fps), filming.scene

    def span(start: float, length: float) -> Any:
        return opentime.TimeRange(
            opentime.RationalTime(start * fps, fps), opentime.RationalTime(length * fps, fps)
        )

    made = schema.Timeline(scene.name, global_start_time=opentime.RationalTime(0, fps))
    made.metadata[OURS] = {"scene": scene.slug}
    for lane in scene.lanes:
        track = schema.Track(lane.name, kind=schema.TrackKind.Audio)
        track.enabled = not lane.mute
        track.metadata[OURS] = {"speaks": lane.speaks, "gain": lane.gain}
        at = 0.0
        for clip in sorted(lane.clips, key=lambda c: c.start):
            if clip.start > at + 1e-6:
                track.append(schema.Gap(source_range=span(0.0, clip.start - at)))
            whole = filming.whole(clip)
            lasts = clip.lasts(whole)
            media = schema.ExternalReference(
                _url(filming.source(clip), folder), available_range=span(0.0, whole)
            )
            item = schema.Clip(_title(filming, clip), media, span(clip.cut, lasts))
            item.metadata[OURS] = {
                "line": clip.line, "gain": clip.gain, "fade_in": clip.fade_in, "fade_out": clip.fade_out,
            }  # fmt: skip
            for word in filming.words(clip):
                item.markers.append(
                    schema.Marker(word.text, span(word.start, word.end - word.start))
                )
            track.append(item)
            at = clip.start + lasts
        made.tracks.append(track)
    return made


def _title(filming: Filming, clip: Clip) -> str:
    return filming.line(clip).title if clip.line else Path(clip.audio).stem


def _url(path: Path, folder: Path) -> str:
    """A file relative to the timeline, as a URL."""
    return quote(Path(os.path.relpath(path, folder)).as_posix())


# ---- in -------------------------------------------------------------------------------------------


@dataclass(frozen=True)
class _Found:
    """A clip of a timeline: seconds on its axis, and what it is cut from."""

    clip: Any
    start: float
    cut: float
    length: float


def from_otio(path: Path, production: Production, *, name: str = "") -> Brought:
    """A scene of a timeline: clips of a line's recording become clips of that line, other sounds are brought
    into the production. DocumentError for a file that is none, or in which nothing sounds."""
    timeline, said = _opened(path), list[str]()
    slug = slugify(name or timeline.name or path.stem, {s.slug for s in production.scenes})
    lanes: list[Lane] = []
    lines, sounds = by_file(production), dict[Path, str]()
    for number, track in enumerate(timeline.tracks or (), 1):
        title = track.name or f"track {number}"
        own: dict[tuple[str, bool], list[Clip]] = {}
        for found in _items(track, 0.0, said, title):
            kept = _kept(found, path.parent, production, lines, sounds, said, title)
            if kept is not None:
                speaker, speaks, clip = kept
                own.setdefault((speaker, speaks), []).append(clip)
        about = _ours(track)
        for (speaker, speaks), clips in own.items():
            gain = _number(about.get("gain"), -90, LOUDEST)
            for layer in apart(clips):
                lanes.append(Lane(speaker, tuple(layer), speaks, gain, mute=not track.enabled))
    if not lanes:
        raise DocumentError(
            f"Nothing in {path.name} can be placed in a scene: "
            + (" ".join(said[:3]) or "it has no clips.")
        )
    scene = Scene(slug, name or timeline.name or path.stem, tuple(lanes))
    scene = Scene(slug, scene.name, scene.lanes, placed(scene.speakers))
    check_scene(scene)
    return Brought(scene, said)


def _opened(path: Path) -> Any:
    import opentimelineio as otio

    if not path.is_file():
        raise DocumentError(f"There is no file {path}; check its name.")
    try:
        read = otio.adapters.read_from_string(path.read_text("utf-8"), "otio_json")
    except Exception as error:  # what the library raises is not one family
        line = str(error).strip().splitlines()[0] if str(error).strip() else type(error).__name__
        raise DocumentError(
            f"{path.name} is no timeline that can be read: {line}.".replace("..", ".")
        ) from None
    if isinstance(read, otio.schema.SerializableCollection):
        read = next((x for x in read if isinstance(x, otio.schema.Timeline)), read)
    if not isinstance(read, otio.schema.Timeline):
        raise DocumentError(f"{path.name} holds no timeline; export one from the editing program.")
    return read


def _ours(thing: Any) -> dict[str, Any]:
    """What we noted about a track or a clip, if it is still so."""
    noted = thing.metadata.get(OURS)
    return dict(noted) if isinstance(noted, Mapping) else {}


def _items(parent: Any, at: float, said: list[str], title: str, deep: int = 0) -> Iterator[_Found]:
    """Clips of a track or a stack on the axis of the whole, also of those that lie in others."""
    import opentimelineio as otio

    if deep > DEEPEST:
        said.append(
            f"{title}: timelines lie in each other too deeply; what is further in is left out."
        )
        return
    for item in parent:
        if isinstance(item, otio.schema.Transition):
            said.append(
                f"{title}: the transition “{item.name or 'without a name'}” is left out; clips keep their ends."
            )
            continue
        try:
            place = parent.range_of_child(item)
            length = item.duration().to_seconds()
            cut = item.trimmed_range().start_time.to_seconds()
        except Exception:
            said.append(f"{title}: “{item.name or 'a clip'}” has no length and is left out.")
            continue
        start = at + place.start_time.to_seconds()
        if isinstance(item, otio.schema.Gap):
            continue
        if any(isinstance(e, otio.schema.TimeEffect) for e in item.effects):
            said.append(
                f"{title}: “{item.name}” plays at its own speed; the change of speed is left out."
            )
        if isinstance(item, otio.schema.Clip):
            yield _Found(item, start, cut, length)
        else:
            for inner in _items(item, start - cut, said, title, deep + 1):
                low, high = max(inner.start, start), min(inner.start + inner.length, start + length)
                if high > low + 1e-6:
                    yield _Found(inner.clip, low, inner.cut + low - inner.start, high - low)


def _kept(
    found: _Found, folder: Path, production: Production, lines: dict[str, Line], sounds: dict[Path, str],
    said: list[str], title: str,
) -> tuple[str, bool, Clip] | None:  # fmt: skip
    """Lane, whether it speaks, and the clip; None for what is told to be left out. sounds: brought in already."""
    import opentimelineio as otio

    media = found.clip.media_reference
    called = found.clip.name or "a clip"
    if not isinstance(media, otio.schema.ExternalReference) or not media.target_url:
        said.append(f"{title}: “{called}” has no media and is left out.")
        return None
    begins = media.available_range.start_time.to_seconds() if media.available_range else 0.0
    about = _ours(found.clip)
    clip = Clip(
        round(max(0.0, found.start), 9), cut=round(max(0.0, found.cut - begins), 9), length=round(found.length, 9),
        gain=_number(about.get("gain"), -90, LOUDEST), fade_in=_number(about.get("fade_in"), 0, found.length),
        fade_out=_number(about.get("fade_out"), 0, found.length),
    )  # fmt: skip
    if (
        not all(0 <= x <= LONGEST for x in (clip.start, clip.cut, clip.length))
        or clip.length < 1e-3
    ):
        said.append(
            f"{title}: “{called}” has no length, or lies beyond all bounds, and is left out."
        )
        return None
    try:
        path = _path(media.target_url, folder)
    except ValueError:  # no URL, or no name of a file
        said.append(f"{title}: “{called}” has no media and is left out.")
        return None
    line = lines.get(str(path)) or lines.get(path.name)
    if line is not None:
        return line.speaker, True, msgspec.structs.replace(clip, line=line.slug)
    try:
        probe(path)
        if path not in sounds:
            sounds[path] = bed_brought_in(production.folder, path)
    except GlyphosError as error:
        said.append(f"{title}: “{called}” is left out: {error}")
        return None
    return title, False, msgspec.structs.replace(clip, audio=sounds[path])


def _number(value: object, low: float, high: float) -> float:
    """What a foreign file says, within bounds; 0 for what is no number."""
    known = isinstance(value, (int, float)) and value == value
    return min(max(float(value), low), high) if known else 0.0  # type: ignore[arg-type]


def _path(url: str, folder: Path) -> Path:
    """The file a reference names: a URL of this machine, or a path from the timeline on."""
    parts = urlsplit(url)
    text = unquote(parts.path) if parts.scheme in ("", "file") else url
    return (folder / text).resolve()
