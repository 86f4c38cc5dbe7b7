"""Listening to what nobody wrote down: its words, and where it has none its sounds.

A cry, an effort or a laugh has no words to be made out; it moves the mouth all the same. What hisses, knocks or hums
without anybody in it is refused as before.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from ..errors import NoWordsError
from ..progress import Progress, share
from ..speech import frontend
from ..speech.hearing import Conditioned, energy_span
from ..speech.reading import Reading
from ..speech.recognise import Draft, doubted, draft, listen_without_script
from ..speech.recording import Recording
from .pitch import find_pitch

VOICED = 0.1  # share of frames with a pitch, at least, where somebody cries out (measured on barks)
CHANGES = 12.0  # dB between quiet and loud frames: less is a machine, a tone or hiss
LONGEST = 15.0  # seconds of cries: what is longer and has no words is music or a place
UNLIKELY = 0.15  # confidence of words, all of them, that are no better than its sounds


def listen_unwritten(
    recording: Recording, *, language: str = "en", made: Draft | None = None, progress: Progress | None = None
) -> tuple[Reading, Draft]:  # fmt: skip
    """What is heard, and the draft that it was made from.

    made: the draft, if it was made before. Where no words, or none that are likely, can be made out in a voice, every
    stretch of its sounds is a doubtful word in IPA, and the draft has no text; they are sounds of speech only where it
    seems to be in another language. Raises LanguageError for a language whose words nobody here knows, NoWordsError
    where there is no voice.
    """
    try:
        if made is None:
            made = draft(recording, language=language, progress=share(progress, 0.0, 0.8))
        reading = listen_without_script(
            recording, language=language, made=made, progress=share(progress, 0.8, 1.0)
        )
        if any(w.confidence >= UNLIKELY for w in reading.words()) or not has_voice(recording):
            return reading, made
    except NoWordsError:
        if not has_voice(recording):
            raise
    from ..speech.sounds_only import listen_for_sounds

    made = replace(made or Draft(""), text="")
    told, foreign = share(progress, 0.8, 1.0), made.seems(language)
    found = listen_for_sounds(recording, language=language, words=foreign, progress=told)
    return doubted(found), made


def has_voice(recording: Recording) -> bool:
    """Whether somebody seems to make sounds for a moment: some have a pitch, and loudness comes and goes."""
    if recording.duration > LONGEST:
        return False
    hertz = find_pitch(np.asarray(recording.samples, np.float32)).hertz
    span = energy_span(frontend.cepstra(Conditioned(recording.samples)))
    return bool((hertz > 0).mean() >= VOICED and span >= CHANGES)
