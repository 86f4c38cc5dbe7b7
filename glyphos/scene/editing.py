"""What hands do to a scene: clips are moved, trimmed, nudged, split; lines and sounds come and go. Every
function gives another scene and never lets two clips of a lane be heard at once.

`whole(clip)` is how long the sound of a clip is, uncut, in seconds. A clip is known by its lane and its place
in it, which stay the same while it is moved.
"""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterable, Sequence
from itertools import pairwise

import msgspec

from ..errors import EditError
from .documents import Clip, Lane, Scene, Shot
from .made import ON, Spoken, placed, scene_of

Where = tuple[int, int]  # lane, clip
Whole = Callable[[Clip], float]
SHORTEST = 0.04  # seconds that a clip has at least
NEAR = 1e-6
replace = msgspec.structs.replace


def clip_at(scene: Scene, where: Where) -> Clip:
    """The clip at a place."""
    return scene.lanes[where[0]].clips[where[1]]


def there(scene: Scene, where: Where) -> bool:
    """Whether there is a clip at a place."""
    return 0 <= where[0] < len(scene.lanes) and 0 <= where[1] < len(scene.lanes[where[0]].clips)


def places(scene: Scene) -> list[Where]:
    """Places of all clips, in time."""
    found = [(a, b) for a, lane in enumerate(scene.lanes) for b in range(len(lane.clips))]
    return sorted(found, key=lambda w: (clip_at(scene, w).start, w))


def end_of(clip: Clip, whole: Whole) -> float:
    """When a clip ends in the scene."""
    return clip.start + clip.lasts(whole(clip))


def with_clips(scene: Scene, changed: dict[Where, Clip]) -> Scene:
    """The scene with other clips at places; EditError where their lane is locked."""
    lanes = list(scene.lanes)
    for (a, b), clip in changed.items():
        if clip != lanes[a].clips[b]:
            _unlocked(lanes[a])
            clips = list(lanes[a].clips)
            clips[b] = clip
            lanes[a] = replace(lanes[a], clips=tuple(clips))
    return replace(scene, lanes=tuple(lanes))


def _unlocked(lane: Lane) -> None:
    if lane.lock:
        raise EditError(f"The lane {lane.name} is locked; unlock it first.")


# ---- moving ---------------------------------------------------------------------------------------


def room(scene: Scene, wheres: Collection[Where], by: float, whole: Whole) -> float:
    """How far clips can be moved together, nearest to `by` seconds: not before the beginning, not over
    others of their lanes; they may go past them."""
    own = [(w, clip_at(scene, w)) for w in wheres]
    if not own:
        return 0.0
    least = -min(c.start for _, c in own)
    walls: list[tuple[float, float]] = []  # shifts that would lay one clip on another
    for (a, _), clip in own:
        end = end_of(clip, whole)
        for b, other in enumerate(scene.lanes[a].clips):
            if (a, b) not in wheres:
                walls.append((other.start - end, end_of(other, whole) - clip.start))

    def free(shift: float) -> bool:
        return shift >= least - NEAR and not any(
            low + NEAR < shift < high - NEAR for low, high in walls
        )

    wanted = max(by, least)
    if free(wanted):
        return wanted
    edges = [least, *(e for wall in walls for e in wall)]
    return min((e for e in edges if free(e)), key=lambda e: abs(e - by), default=0.0)


def moved(scene: Scene, wheres: Collection[Where], by: float, whole: Whole) -> Scene:
    """Clips moved together by seconds, as far as there is room."""
    shift = room(scene, wheres, by, whole)
    return with_clips(scene, {w: _later(clip_at(scene, w), shift) for w in wheres})


def _later(clip: Clip, by: float) -> Clip:
    return replace(clip, start=_round(max(0.0, clip.start + by)))


def _round(seconds: float) -> float:
    return round(seconds, 6)


def rippled(scene: Scene, since: float, by: float, *, but: Collection[Where] = ()) -> Scene:
    """Everything that begins at a time or later comes later by seconds (earlier: not before what lies in
    front of it in time): clips of lanes that are not locked, and shots."""
    lanes = tuple(
        lane if lane.lock else replace(lane, clips=tuple(
            _later(c, by) if c.start >= since - NEAR and (a, b) not in but else c for b, c in enumerate(lane.clips)
        ))
        for a, lane in enumerate(scene.lanes)
    )  # fmt: skip
    shots = tuple(
        replace(s, start=_round(max(0.0, s.start + by))) if s.start >= since - NEAR and s.start > 0 else s
        for s in scene.shots
    )  # fmt: skip
    return replace(scene, lanes=lanes, shots=shots)


def moved_with_all(scene: Scene, wheres: Collection[Where], by: float, whole: Whole) -> Scene:
    """Clips moved, and all that comes later with them: gaps behind stay as they are."""
    since = min(clip_at(scene, w).start for w in wheres)
    for a, _ in wheres:
        _unlocked(scene.lanes[a])
    late = [
        (a, b) for a, lane in enumerate(scene.lanes) if not lane.lock
        for b, c in enumerate(lane.clips) if c.start >= since - NEAR
    ]  # fmt: skip
    shift = max(by, -since)
    for a in {w[0] for w in late}:  # past others nothing goes that is to keep its order
        clips = scene.lanes[a].clips
        first = min(clips[w[1]].start for w in late if w[0] == a)
        before = [end_of(c, whole) for b, c in enumerate(clips) if (a, b) not in late]
        shift = max(shift, min(0.0, max(before, default=-first) - first))
    return rippled(scene, since, shift)


# ---- ends -----------------------------------------------------------------------------------------


def trimmed(scene: Scene, where: Where, side: str, at: float, whole: Whole, *, ripple: bool = False) -> Scene:  # fmt: skip
    """The beginning or the end (`side`) of a clip at a time of the scene; what is seen of its sound stays
    where it is. ripple: what comes later follows an end, or closes up behind a beginning."""
    clip, lane = clip_at(scene, where), scene.lanes[where[0]]
    end, long = end_of(clip, whole), whole(clip)
    others = [c for b, c in enumerate(lane.clips) if b != where[1]]
    if side == "start":
        low = max(
            clip.start - clip.cut,
            0.0,
            *(end_of(c, whole) for c in others if c.start < clip.start),
        )
        at = min(max(at, low), end - SHORTEST)
        by = at - clip.start
        made = replace(clip, start=_round(at), cut=_round(clip.cut + by), length=_round(end - at))
        if ripple:
            made = replace(made, start=clip.start)
    else:
        high = clip.start + long - clip.cut
        if not ripple:
            high = min([high, *(c.start for c in others if c.start > clip.start)])
        at = max(min(at, high), clip.start + SHORTEST)
        by = at - end
        made = replace(clip, length=_round(at - clip.start))
    if made.length >= long - made.cut - 1e-4:
        made = replace(made, length=0.0)  # all that there is
    changed = with_clips(scene, {where: made})
    if ripple:
        shift = -by if side == "start" else by
        changed = rippled(changed, end - 1e-3, shift, but=(where,))
        changed = with_clips(changed, {where: made})
    return changed


def split(scene: Scene, where: Where, at: float, whole: Whole) -> Scene:
    """A clip cut into two at a time of the scene."""
    clip = clip_at(scene, where)
    _unlocked(scene.lanes[where[0]])
    end = end_of(clip, whole)
    if not clip.start + SHORTEST <= at <= end - SHORTEST:
        raise EditError("Place the playhead within the clip that is to be cut.")
    first = replace(clip, length=_round(at - clip.start), fade_out=0.0)
    second = replace(
        clip, start=_round(at), cut=_round(clip.cut + at - clip.start), length=_round(end - at) if clip.length else 0.0, fade_in=0.0
    )  # fmt: skip
    lanes = list(scene.lanes)
    clips = list(lanes[where[0]].clips)
    clips[where[1]] = first
    lanes[where[0]] = replace(lanes[where[0]], clips=(*clips, second))
    return replace(scene, lanes=tuple(lanes))


def with_sound(scene: Scene, where: Where, whole: Whole, **values: float) -> Scene:
    """A clip with another gain or other fades; fades have room within it."""
    clip = clip_at(scene, where)
    lasts = clip.lasts(whole(clip))
    known = {
        k: round(min(max(v, 0.0), lasts), 6) if k.startswith("fade") else min(max(v, -90.0), 24.0)
        for k, v in values.items()
    }
    return with_clips(scene, {where: replace(clip, **known)})


# ---- coming and going -----------------------------------------------------------------------------


def without(scene: Scene, wheres: Collection[Where]) -> Scene:
    """Clips taken out; speakers and sounds that have none left go with them."""
    lanes, gone = [], False
    for a, lane in enumerate(scene.lanes):
        clips = tuple(c for b, c in enumerate(lane.clips) if (a, b) not in wheres)
        if clips != lane.clips:
            _unlocked(lane)
            if not clips and not lane.moves:
                gone = True
                continue
        lanes.append(replace(lane, clips=clips))
    made = replace(scene, lanes=tuple(lanes))
    if gone:
        made = replace(made, places=tuple(p for p in made.places if p.speaker in made.speakers))
    return made


def with_lines(scene: Scene, lines: Sequence[Spoken], whole: Whole, at: float | None = None) -> Scene:  # fmt: skip
    """Lines brought in, with natural gaps among them: from a time on as near as there is room, or after all
    that is said."""
    if not scene.lanes:
        fresh = scene_of(lines, slug=scene.slug, name=scene.name)
        return replace(scene, lanes=fresh.lanes, places=fresh.places, shots=fresh.shots or scene.shots)  # fmt: skip
    own = scene_of(lines, slug=scene.slug)
    first = min(c.start for lane in own.lanes for c in lane.clips)
    after = max((end_of(c, whole) for x in scene.lanes if x.speaks for c in x.clips), default=0.0)
    shift = (at if at is not None else after + ON - lines[0].first) - first
    lanes = list(scene.lanes)
    for lane in own.lanes:
        k = next((k for k, x in enumerate(lanes) if x.speaks and x.name == lane.name), None)
        if k is None:
            k = 1 + max((j for j, x in enumerate(lanes) if x.speaks), default=-1)
            lanes.insert(k, Lane(lane.name))
        _unlocked(lanes[k])
        for clip in lane.clips:
            made = Scene("", lanes=(replace(lanes[k], clips=(*lanes[k].clips, clip)),))
            last = (0, len(lanes[k].clips))
            lanes[k] = moved(made, [last], max(shift, -clip.start), whole).lanes[0]
    speakers = tuple(x.name for x in lanes if x.speaks)
    made = replace(scene, lanes=tuple(lanes))
    if set(speakers) - {p.speaker for p in scene.places}:
        made = replace(made, places=placed(tuple(dict.fromkeys(speakers))))
    return made


def with_bed(scene: Scene, name: str, audio: str, at: float, gain: float) -> Scene:
    """Another sound on a lane of its own."""
    clip = Clip(_round(max(0.0, at)), audio=audio, fade_in=0.5, fade_out=1.0)
    return replace(scene, lanes=(*scene.lanes, Lane(name, (clip,), False, gain)))


def with_lane(scene: Scene, number: int, **values: object) -> Scene:
    """A lane that is mute, solo, locked, louder, or has another name."""
    lanes = list(scene.lanes)
    lanes[number] = replace(lanes[number], **values)
    return replace(scene, lanes=tuple(lanes))


def in_order(scene: Scene, order: Sequence[Where], whole: Whole) -> Scene:
    """Lines said in another order; the gaps stay where they are: between the first and the second, and so
    on. Recordings of one speaker never overlap."""
    now = [w for w in places(scene) if scene.lanes[w[0]].speaks]
    if sorted(now) != sorted(order):
        raise EditError("Only the lines of the scene can be put in order.")
    if not now:
        return scene
    clips = [clip_at(scene, w) for w in now]
    gaps = [b.start - end_of(a, whole) for a, b in pairwise(clips)]
    at = clips[0].start
    made: dict[Where, Clip] = {}
    ends: dict[int, float] = {}
    for k, where in enumerate(order):
        clip = clip_at(scene, where)
        start = max(at, ends.get(where[0], 0.0))
        made[where] = replace(clip, start=_round(start))
        ends[where[0]] = end_of(made[where], whole)
        at = max(0.0, ends[where[0]] + (gaps[k] if k < len(gaps) else 0.0))
    return with_clips(scene, made)


def pause_before(scene: Scene, where: Where, whole: Whole) -> tuple[float, str] | None:
    """Seconds from the end of the clip of a line that began before, and whose it is; None for the first."""
    clip = clip_at(scene, where)
    before = [
        (c.start, end_of(c, whole), lane.name)
        for lane in scene.lanes if lane.speaks for c in lane.clips if c is not clip and c.start <= clip.start
    ]  # fmt: skip
    if not before:
        return None
    _, end, name = max(before)
    return clip.start - end, name


# ---- shots ----------------------------------------------------------------------------------------


def with_shot(scene: Scene, shot: Shot) -> Scene:
    """A shot from its beginning on, in place of one that begins there."""
    kept = [s for s in scene.shots if abs(s.start - shot.start) > 1e-3]
    return replace(scene, shots=tuple(sorted((*kept, shot), key=lambda s: s.start)))


def without_shot(scene: Scene, shot: Shot) -> Scene:
    """Without a shot; the one before is seen on."""
    return replace(scene, shots=tuple(s for s in scene.shots if s != shot))


def shot_moved(scene: Scene, shot: Shot, at: float) -> Scene:
    """A shot that begins at another time, between its neighbours."""
    order = sorted(scene.shots, key=lambda s: s.start)
    k = order.index(shot)
    low = order[k - 1].start + SHORTEST if k else 0.0
    high = order[k + 1].start - SHORTEST if k + 1 < len(order) else 1e9
    order[k] = replace(shot, start=_round(min(max(at, low), high)))
    return replace(scene, shots=tuple(order))


# ---- snapping -------------------------------------------------------------------------------------


def edges(scene: Scene, whole: Whole, but: Iterable[Where] = ()) -> list[float]:
    """Beginnings and ends of clips and shots that others may snap to."""
    left = set(but)
    found = {s.start for s in scene.shots}
    for a, lane in enumerate(scene.lanes):
        for b, clip in enumerate(lane.clips):
            if (a, b) not in left:
                found |= {clip.start, end_of(clip, whole)}
    return sorted(found)


def snapped(
    scene: Scene, times: Sequence[float], by: float, near: float, *, fps: float = 0.0,
    points: Sequence[float] = (), beats: bool = True,
) -> float:  # fmt: skip
    """By how much to move so that one of some times meets a point or a beat within `near` seconds, else
    that the first stands on a frame (fps 0: is left alone)."""
    found: list[tuple[float, float]] = []
    tempo = scene.tempo
    for time in times:
        now = time + by
        found += [(abs(p - now), p - time) for p in points if abs(p - now) <= near]
        if beats and tempo.beats:
            beat = 60 / tempo.beats
            p = tempo.first + round((now - tempo.first) / beat) * beat
            if p >= 0 and abs(p - now) <= near:
                found.append((abs(p - now), p - time))
    if found:
        return min(found)[1]
    return round((times[0] + by) * fps) / fps - times[0] if fps else by
