"""One line, listened to as it stands: first, after its script changed, or all of it again."""

from __future__ import annotations

from collections.abc import Sequence

from ..errors import LanguageError
from ..progress import Progress, share
from .align import Evidence
from .hearing import hear
from .lexicon import Lexicon
from .listen import check_belonging, listen_to
from .reading import Reading, Word
from .realign import follow_script, listen_again, touched
from .recognise import heard_words
from .recording import Recording
from .script import unspoken
from .scripted import same_words, ways_of
from .second_ear import second_opinion, share_heard

# How sure of a name both ears, or one, may be that is not spoken
UNHEARD, SURELY_UNHEARD = 0.4, 0.2
UNDERSTOOD = 0.75  # of the other words, at least, or no word is known not to be spoken
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
    words are heard, as “(sighs)” does, the sounds themselves are. Of a script that begins with a name and a colon
    (“Mabel: …”) which is not heard, the reading has the rest (see `scripted`).
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
    made = reading if heard is None else second_opinion(reading, evidence, heard, lexicon=lexicon)
    most = UNHEARD if heard is not None else SURELY_UNHEARD
    for way in ways_of(script):
        if _unheard(made, way, most):
            return listen_line(recording, way, language=language, lexicon=lexicon, evidence=evidence,
                               earlier=made if alike else None, second=second)  # fmt: skip
    if not known and not any(map(touched, reading.words())):
        check_belonging(reading)
    return made


def _unheard(reading: Reading, named: str, most: float) -> bool:
    """Whether the words that are names in `named` are not heard, while what else is said is.

    most: how sure of them the ears may be; a short name fits in anywhere.
    """
    from .script import parse_script

    if unspoken(named, language=reading.language):
        return False
    said = [w.text for p in parse_script(named, language=reading.language) for w in p.words]
    names, rest = list[Word](), list[Word]()
    # From the end: a name stands before what is said, be that its own word
    for word in reversed(list(reading.words())):
        spoken = bool(said) and said[-1] == word.text
        (rest if spoken else names).append(word)
        if spoken:
            said.pop()
    if not names or any(touched(w) or w.confirmed for w in names):
        return False
    trusted = sum(not w.doubtful for w in rest)
    unheard = sum(w.confidence for w in names) < most * len(names)
    return unheard and trusted > UNDERSTOOD * len(rest)


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
