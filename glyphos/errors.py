"""The errors a user can meet: each is one clear sentence that says what is wrong and what to do."""


class GlyphosError(Exception):
    """Any failure that the user can understand and act on; its text is one sentence."""


class RecordingError(GlyphosError):
    """A recording cannot be read or holds nothing to listen to."""


class ScriptError(GlyphosError):
    """A script cannot be read, or does not belong to the recording."""


class LanguageError(GlyphosError):
    """The language asked for is not known, or its engine cannot be reached."""


class DocumentError(GlyphosError):
    """A file of ours (reading, motion, production) is damaged or of another kind."""


class SaveError(GlyphosError):
    """Something could not be written; nothing is left half-written."""


class Cancelled(GlyphosError):
    """The person stopped the work; not shown as a failure."""


class EditError(GlyphosError):
    """A correction cannot be made there."""
