"""One line, listened to as it stands: first, after its script changed, or all of it again."""

from __future__ import annotations

from collections.abc import Sequence

from ..errors import LanguageError
from ..progress import Progress, share
from .align import Evidence
from .hearing import hear
from .lexicon import Lexicon
from .listen import check_belonging, listen_to
from .reading import Reading
from .realign import follow_script, listen_again, touched
from .recognise import heard_words
from .recording import Recording
from .script import unspoken
from .second_ear import second_opinion, share_heard

ENOUGH = 0.5  # of the words of a script, heard by the other ear, for it to belong to the recording


def listen_line(
    recording: Recording,
    script: str,
    *,
    language: str = "en",
    lexicon: Lexicon | None = None,
    earlier: Reading | None = None,
    evidence: Evidence | None = None,
    condition: bool = False,
    second: bool = True,
    progress: Progress | None = None,
) -> Reading:
    """Listen to a line, keeping what a person did in its `earlier` reading.

    A changed script is listened to where it changed; the same script all through, around pins. Where it says that no
    words are heard, as “(sighs)” does, the sounds themselves are.
    evidence: of the recording, if it was computed before. condition: listen to a cleaned copy.
    second: let the word recogniser have its say on which words are doubtful.
    """

    if condition:
        from .conditioning import cleaned

        recording, evidence = cleaned(recording), None
    if evidence is None:
        evidence = hear(recording, progress=share(progress, 0.0, 0.6))
    if unspoken(script, language=language):
        return _wordless(recording, evidence, script, language, earlier, lexicon, progress)
    rest = share(progress, 0.6, 0.8 if second else 1.0)
    alike = earlier is not None and earlier.language == language and earlier.phrases
    before = earlier if alike else None
    if before is None:
        reading = listen_to(recording, evidence, script, language=language, lexicon=lexicon,
                            progress=rest, check=False)  # fmt: skip
    elif same_words(script, before):
        reading = listen_again(recording, evidence, before, lexicon=lexicon, progress=rest)
    else:
        reading = follow_script(recording, evidence, before, script, lexicon=lexicon, progress=rest)
    told = share(progress, 0.8, 1.0)
    heard = _words(recording, language, told) if second else None
    known = (
        heard is not None and share_heard(reading, heard) >= ENOUGH
    )  # however unusual a voice it is
    if not known and not any(map(touched, reading.words())):
        check_belonging(reading)
    if heard is None:
        return reading
    return second_opinion(reading, evidence, heard, lexicon=lexicon)


def _words(recording: Recording, language: str, progress: Progress | None) -> Sequence[str] | None:
    try:
        return heard_words(recording, language=language, quick=True, progress=progress)
    except LanguageError:  # a recogniser that cannot be used keeps nobody from listening
        return None


def _wordless(
    recording: Recording, evidence: Evidence, script: str, language: str, earlier: Reading | None,
    lexicon: Lexicon | None, progress: Progress | None,
) -> Reading:  # fmt: skip
    from .sounds_only import listen_for_sounds

    if earlier is not None and earlier.language == language and same_words(script, earlier):
        words = list(earlier.words())
        if any(touched(w) for w in words):
            return listen_again(recording, evidence, earlier, lexicon=lexicon, progress=progress)
        if any(w.confirmed for w in words):
            return earlier
    return listen_for_sounds(
        recording, language=language, evidence=evidence, written=script.strip(), words=False,
        progress=share(progress, 0.6, 1.0),
    )  # fmt: skip


def same_words(script: str, reading: Reading) -> bool:
    """Whether a script has just the words that a reading has."""
    from .script import parse_script

    if unspoken(script, language=reading.language):
        return [p.text for p in reading.phrases] == [script.strip()]
    parsed = parse_script(script, language=reading.language)
    return [[w.text for w in p.words] for p in parsed] == [
        [w.text for w in p.words] for p in reading.phrases
    ]
