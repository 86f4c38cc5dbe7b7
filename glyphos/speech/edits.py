"""Corrections by hand: each takes a Reading and gives another; nothing is changed in place.

What a person places is pinned. A pinned edge is a wall for everything else: edges that are pushed
stop at it, and only the person who placed it moves it.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence
from typing import Literal, get_args

import msgspec
import numpy as np

from ..errors import EditError
from . import ipa
from .parts import TOUCH, Edge, Flat, Part, fitted, refit, with_changes, with_phones, with_words
from .phones import Unit, diphthongs, nearest
from .reading import Mark, Phone, Phrase, Reading, Word

replace = msgspec.structs.replace

SHORTEST = 0.01  # seconds a sound keeps when its neighbours press
NEW_SOUND = 0.06  # seconds a new sound takes, if there is room
MarkKind = Literal["breath", "cough", "laugh", "hum", "shut"]
MARK_KINDS: tuple[str, ...] = get_args(MarkKind)


# ---- edges ----------------------------------------------------------------------------------


def move_edge(reading: Reading, edge: Edge, seconds: float, *, pin: bool = True) -> Reading:
    """Place an edge at a time. Unpinned edges in the way are pushed; pinned ones stop it."""
    flat = Flat.of(reading)
    edge = canonical(flat, edge)
    left, low = _pushed(flat, edge, seconds, flat.edge_before, -1)
    right, high = _pushed(flat, edge, seconds, flat.edge_after, 1)
    time = round(min(max(seconds, low), max(low, high)), 4)
    changes: dict[int, Phone] = {}
    _put(changes, flat, edge, time, pin=pin)
    for one, room in left:
        _put(changes, flat, one, min(flat.edge_time(one), time - room), pin=False)
    for one, room in right:
        _put(changes, flat, one, max(flat.edge_time(one), time + room), pin=False)
    return with_changes(flat, changes)


def _pushed(
    flat: Flat, edge: Edge, seconds: float, following: Callable[[Edge], Edge | None], side: int
) -> tuple[list[tuple[Edge, float]], float]:
    """Edges on one side that an edge put at `seconds` pushes, each with the room that is kept to
    it, and how far the edge may go: up to the first pin or the end of the recording."""
    pushed: list[tuple[Edge, float]] = []
    room, at = 0.0, edge
    while (near := following(at)) is not None:
        pause = near.end if side < 0 else at.end
        room += 0.0 if pause else SHORTEST
        free = flat.edge_time(near) - side * room
        if side * (free - seconds) >= 0:
            return pushed, -np.inf if side < 0 else np.inf
        if flat.pinned(near):
            return pushed, free
        pushed.append((near, room))
        at = near
    return pushed, room if side < 0 else flat.reading.audio.duration - room


def canonical(flat: Flat, edge: Edge) -> Edge:
    """The edge by its first name: the end of a sound that touches the next is the next's start."""
    return flat.end_edge(edge.sound) if edge.end else edge


def _put(changes: dict[int, Phone], flat: Flat, edge: Edge, time: float, *, pin: bool) -> None:
    time = max(0.0, round(time, 4))
    phone = changes.get(edge.sound, flat.phones[edge.sound])
    if edge.end:
        changes[edge.sound] = replace(phone, end=time, pinned_end=phone.pinned_end or pin)
        return
    changes[edge.sound] = replace(phone, start=time, pinned=phone.pinned or pin)
    if flat.touches(edge.sound):
        before = changes.get(edge.sound - 1, flat.phones[edge.sound - 1])
        changes[edge.sound - 1] = replace(before, end=time, pinned_end=False)


def set_pin(reading: Reading, edge: Edge, pinned: bool) -> Reading:
    """Pin an edge where it stands, or lift its pin."""
    flat = Flat.of(reading)
    edge = canonical(flat, edge)
    phones = list(flat.phones)
    if edge.end:
        phones[edge.sound] = replace(phones[edge.sound], pinned_end=pinned)
    else:
        phones[edge.sound] = replace(phones[edge.sound], pinned=pinned)
        if flat.touches(edge.sound):
            phones[edge.sound - 1] = replace(phones[edge.sound - 1], pinned_end=False)
    return with_phones(reading, phones)


def lift_pins(reading: Reading, part: Part) -> Reading:
    """Lift every pin in a part, its own two edges included."""
    flat = Flat.of(reading)
    a, b = flat.sound_range(part)
    phones = list(flat.phones)
    phones[a:b] = [replace(p, pinned=False, pinned_end=False) for p in phones[a:b]]
    if b < len(phones) and flat.touches(b):
        phones[b] = replace(phones[b], pinned=False)
    if flat.touches(a):
        phones[a - 1] = replace(phones[a - 1], pinned_end=False)
    return with_phones(reading, phones)


def pin_part(reading: Reading, part: Part) -> Reading:
    """Pin both edges of a part where they stand."""
    flat = Flat.of(reading)
    a, b = flat.sound_range(part)
    return set_pin(set_pin(reading, Edge(a), True), flat.end_edge(b - 1), True)


def pin_count(reading: Reading, part: Part | None = None) -> int:
    """Pinned edges of a part, or of the whole reading."""
    flat = Flat.of(reading)
    a, b = flat.sound_range(part) if part else (0, len(flat.phones))
    return sum(p.pinned + p.pinned_end for p in flat.phones[a:b])


def move_part(reading: Reading, part: Part, by: float) -> Reading:
    """Move a phrase, word or sound with all in it, pins and all; its two ends are pinned.

    Unpinned neighbours are pushed; pinned ones, and the ends of the recording, stop it.
    """
    flat = Flat.of(reading)
    a, b = flat.sound_range(part)
    before, after = flat.phones[:a], flat.phones[b:]
    start, end = flat.span(part)
    low = _room_before(before) - start
    high = reading.audio.duration - _room_after(after, reading.audio.duration) - end
    by = round(min(max(by, min(low, 0.0)), max(high, 0.0)), 4)
    own = [replace(p, start=round(p.start + by, 4), end=round(p.end + by, 4))
           for p in flat.phones[a:b]]  # fmt: skip
    own[0] = replace(own[0], pinned=True)
    own[-1] = replace(own[-1], pinned_end=True)
    limit = own[0].start
    for k in range(len(before) - 1, -1, -1):
        p = before[k]
        end_at = min(p.end, limit)
        limit = max(0.0, round(min(p.start, end_at - SHORTEST), 4))
        before[k] = replace(p, start=limit, end=end_at)
    limit = own[-1].end
    for k, p in enumerate(after):
        start_at = max(p.start, limit)
        limit = round(max(p.end, start_at + SHORTEST), 4)
        after[k] = replace(p, start=start_at, end=limit)
    return with_phones(reading, [*before, *own, *after])


def _room_before(before: Sequence[Phone]) -> float:
    """The earliest time that sounds before a part leave to it."""
    need = 0.0
    for phone in reversed(before):
        if phone.pinned_end:
            return phone.end + need
        need += SHORTEST
        if phone.pinned:
            return phone.start + need
    return need


def _room_after(after: Sequence[Phone], duration: float) -> float:
    """Seconds before the end of the recording that sounds after a part cannot give up."""
    need = 0.0
    for phone in after:
        if phone.pinned:
            return duration - phone.start + need
        need += SHORTEST
        if phone.pinned_end:
            return duration - phone.end + need
    return need


def open_pause(reading: Reading, sound: int, seconds: float = 0.1) -> Reading:
    """Make a pause before a sound that touches the one before it, taking time from that one."""
    flat = Flat.of(reading)
    if not flat.touches(sound):
        return reading
    phones = list(flat.phones)
    before = phones[sound - 1]
    end = max(before.start + SHORTEST, round(before.end - seconds, 4))
    phones[sound - 1] = replace(before, end=end, pinned_end=True)
    return with_phones(reading, phones)


# ---- words and phrases ----------------------------------------------------------------------


def split_word(reading: Reading, sound: int, texts: tuple[str, str] | None = None) -> Reading:
    """Split a word in two before one of its sounds; the writing is split alike unless given."""
    flat = Flat.of(reading)
    number = flat.word_of[sound]
    word, cut = flat.words[number], sound - flat.first[number]
    if cut == 0:
        raise EditError("A word is split between two of its sounds; choose a sound inside it.")
    first, second = texts or _cut_text(word.text, cut / len(word.phones))
    halves = (
        replace(fitted(word, word.phones[:cut]), text=first, source="hand"),
        replace(fitted(word, word.phones[cut:]), text=second, source="hand"),
    )
    return _with_words(reading, number, number + 1, halves, f"{first} {second}")


def _cut_text(text: str, share: float) -> tuple[str, str]:
    """Writing cut at about `share` of it, at a hyphen if it has one."""
    if "-" in text.strip("-"):
        first, _, second = text.partition("-")
        return first, second
    at = min(max(round(len(text) * share), 1), max(1, len(text) - 1))
    return text[:at], text[at:] or text[-1:]


def join_words(reading: Reading, number: int) -> Reading:
    """Join a word with the next one of its phrase into one."""
    flat = Flat.of(reading)
    if number + 1 >= len(flat.words) or flat.phrase_of[number] != flat.phrase_of[number + 1]:
        raise EditError("There is no next word in this phrase to join with.")
    a, b = flat.words[number], flat.words[number + 1]
    phones = (*a.phones, *b.phones)
    if b.start - a.end >= TOUCH:
        middle = len(a.phones)
        phones = (*phones[: middle - 1], replace(phones[middle - 1], end=b.start, pinned_end=False),
                  *phones[middle:])  # fmt: skip
    one = replace(fitted(a, phones), text=a.text + b.text, source="hand",
                  confidence=min(a.confidence, b.confidence))  # fmt: skip
    return _with_words(reading, number, number + 2, (one,), one.text)


def _with_words(
    reading: Reading, first: int, after: int, words: tuple[Word, ...], text: str
) -> Reading:
    """Replace words `first` to `after` of one phrase, in its text too."""
    flat = Flat.of(reading)
    phrase_number = flat.phrase_of[first]
    phrase = reading.phrases[phrase_number]
    start = flat.word_range(Part("phrase", phrase_number))[0]
    a, b = first - start, after - start
    spans = word_spans(phrase.text, [w.text for w in phrase.words])
    written = phrase.text
    if spans:
        written = written[: spans[a][0]] + text + written[spans[b - 1][1] :]
    made = refit(phrase, (*phrase.words[:a], *words, *phrase.words[b:]), written)
    return _with_phrases(reading, phrase_number, phrase_number + 1, (made,))


def _with_phrases(reading: Reading, first: int, after: int, phrases: tuple[Phrase, ...]) -> Reading:
    whole = (*reading.phrases[:first], *phrases, *reading.phrases[after:])
    return replace(reading, phrases=whole)


def word_spans(text: str, words: Sequence[str]) -> list[tuple[int, int]]:
    """Where each word stands in a text, in order; empty if one cannot be found."""
    spans, at = [], 0
    for word in words:
        found = text.find(word, at)
        if found < 0:
            return []
        spans.append((found, found + len(word)))
        at = found + len(word)
    return spans


def split_phrase(reading: Reading, word: int) -> Reading:
    """Begin a new phrase with a word."""
    flat = Flat.of(reading)
    number = flat.phrase_of[word]
    phrase = reading.phrases[number]
    cut = word - flat.word_range(Part("phrase", number))[0]
    if cut == 0:
        raise EditError("The phrase begins with this word already; choose a word inside it.")
    spans = word_spans(phrase.text, [w.text for w in phrase.words])
    at = spans[cut][0] if spans else len(phrase.text)
    left = phrase.text[:at].rstrip() or " ".join(w.text for w in phrase.words[:cut])
    right = phrase.text[at:] or " ".join(w.text for w in phrase.words[cut:])
    halves = (refit(phrase, phrase.words[:cut], left), refit(phrase, phrase.words[cut:], right))
    return _with_phrases(reading, number, number + 1, halves)


def join_phrases(reading: Reading, number: int) -> Reading:
    """Join a phrase with the next one."""
    if number + 1 >= len(reading.phrases):
        raise EditError("There is no next phrase to join with.")
    a, b = reading.phrases[number : number + 2]
    one = refit(a, (*a.words, *b.words), f"{a.text} {b.text}")
    return _with_phrases(reading, number, number + 2, (one,))


def confirm(reading: Reading, part: Part, confirmed: bool = True) -> Reading:
    """Say of every word in a part that it is right."""
    flat = Flat.of(reading)
    a, b = flat.word_range(part)
    return with_words(reading, lambda k, w: replace(w, confirmed=confirmed) if a <= k < b else w)


def next_doubtful(reading: Reading, after: int) -> int | None:
    """Number of the next doubtful word after word `after`, from the start again at the end."""
    words = list(reading.words())
    order = [*range(after + 1, len(words)), *range(min(after + 1, len(words)))]
    return next((k for k in order if words[k].doubtful), None)


# ---- sounds ---------------------------------------------------------------------------------


def checked_sound(text: str) -> str:
    """One IPA sound as typed by a person; EditError if it is none."""
    sound = ipa.clean(text.strip().strip("/"))
    one = len(ipa.split(sound, diphthongs=diphthongs())) == 1
    if not one or not ipa.parse(sound) or any(c.isdigit() for c in text):
        raise EditError(f"“{text}” is not a speech sound; type one in IPA, such as p, ʃ or oʊ.")
    return sound


def change_sound(reading: Reading, sound: int, text: str) -> Reading:
    """Another sound in the place of one, with its edges and pins."""
    flat = Flat.of(reading)
    phones = list(flat.phones)
    phones[sound] = replace(phones[sound], ipa=checked_sound(text), confidence=1.0)
    return _by_hand(with_phones(reading, phones), flat.word_of[sound])


def insert_sound(reading: Reading, sound: int, text: str, *, after: bool = True) -> Reading:
    """A new sound after (or before) another, in the same word, taking time from it."""
    flat = Flat.of(reading)
    number = flat.word_of[sound]
    word = flat.words[number]
    old = flat.phones[sound]
    length = min(NEW_SOUND, (old.end - old.start) / 2)
    if after:
        cut = round(old.end - length, 4)
        new = Phone(checked_sound(text), cut, old.end, 0, 1.0, False, old.pinned_end)
        pair = (replace(old, end=cut, pinned_end=False), new)
    else:
        cut = round(old.start + length, 4)
        new = Phone(checked_sound(text), old.start, cut, 0, 1.0, old.pinned)
        pair = (new, replace(old, start=cut, pinned=False))
    at = sound - flat.first[number]
    phones = (*word.phones[:at], *pair, *word.phones[at + 1 :])
    return _with_sounds(reading, number, phones)


def delete_sound(reading: Reading, sound: int) -> Reading:
    """Take a sound out of its word; its neighbour in the word takes its time."""
    flat = Flat.of(reading)
    number = flat.word_of[sound]
    word, at = flat.words[number], sound - flat.first[number]
    if len(word.phones) == 1:
        raise EditError("A word keeps at least one sound; delete the word in the script instead.")
    gone, rest = word.phones[at], [*word.phones[:at], *word.phones[at + 1 :]]
    if at > 0:
        rest[at - 1] = replace(rest[at - 1], end=gone.end, pinned_end=gone.pinned_end)
    else:
        rest[0] = replace(rest[0], start=gone.start, pinned=gone.pinned)
    return _with_sounds(reading, number, tuple(rest))


def _with_sounds(reading: Reading, number: int, phones: tuple[Phone, ...]) -> Reading:
    return with_words(
        reading,
        lambda k, w: replace(fitted(w, phones), source="hand") if k == number else w,
    )


def _by_hand(reading: Reading, number: int) -> Reading:
    word = list(reading.words())[number]
    return _with_sounds(reading, number, word.phones)


def set_pronunciation(reading: Reading, number: int, units: Sequence[Unit]) -> Reading:
    """Say a word with other sounds, spread over its time; its outer edges and pins stay.

    The edges inside are to be found again from the sound (`realign`).
    """
    if not units:
        raise EditError("A word needs at least one sound.")
    word = list(reading.words())[number]
    first, last = word.phones[0], word.phones[-1]
    step = (word.end - word.start) / len(units)
    cuts = [word.start, *(round(word.start + k * step, 4) for k in range(1, len(units))), word.end]
    phones = [Phone(u.ipa, cuts[k], cuts[k + 1], u.stress) for k, u in enumerate(units)]
    phones[0] = replace(phones[0], pinned=first.pinned)
    phones[-1] = replace(phones[-1], pinned_end=last.pinned_end)
    return _with_sounds(reading, number, tuple(phones))


def with_source(reading: Reading, number: int, source: str) -> Reading:
    """The reading with where a word's pronunciation comes from changed."""
    return with_words(reading, lambda k, w: replace(w, source=source) if k == number else w)


def units_of(word: Word) -> tuple[Unit, ...]:
    """A word's sounds as they are listened for."""
    return tuple(Unit(p.ipa, p.stress, nearest(p.ipa)) for p in word.phones)


# ---- marks ----------------------------------------------------------------------------------


def add_mark(reading: Reading, kind: str, start: float, end: float) -> Reading:
    """Mark a stretch as a breath, cough, laugh, hum, or as `shut`: the mouth stays shut."""
    if kind not in MARK_KINDS:
        raise EditError(f"“{kind}” is no mark; choose one of: {', '.join(MARK_KINDS)}.")
    start, end = max(0.0, min(start, end)), min(reading.audio.duration, max(start, end))
    if end - start < SHORTEST:
        raise EditError("A mark needs some time; choose a pause or a part of the line first.")
    new = Mark(kind, round(start, 4), round(end, 4))  # type: ignore[arg-type]
    kept = [m for m in reading.marks if m.end <= new.start or m.start >= new.end]
    return replace(reading, marks=tuple(sorted([*kept, new], key=lambda m: m.start)))


def remove_marks(reading: Reading, start: float, end: float) -> Reading:
    """Take away the marks that touch a stretch."""
    kept = tuple(m for m in reading.marks if m.end <= start or m.start >= end)
    return replace(reading, marks=kept)


def pause_at(reading: Reading, seconds: float) -> tuple[float, float]:
    """The pause around a time, or the time itself twice where something is said."""
    low, high = 0.0, reading.audio.duration
    for phone in reading.phones():
        if phone.start <= seconds < phone.end:
            return seconds, seconds
        if phone.end <= seconds:
            low = max(low, phone.end)
        elif phone.start > seconds:
            high = min(high, phone.start)
    return low, high


# ---- the script follows ---------------------------------------------------------------------


def script_with(script: str, before: Reading, after: Reading) -> str:
    """The script once words or phrases were split or joined in the reading.

    Directions, speakers and line breaks elsewhere stay as they are written.
    """
    old, new = [p.text for p in before.phrases], [p.text for p in after.phrases]
    if old == new:
        return script
    head = 0
    while head < min(len(old), len(new)) and old[head] == new[head]:
        head += 1
    tail = 0
    while tail < min(len(old), len(new)) - head and old[-1 - tail] == new[-1 - tail]:
        tail += 1
    changed = old[head : len(old) - tail]
    pattern = r"\s+".join(re.escape(word) for text in changed for word in text.split())
    at = 0
    for text in old[:head]:
        found = re.search(r"\s+".join(map(re.escape, text.split())), script[at:])
        at += found.end() if found else 0
    match = re.search(pattern, script[at:]) if pattern else None
    if match is None:
        return after.text
    written = "\n".join(new[head : len(new) - tail])
    return script[: at + match.start()] + written + script[at + match.end() :]
