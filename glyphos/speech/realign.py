"""Finding edges again between pins, after something was placed, changed or said differently.

`realign` keeps every sound and finds the unpinned edges of a stretch of the line anew.
`listen_again` finds the whole line anew around its pins. `follow_script` listens only to what a
changed script changed. `retake` carries a reading over to another recording of the same line.
Each works on evidence that was computed once, so it costs milliseconds.
"""

from __future__ import annotations

import difflib
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

import msgspec
import numpy as np

from ..progress import Progress
from .align import Evidence
from .constrained import Placed, Stretch, place_stretch
from .edits import units_of
from .lexicon import Lexicon, pronounce
from .listen import PRIOR_SECONDS, USUAL, assemble_unread, confidence, place
from .parts import TOUCH, Edge, Flat, fitted, refit, with_phones, with_words
from .phones import Unit, nearest
from .reading import Mark, Phone, Phrase, Reading, Word
from .recording import Recording
from .script import ScriptWord, parse_script

replace = msgspec.structs.replace

STILL = 0.008  # an edge that would move by less than this stays where it was
FAR = 1.5  # seconds from what was placed beyond which words of a long phrase are left alone
REACH = 0.35  # seconds of pause beside a stretch in which its outer sounds may be found


@dataclass(frozen=True)
class _Item:
    """A word to be found: its alternatives, its old sounds if it keeps them."""

    alternatives: tuple[tuple[Unit, ...], ...]
    old: tuple[Phone, ...] = ()


def realign(
    reading: Reading,
    evidence: Evidence,
    windows: Iterable[tuple[float, float]],
    *,
    still: float = STILL,
) -> Reading:
    """Find the unpinned edges of the phrases (or parts of them between pins) that touch the
    `windows` (start, end in seconds) again from the sound. Pinned edges keep their exact times."""
    for start, end in windows:
        flat = Flat(reading)
        a, b = _stretch_sounds(flat, start, end)
        if b > a:
            reading = _refind(reading, flat, evidence, a, b, still)
    return reading


def _stretch_sounds(flat: Flat, start: float, end: float) -> tuple[int, int]:
    """Sounds from the last wall before a window to the first after it; phrases end a stretch."""
    touched = [
        k for k, p in enumerate(flat.phones) if p.end >= start - TOUCH and p.start <= end + TOUCH
    ]
    if not touched:
        return 0, 0
    a, b = touched[0], touched[-1] + 1
    while a > 0 and not _wall(flat, a, start) and not _far(flat, a, start - FAR):
        a -= 1
    while b < len(flat.phones) and not _wall(flat, b, end, after=True):
        if flat.phones[b].start > end + FAR and flat.word_of[b] != flat.word_of[b - 1]:
            break
        b += 1
    return a, b


def _far(flat: Flat, sound: int, limit: float) -> bool:
    """Whether a sound begins a word that is too far away to be stirred."""
    return flat.phones[sound].end < limit and flat.word_of[sound] != flat.word_of[sound - 1]


def _wall(flat: Flat, sound: int, limit: float, *, after: bool = False) -> bool:
    """Whether nothing before `sound` moves with it: a pin outside the window, or a new phrase."""
    phone = flat.phones[sound]
    outside = phone.start > limit + TOUCH if after else phone.start < limit - TOUCH
    if phone.pinned and outside:
        return True
    a, b = flat.word_of[sound - 1], flat.word_of[sound]
    return flat.phrase_of[a] != flat.phrase_of[b] and not flat.touches(sound)


def _refind(
    reading: Reading, flat: Flat, evidence: Evidence, a: int, b: int, still: float
) -> Reading:
    duration = reading.audio.duration
    before = flat.phones[a - 1].end if a else 0.0
    after = flat.phones[b].start if b < len(flat.phones) else duration
    items = [
        _Item((tuple(Unit(p.ipa, p.stress, nearest(p.ipa)) for p in own),), tuple(own))
        for own in _by_word(flat, a, b)
    ]
    first, last = flat.phones[a], flat.phones[b - 1]
    hard_start = a > 0 and flat.touches(a)
    hard_end = b < len(flat.phones) and flat.touches(b)
    low = first.start if hard_start else max(before, first.start - REACH, 0.0)
    high = last.end if hard_end else min(after, last.end + REACH, duration)
    found = find(evidence, items, low, high, hard_start=hard_start, hard_end=hard_end)
    phones = list(flat.phones)
    rows = [placed for word in found for placed in word]
    for k, placed in enumerate(rows):
        phones[a + k] = _moved(flat.phones[a + k], placed)
    phones[a:b] = settled(flat.phones[a:b], phones[a:b], still)
    return _judged(with_phones(reading, phones), a, b, rows)


def _by_word(flat: Flat, a: int, b: int) -> list[list[Phone]]:
    groups: list[list[Phone]] = []
    last = -1
    for k in range(a, b):
        if flat.word_of[k] != last:
            groups.append([])
            last = flat.word_of[k]
        groups[-1].append(flat.phones[k])
    return groups


def _moved(old: Phone, placed: Placed) -> Phone:
    start = old.start if old.pinned else round(placed.start, 4)
    end = old.end if old.pinned_end else round(placed.end, 4)
    return replace(old, start=start, end=end)


def settled(old: Sequence[Phone], new: Sequence[Phone], still: float) -> list[Phone]:
    """New times, but those of the old edges that hardly moved, so that a line does not stir."""
    made = list(new)
    for k in range(len(made)):
        a, b = old[k], made[k]
        joined = k > 0 and b.start - new[k - 1].end < TOUCH
        was_joined = k > 0 and a.start - old[k - 1].end < TOUCH
        if abs(a.start - b.start) < still and joined == was_joined:
            floor = made[k - 1].start + 0.004 if joined else made[k - 1].end if k else 0.0
            if a.start >= floor - TOUCH and a.start < b.end - 0.004:
                made[k] = replace(b, start=a.start)
                if joined:
                    made[k - 1] = replace(made[k - 1], end=a.start)
        last = k + 1 == len(made) or new[k + 1].start - b.end >= TOUCH
        was_last = k + 1 == len(made) or old[k + 1].start - a.end >= TOUCH
        if last and was_last and abs(a.end - b.end) < still:
            limit = new[k + 1].start if k + 1 < len(made) else np.inf
            if made[k].start + 0.004 < a.end <= limit + TOUCH:
                made[k] = replace(made[k], end=a.end)
    return made


def _judged(reading: Reading, a: int, b: int, rows: Sequence[Placed]) -> Reading:
    """Confidence of the words that lie wholly within the sounds found again."""
    flat = Flat(reading)

    def again(number: int, word: Word) -> Word:
        first = flat.first[number]
        last = first + len(word.phones)
        if not (a <= first and last <= b):
            return word
        made = judged(word, rows[first - a : last - a], reading.language)
        if flat.pinned(Edge(first)) or flat.pinned(flat.end_edge(last - 1)) or word.placed:
            sure = max(word.confidence, made.confidence)  # a person's hand is no reason for doubt
            return replace(made, confidence=sure)
        return made

    return with_words(reading, again)


def judged(word: Word, rows: Sequence[Placed], language: str) -> Word:
    """A word with the confidence that the evidence of its sounds gives it."""
    if not all(np.isfinite(p.evidence) for p in rows):
        return word
    lengths = [*(max(1e-3, p.end - p.start) for p in rows), PRIOR_SECONDS]
    mean = float(np.average([*(p.evidence for p in rows), USUAL], weights=lengths))
    code = word.language or language
    phones = tuple(
        replace(p, confidence=round(confidence(r.evidence, code), 3))
        for p, r in zip(word.phones, rows, strict=True)
    )
    return replace(word, phones=phones, confidence=round(confidence(mean, code), 3))


# ---- between pins -----------------------------------------------------------------------------


def find(
    evidence: Evidence,
    items: Sequence[_Item],
    low: float,
    high: float,
    *,
    hard_start: bool = False,
    hard_end: bool = False,
    fillers: bool = False,
) -> list[tuple[Placed, ...]]:
    """Find words between two times, aligning each stretch between their pins by itself."""
    found: list[list[Placed]] = [[] for _ in items]
    for stretch, owners in stretches(items, low, high, hard_start, hard_end):
        rows = place_stretch(evidence, stretch, fillers=fillers)
        for owner, placed in zip(owners, rows, strict=True):
            found[owner] += placed
    return [tuple(f) for f in found]


def stretches(
    items: Sequence[_Item], low: float, high: float, hard_start: bool, hard_end: bool
) -> list[tuple[Stretch, list[int]]]:
    """Cut the words at their pinned edges: stretches, and which word each piece belongs to."""
    made: list[tuple[Stretch, list[int]]] = []
    words: list[tuple[tuple[Unit, ...], ...]] = []
    owners: list[int] = []
    start, hard = low, hard_start

    def close(end: float, hard_stop: bool) -> None:
        nonlocal words, owners
        if words:
            made.append((Stretch(start, max(end, start), hard, hard_stop, tuple(words)), owners))
        words, owners = [], []

    previous: Phone | None = None
    for number, item in enumerate(items):
        piece: list[Unit] = []
        if not any(p.pinned or p.pinned_end for p in item.old):
            words.append(item.alternatives)
            owners.append(number)
            previous = item.old[-1] if item.old else None
            continue
        for phone, unit in zip(item.old, item.alternatives[0], strict=True):
            if phone.pinned:
                if piece:
                    words.append((tuple(piece),))
                    owners.append(number)
                    piece = []
                joined = previous is not None and phone.start - previous.end < TOUCH
                close(phone.start, joined)
                start, hard = phone.start, True
            piece.append(unit)
            if phone.pinned_end:
                words.append((tuple(piece),))
                owners.append(number)
                piece = []
                close(phone.end, True)
                start, hard = phone.end, False
            previous = phone
        if piece:
            words.append((tuple(piece),))
            owners.append(number)
    close(high, hard_end)
    return made


# ---- the whole line, a changed script, another take -------------------------------------------


def listen_again(
    recording: Recording, evidence: Evidence, reading: Reading, *,
    lexicon: Lexicon | None = None, progress: Progress | None = None,
) -> Reading:  # fmt: skip
    """Find the whole line anew. Words that a person touched keep their sounds, pins their times."""
    flat = Flat(reading)
    kept = [touched(w) for w in flat.words]
    if not any(kept):
        phrases = parse_script(reading.text, language=reading.language)
        fresh = place(recording, evidence, phrases, language=reading.language, lexicon=lexicon,
                      progress=progress)  # fmt: skip
        return still_confirmed(replace(fresh, marks=reading.marks), flat.words)
    spoken = [_script_word(w, reading.language) for w in flat.words]
    pronounced = pronounce(spoken, language=reading.language, lexicon=lexicon)
    items = [
        _Item((units_of(w),), w.phones) if keep else _Item(p.alternatives)
        for w, keep, p in zip(flat.words, kept, pronounced, strict=True)
    ]
    found = find(evidence, items, 0.0, reading.audio.duration)
    words = iter(
        _made(w, keep, rows, reading.language)
        for w, keep, rows in zip(flat.words, kept, found, strict=True)
    )
    phrases_made = tuple(
        refit(p, tuple(next(words) for _ in p.words)) for p in reading.phrases
    )  # fmt: skip
    made = assemble_unread(replace(reading, phrases=phrases_made, unread=()), evidence)
    return still_confirmed(made, flat.words)


def still_confirmed(reading: Reading, before: Sequence[Word]) -> Reading:
    """Words that a person found right stay so while they are said with the same sounds."""

    def again(number: int, word: Word) -> Word:
        old = before[number]
        same = [p.ipa for p in old.phones] == [p.ipa for p in word.phones]
        return replace(word, confirmed=old.confirmed and same)

    return with_words(reading, again)


def touched(word: Word) -> bool:
    """Whether a person set its sounds or one of their times."""
    return word.source == "hand" or any(p.pinned or p.pinned_end for p in word.phones)


def _script_word(word: Word, language: str) -> ScriptWord:
    code = word.language or language
    parsed = parse_script(word.text, language=code)
    spoken = tuple(s for p in parsed for w in p.words for s in w.spoken)
    return ScriptWord(word.text, spoken, word.language)


def _made(word: Word, keep: bool, rows: Sequence[Placed], language: str) -> Word:
    if keep:
        phones = tuple(_moved(p, r) for p, r in zip(word.phones, rows, strict=True))
    else:
        phones = tuple(Phone(r.unit.ipa, round(r.start, 4), round(r.end, 4), r.unit.stress)
                       for r in rows)  # fmt: skip
    return judged(fitted(word, phones), rows, language)


def follow_script(
    recording: Recording, evidence: Evidence, reading: Reading, script: str, *,
    lexicon: Lexicon | None = None, progress: Progress | None = None,
) -> Reading:  # fmt: skip
    """Listen only to what a changed script changed; all other words keep their place and pins.

    A word beside a change is found again with it unless it is pinned there, since it may have
    covered for a word that was missing.
    """
    new = parse_script(script, language=reading.language)
    fresh = [w for p in new for w in p.words]
    old = Flat(reading)
    keys_old = [_key(w.text, w.language) for w in old.words]
    keys_new = [_key(w.text, w.language) for w in fresh]
    matcher = difflib.SequenceMatcher(None, keys_old, keys_new, autojunk=False)
    made: list[Word | None] = [None] * len(fresh)
    changed: list[tuple[int, int]] = []
    for tag, a, b, c, d in matcher.get_opcodes():
        if tag == "equal":
            for i, j in zip(range(a, b), range(c, d), strict=True):
                made[j] = replace(old.words[i], text=fresh[j].text)
        else:
            changed.append((c, d))
    if not any(made):
        return place(recording, evidence, new, language=reading.language, lexicon=lexicon,
                     progress=progress)  # fmt: skip
    for c, d in changed:
        _fill(made, fresh, c, d, evidence, reading, lexicon)
    words = iter(w for w in made if w is not None)
    phrases = []
    for phrase in new:
        own = tuple(next(words) for _ in phrase.words)
        phrases.append(Phrase(phrase.text, own[0].start, own[-1].end, own))
    made_reading = replace(reading, phrases=tuple(phrases), unread=())
    return assemble_unread(made_reading, evidence)


def _key(text: str, language: str) -> str:
    return f"{language}:{text.lower().replace('’', chr(39))}"


def _fill(
    made: list[Word | None], fresh: Sequence[ScriptWord], c: int, d: int, evidence: Evidence,
    reading: Reading, lexicon: Lexicon | None,
) -> None:  # fmt: skip
    """Find words `c` to `d` and their unpinned neighbours between the words that stay."""
    a, b = c, d
    if (
        a > 0
        and (w := made[a - 1]) is not None
        and not any(p.pinned or p.pinned_end for p in w.phones)
    ):
        a -= 1
    if (
        b < len(made)
        and (w := made[b]) is not None
        and not any(p.pinned or p.pinned_end for p in w.phones)
    ):
        b += 1
    if a == b:
        return
    before = made[a - 1] if a else None
    after = made[b] if b < len(made) else None
    low = before.end if before else 0.0
    high = after.start if after else reading.audio.duration
    pronounced = pronounce(fresh[a:b], language=reading.language, lexicon=lexicon)
    items = []
    for k in range(a, b):
        word = made[k]
        items.append(
            _Item((units_of(word),), word.phones) if word else _Item(pronounced[k - a].alternatives)
        )
    found = find(evidence.for_words_of(reading.language), items, low, high, fillers=True)
    for k, rows in zip(range(a, b), found, strict=True):
        old = made[k]
        if old is not None:
            phones = settled(
                old.phones, [_moved(p, r) for p, r in zip(old.phones, rows, strict=True)], STILL
            )
            made[k] = judged(fitted(old, tuple(phones)), rows, reading.language)
        else:
            blank = Word(
                fresh[k].text,
                low,
                high,
                1.0,
                (),
                pronounced[k - a].source,
                False,
                fresh[k].language,
            )
            made[k] = _made(blank, False, rows, reading.language)


@dataclass(frozen=True)
class Retaken:
    """A reading carried over to another recording, and the edges whose pins may be set again."""

    reading: Reading
    offered: tuple[tuple[int, bool], ...]  # (sound, whether its end)


def retake(
    recording: Recording, evidence: Evidence, reading: Reading, *, progress: Progress | None = None
) -> Retaken:
    """Find the same words with the same sounds in another recording of the line.

    Pronunciations come along, marks move with the sounds around them, pins are only offered.
    """
    from .listen import align_words

    flat = Flat(reading)
    alternatives = [(units_of(w),) for w in flat.words]
    heard = evidence.for_words_of(reading.language)
    rows = align_words(recording, heard, alternatives, progress=progress)
    words = iter(
        judged(
            fitted(w, tuple(
                replace(p, start=round(r.start, 4), end=round(r.end, 4), pinned=False, pinned_end=False)
                for p, r in zip(w.phones, own, strict=True)
            )), own, reading.language,
        )
        for w, own in zip(flat.words, rows, strict=True)
    )  # fmt: skip
    phrases = tuple(refit(p, tuple(replace(next(words), confirmed=False) for _ in p.words))
                    for p in reading.phrases)  # fmt: skip
    audio = replace(reading.audio, file=recording.name, duration=round(recording.duration, 6),
                    sample_rate=recording.source_rate)  # fmt: skip
    moved = replace(reading, audio=audio, phrases=phrases, unread=())
    moved = replace(moved, marks=carried_marks(reading, moved))
    offered = tuple(
        (k, end)
        for k, p in enumerate(flat.phones)
        for end, pinned in ((False, p.pinned), (True, p.pinned_end))
        if pinned
    )
    return Retaken(assemble_unread(moved, evidence), offered)


def carried_marks(old: Reading, new: Reading) -> tuple[Mark, ...]:
    """Marks at the same place between the sounds of another reading of the same words."""
    before, after = [0.0], [0.0]
    for a, b in zip(old.phones(), new.phones(), strict=True):
        before += [a.start, a.end]
        after += [b.start, b.end]
    before.append(max(old.audio.duration, before[-1]))
    after.append(max(new.audio.duration, after[-1]))
    times = np.interp([t for m in old.marks for t in (m.start, m.end)], before, after)
    pairs = times.reshape(-1, 2)
    return tuple(
        replace(m, start=round(float(a), 4), end=round(float(b), 4))
        for m, (a, b) in zip(old.marks, pairs, strict=True)
        if b - a > 0.01
    )
