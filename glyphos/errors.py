"""The errors a user can meet: each is one clear sentence that says what is wrong and what to do."""

from __future__ import annotations

import re

MOST = 500  # letters of a sentence
NO_TEXT = re.compile("[\ud800-\udfff]+")  # how Python holds what is none in the names of files


def printable(text: str) -> str:
    """A name of a file, or a text with such, as it can be shown and kept: what is not text (UTF-8) in it becomes �."""
    return NO_TEXT.sub("\N{REPLACEMENT CHARACTER}", text)


class GlyphosError(Exception):
    """Any failure that the user can understand and act on; its text is one sentence."""

    def __str__(self) -> str:
        """One line, whatever a file holds that it quotes."""
        text = " ".join(printable(super().__str__()).split())
        return text if len(text) <= MOST else f"{text[: MOST // 2]} … {text[-MOST // 2 :]}"


class RecordingError(GlyphosError):
    """A recording cannot be read or holds nothing to listen to."""


class NoWordsError(RecordingError):
    """No words can be made out in a recording."""


class ScriptError(GlyphosError):
    """A script cannot be read, or does not belong to the recording."""


class LanguageError(GlyphosError):
    """The language asked for is not known, or its engine cannot be reached."""


class DocumentError(GlyphosError):
    """A file of ours (reading, motion, production) is damaged or of another kind."""


class NewerError(DocumentError):
    """A document was made by a newer Glyphos; it is left alone."""


class SaveError(GlyphosError):
    """Something could not be written; nothing is left half-written."""


class ModelError(GlyphosError):
    """A model that cannot be used, and what to do."""


class StageError(GlyphosError):
    """A picture cannot be drawn here."""


class Cancelled(GlyphosError):
    """The person stopped the work; not shown as a failure."""


class EditError(GlyphosError):
    """A correction cannot be made there."""


def sentence(error: BaseException) -> str:
    """What an error means to a person, whatever it is: always one sentence."""
    return printable(_sentence(error))


def _sentence(error: BaseException) -> str:
    if isinstance(error, GlyphosError):
        return str(error)
    if isinstance(error, MemoryError):
        return "There is not enough memory for this; close other programs and try again."
    if isinstance(error, FileNotFoundError) and error.filename:
        return f"There is no file {error.filename}; check its name."
    if isinstance(error, OSError):
        where = f" ({error.filename})" if error.filename else ""
        text = error.strerror or str(error) or type(error).__name__
        return f"The system refused it: {text[:1].lower() + text[1:]}{where}."
    return f"Something went wrong inside Glyphos ({type(error).__name__}: {error})."
