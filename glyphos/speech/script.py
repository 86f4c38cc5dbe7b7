"""Scripts: text into phrases and words, each word with the way it is spoken.

Brackets of any kind hold stage directions, which are shown but not spoken; a name and a colon at
the start of a line are the speaker's (`turns`). `{it ciao bella}` speaks words in another
language, `/ˈmeɪbəl/` is said with just these sounds, and asterisks stress a word (but `*sighs*` and its like are directions). The written form is kept for showing, the spoken one is listened for.
"""

from __future__ import annotations

import re
import unicodedata
from dataclasses import dataclass
from functools import lru_cache
from itertools import pairwise
from pathlib import Path

from ..errors import ScriptError
from ..files import text_of
from . import ipa
from .captioned import plain, said_in_captions
from .exclaimed import stammered
from .spoken import INITIALS, abbreviations, following_scale, speak_written, stage_words
from .turns import NUMBER, SPEAKER, TITLES, in_capitals, undirected

LONGEST = 5_000_000  # bytes
STARRED = re.compile(r"\*([^*\n]+)\*")
SOUNDS = re.compile(r"(?<![\w/])/([^/\n]+)/(?![\w/])")
FOREIGN = re.compile(r"\{([A-Za-z]{2,3}(?:-[A-Za-z]{2,4})?)\s+([^{}]*)\}")
SENTENCE_END = re.compile(r"(?<=[.!?…。！？])[\"'”’»)]*\s+(?=[\"'“‘«¿¡(\[{]*[^\W_])|(?<=[。！？])")
ABBREVIATION = re.compile(rf"(?:^|\s)(?:[^\W\d_]\.)+$|\b(?:{TITLES}|vs|no)\.$", re.I)
GLUED = re.compile(r"(?<=[^\W\d_])([,;!?]+)(?=[^\W\d_])")  # a space was forgotten
GLUED_STOP = re.compile(r"(?<=[^\W\d_]{2})\.(?=[^\W\d_]{2})")
DASHES = re.compile(r"[—―]|--+|\s[-–]\s|\.\.\.+|…")
DOTS = re.compile(r"(?:^|\s)([^\W\d_]+)(?:\.\.+|…)$")
DETACHED_SIGN = re.compile(r"(\d)\s+([€$£¥%])")
BROKEN_OFF = "\ue000"  # where a dash or dots stood
FULL = 0.85  # of the longest line: how long the others are in text that an editor broke
OUTER = "\"'“”‘’«»‹›„‚¿¡.,;:!?…。、！？・「」『』()[]{}*~|<>"
UNSPACED = re.compile(r"[\u3040-\u30ff\u3400-\u9fff]")


@dataclass(frozen=True)
class ScriptWord:
    """A written word and its spoken words; `language` only where it differs from the line's; begins: the word after
    it, of which it may be the beginning, broken off (“B… but”)."""

    text: str
    spoken: tuple[str, ...]
    language: str = ""
    begins: str = ""


@dataclass(frozen=True)
class ScriptPhrase:
    """A phrase as written (directions and all) and its spoken words."""

    text: str
    words: tuple[ScriptWord, ...]


def parse_script(text: str, *, language: str = "en") -> tuple[ScriptPhrase, ...]:
    """Phrases of a script: a line each if it is written so, else a sentence each.

    Raises ScriptError if nothing in it is spoken.
    """
    text = in_capitals(plain(text))
    clean = unicodedata.normalize("NFC", text.replace("\r\n", "\n").replace("\r", "\n"))
    clean = SPEAKER.sub(_in_its_line, clean)
    phrases = [
        ScriptPhrase(piece, words)
        for piece in _pieces(clean)
        if (words := parse_phrase(piece, language=language))
    ]
    if not phrases:
        raise ScriptError("The script has no spoken words; type what is said in the recording.")
    return tuple(phrases)


def _in_its_line(match: re.Match[str]) -> str:
    """Who stands alone in a line speaks the next one; the number before a name is no sentence."""
    return f"{re.sub(rf'^[ ]*{NUMBER}', '', match[0]).rstrip()} "


def unspoken(text: str, *, language: str) -> bool:
    """Whether a script says that something is heard but no words, as “(sighs)” and “…” do."""
    return bool(text.strip()) and not any(
        parse_phrase(line, language=language) for line in text.splitlines()
    )


def parse_phrase(text: str, *, language: str) -> tuple[ScriptWord, ...]:
    """Spoken words of one phrase."""
    text = undirected(SPEAKER.sub("", plain(text)))
    text = STARRED.sub(lambda m: _starred(m[1], language), text)
    words: list[ScriptWord] = []
    position = 0
    for match in sorted([*FOREIGN.finditer(text), *SOUNDS.finditer(text)], key=lambda m: m.start()):
        if match.start() < position:
            continue
        words += _words(text[position : match.start()], language, "")
        if match.re is SOUNDS:
            words.append(_sounds(match))
        else:
            words += _words(match[2], match[1].lower(), match[1].lower())
        position = match.end()
    return tuple(words + _words(text[position:], language, ""))


def _starred(text: str, language: str) -> str:
    """Asterisks stress what is said, but for stage directions such as *sighs*."""
    first = text.split()[0].lower().strip(OUTER) if text.split() else ""
    return " " if first in stage_words(language) else text


def _sounds(match: re.Match[str]) -> ScriptWord:
    if ipa.strangers(match[1]) or not ipa.parse(match[1]):
        raise ScriptError(
            f"“{match[0]}” are no speech sounds; write them in IPA, such as /ˈmeɪbəl/."
        )
    written = f"/{' '.join(match[1].split())}/"
    return ScriptWord(written, (written,))


@lru_cache(4096)  # a scene asks for all of its phrases whenever one of its clips moves
def read_aloud(text: str) -> str:
    """A phrase as it is read in captions: what is said as it was written, without the speaker's name before
    it, without directions and marks."""
    said = undirected(SPEAKER.sub("", plain(text)))
    said = FOREIGN.sub(r"\2", STARRED.sub(r"\1", said))
    return " ".join(said.split()) or " ".join(text.split())


def _words(text: str, language: str, mark: str) -> list[ScriptWord]:
    written: list[str] = []
    broken_off = set()
    text = DETACHED_SIGN.sub(r"\1\2", DASHES.sub(f" {BROKEN_OFF} ", GLUED.sub(r"\1 ", text)))
    for token in text.split():
        if token == BROKEN_OFF:
            broken_off.add(len(written) - 1)
        elif GLUED_STOP.search(token) and not _shortened(token, language):
            written += GLUED_STOP.sub(". ", token).split()
        else:
            written += _unspaced(token) if UNSPACED.search(token) else [token]
    words: list[ScriptWord] = []
    for i, token in enumerate(written):
        following = written[i + 1] if i + 1 < len(written) else ""
        word = _bare(token, language, following)
        spoken = following_scale(written[i - 1], word, language) if i else None
        spoken = spoken or speak_written(word, language, following=following)
        if spoken:
            begins = _bare(following, language, "") if i in broken_off else ""
            words.append(ScriptWord(word, spoken, mark, begins if stammered(word, begins) else ""))
    return words


def _shortened(token: str, language: str) -> bool:
    bare = token.strip(OUTER).lower()
    return not abbreviations(language).isdisjoint((bare, f"{bare}."))


def _bare(token: str, language: str, following: str) -> str:
    """A word without its outer punctuation; abbreviations keep their points."""
    word = token.strip(OUTER.replace(".", "")).lstrip(".")
    if INITIALS.match(word):
        return word
    if word.lower() in abbreviations(language) and word.endswith("."):
        numbered = word.lower() in ("no.", "nr.", "núm.")
        if not numbered or following[:1].isdigit():
            return word
    return word.strip(".") or word


def _unspaced(token: str) -> list[str]:
    """Words of a script that is written without spaces: cut where the kind of letter changes."""
    runs = re.findall(
        r"[\u3040-\u309f]+|[\u30a0-\u30ff]+|[\u3400-\u9fff々]+|[^\u3040-\u30ff\u3400-\u9fff]+",
        token,
    )
    return [run for run in runs if run.strip(OUTER)]


def _pieces(text: str) -> list[str]:
    lines = [line.strip() for line in text.split("\n")]
    filled = [line for line in lines if line]
    if len(filled) > 1 and not _wrapped(filled):
        return [piece for line in filled for piece in _sentences(line, longest=25)]
    paragraphs = re.split(r"\n\s*\n", text)
    return [piece for p in paragraphs for piece in _sentences(" ".join(p.split()), longest=0)]


def _wrapped(lines: list[str]) -> bool:
    """Running text broken by an editor: most lines stop in mid sentence, and are so full that the
    next word had hardly a place. (Phrases without full stops, as in a draft, are of any length.)"""
    full = FULL * max(map(len, lines))
    open_ended = sum(
        len(line) > 50 and line[-1] not in '.!?…"”»:;' and len(line) + len(after.split()[0]) >= full
        for line, after in pairwise(lines)
    )
    return open_ended * 2 > len(lines) - 1


def _sentences(text: str, *, longest: int) -> list[str]:
    if not text or len(text.split()) <= longest:
        return [text] if text else []
    pieces: list[str] = []
    for part in (p for p in SENTENCE_END.split(text) if p and p.strip()):
        if pieces and (ABBREVIATION.search(pieces[-1]) or _goes_on(pieces[-1], part)):
            pieces[-1] += " " + part.strip()
        else:
            pieces.append(part.strip())
    return pieces


def _goes_on(piece: str, part: str) -> bool:
    """Whether a piece ends in letters that only begin the word after it."""
    letters = DOTS.search(piece)
    return letters is not None and stammered(letters[1], _bare(part.split()[0], "", ""))


def read_script_file(path: str | Path) -> str:
    """Text of a script file (UTF-8, or UTF-16 with its mark), of captions what is said in them; ScriptError says what
    is wrong."""
    path = Path(path)
    try:
        if path.is_dir():
            raise ScriptError(f"{path} is a folder; choose a text file.")
        if path.stat().st_size > LONGEST:
            raise ScriptError(f"{path.name} is far too long for the script of one recording.")
        data = path.read_bytes()
    except FileNotFoundError:
        raise ScriptError(f"There is no script {path}; check the name.") from None
    except OSError as error:
        raise ScriptError(f"{path.name} cannot be read: {error.strerror}.") from None
    return said_in_captions(decode_text(data, path.name))


def decode_text(data: bytes, name: str) -> str:
    """Bytes of a text file as text; ScriptError for other encodings and for no text at all."""
    text = text_of(data, name, ScriptError)
    if not text.strip():
        raise ScriptError(f"{name} is empty; write what is said in the recording.")
    return text
