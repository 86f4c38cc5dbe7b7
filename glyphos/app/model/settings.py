"""What a person prefers, kept between starts."""

from __future__ import annotations

from dataclasses import dataclass, fields, replace

from PySide6.QtCore import QByteArray, QSettings

MOST_RECENT = 8
LONGEST_DRAFT = 100_000  # letters


@dataclass(frozen=True)
class Preferences:
    """Choices of the preferences dialog. `device` and `size` 0 or empty: as the system has it."""

    theme: str = "paper"
    gestures: str = "safe"
    size: float = 0.0
    device: str = ""
    snap: str = "off"
    scrub: bool = False
    formants: bool = False
    ruler: str = "seconds"
    legend: bool = False
    face: str = "head"  # or "drawn"
    words_model: str = ""  # a folder, or the one that ships
    pitch: bool = False  # a line over the words of the score


def load() -> Preferences:
    """Preferences as they were kept; anything unknown is as it comes."""
    settings, made = QSettings(), Preferences()
    for field in fields(Preferences):
        stored = settings.value(f"preferences/{field.name}")
        if stored is None:
            continue
        default = getattr(made, field.name)
        try:
            if isinstance(default, bool):
                value: object = str(stored).lower() == "true"
            else:
                value = type(default)(stored)
        except (TypeError, ValueError):
            continue
        made = replace(made, **{field.name: value})
    return made


def save(preferences: Preferences) -> None:
    settings = QSettings()
    for field in fields(Preferences):
        value = getattr(preferences, field.name)
        settings.setValue(
            f"preferences/{field.name}", str(value).lower() if isinstance(value, bool) else value
        )


def recent() -> list[str]:
    """Productions opened last, the latest first."""
    stored = QSettings().value("recent", [])
    names = [stored] if isinstance(stored, str) else list(stored or [])
    return [str(n) for n in names]


def remember(folder: str) -> None:
    """Put a production first among the recent ones."""
    names = [folder, *(n for n in recent() if n != folder)]
    QSettings().setValue("recent", names[:MOST_RECENT])


def forget(folder: str) -> None:
    """A production that is there no more."""
    QSettings().setValue("recent", [n for n in recent() if n != folder])


def keep_layouts(**states: QByteArray) -> None:
    """How parts of the window are arranged; written at once, and only what is another."""
    settings = QSettings()
    for name, state in states.items():
        if settings.value(f"layout/{name}") != state:
            settings.setValue(f"layout/{name}", state)


def layout(name: str) -> QByteArray | None:
    """How a part of the window was arranged, or None."""
    stored = QSettings().value(f"layout/{name}")
    return stored if isinstance(stored, QByteArray) else None


def draft() -> str:
    """The text that was to be said in the Booth when the last window went, and became no lines."""
    return str(QSettings().value("booth/draft", ""))


def keep_draft(text: str) -> None:
    """Written at once, and only what is another, and no longer than what is said at a time."""
    settings = QSettings()
    if len(text) <= LONGEST_DRAFT and draft() != text:
        settings.setValue("booth/draft", text)
        settings.sync()


def voice() -> str:
    """What is known of whoever calibrated the live face last, as text; "" if nobody did."""
    return str(QSettings().value("live/voice", ""))


def keep_voice(text: str) -> None:
    """Written at once."""
    settings = QSettings()
    settings.setValue("live/voice", text)
    settings.sync()
