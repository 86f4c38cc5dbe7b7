"""What is said in captions (WebVTT, W3C 2019, or SubRip), for those whose script is a file of them."""

from __future__ import annotations

import html
import re
from pathlib import Path

SCRIPTS = (".txt", ".vtt", ".srt")  # endings of what may be a script
ARROW = re.compile(r"^[ \t]*(?:\d+:)?\d+:\d+[.,]\d+[ \t]*-->.*$", re.M)
CUE = re.compile(r"<[\d:.]+>|\{\\[^{}]*\}")  # when a word is shown, and where a caption stands
TAG = re.compile(r"</?([A-Za-z]+)[^<>\n]*>")
APART = frozenset("br p break pause wait nl".split())  # tags that stand between words
ENTITY = re.compile(r"&(?:[A-Za-z]{2,8}|#\d{1,6}|#[xX][0-9A-Fa-f]{1,6});")
ESCAPED = re.compile(r"\\[nr]")  # a new line as tables and programs write it
VOICE = re.compile(r"<v(?:\.[^\s>]*)?\s+([^<>\n]+)>")


def script_beside(audio: Path) -> Path | None:
    """The file of a recording's name that may be its script, if there is one: a text before captions."""
    endings = (e for ending in SCRIPTS for e in (ending, ending.upper()))
    return next((p for e in endings if (p := audio.with_suffix(e)).is_file()), None)


def said_in_captions(text: str) -> str:
    """A line for each caption, with the speaker that a voice tag names; the same text if it has no captions."""
    if not ARROW.search(text):
        return text
    said: list[str] = []
    for block in re.split(r"\n[ \t]*\n", text.replace("\r\n", "\n").replace("\r", "\n")):
        arrow = ARROW.search(block)
        if arrow is not None:  # before it stands its number, elsewhere what nobody says
            body = VOICE.sub(_speaker, block[arrow.end() :])
            said.append(" ".join(plain(CUE.sub("", body)).split()))
    return "\n".join(line for line in said if line)


def plain(text: str) -> str:
    """A text without what subtitles, tables and programs leave in it: tags (`<i>`), entities (`&amp;`), written-out new
    lines (`\\n`)."""
    text = ENTITY.sub(lambda m: html.unescape(m[0]), text)
    text = ESCAPED.sub("\n", text).replace("\\t", " ")
    return TAG.sub(lambda m: " " if m[1].lower() in APART else "", text)


def _speaker(match: re.Match[str]) -> str:
    return f"{match[1].strip().upper()}: "
