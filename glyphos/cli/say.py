"""`glyphos say`: lines before there is an actor, spoken by placeholder voices."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import msgspec
import typer

from .talk import Folder, counted, messages, only_for, progress

if TYPE_CHECKING:
    from ..production.production import Production
    from ..scene.documents import Scene


def say(
    context: typer.Context,
    production: Folder,
    text: Annotated[str, typer.Option(help="What is said, with NAME: before it if several speak.")] = "",
    script: Annotated[Path | None, typer.Option(help="A text file with what is said.")] = None,
    speaker: Annotated[str, typer.Option(help="Who says what names nobody.")] = "",
    language: Annotated[str, typer.Option(help="Language; else the speaker's, or the one that the text is in.")] = "",
    voice: Annotated[list[str] | None, typer.Option(help="A speaker's voice, kept with them: NAME:kind=f2,pitch=60,pace=150,energy=0.7,language=it (may be given again).")] = None,
    command: Annotated[str, typer.Option(help="A better voice: a command that reads text and writes WAV.")] = "",
    scene: Annotated[str, typer.Option(help="Put what is said in a new scene of this name, with natural gaps.")] = "",
    again: Annotated[list[str] | None, typer.Option(help="Say this placeholder line again, as its script and voice are now (may be given again).")] = None,
) -> None:  # fmt: skip
    """Say a script: every turn becomes a line with a placeholder voice and exact times, until it is recorded."""
    from ..booth.speaking import respoken, spoken, with_voice
    from ..errors import ScriptError
    from ..production.kinds import scene_key
    from ..production.store import Store
    from ..speech.script import read_script_file

    if text and script is not None:
        raise typer.BadParameter("give --text or --script, not both")
    words = read_script_file(script) if script is not None else text
    if not words:
        only_for(context, ("speaker", "language", "scene"), "what is said with --text or --script")
    voices = [_voice(v) for v in voice or ()]
    if not words and not voices and not again:
        raise ScriptError("There is nothing to say; give --text or --script.")
    store = Store.open(production)
    try:
        given = store.production
        for name, changes in voices:
            given = given.changed(with_voice(given, name, _changed(given, name, changes)))
        if voices:  # all of them, or none where one cannot be
            store.keep(given.headed())
        for slug in again or ():
            if not store.production.has(slug) or not store.production.line(slug).placeholder:
                raise ScriptError(f"“{slug}” is no placeholder line of {production}.")
            made = respoken(store.production, store.production.line(slug), command=command)
            store.keep(store.production.put(made))
            messages.print(f"{slug}: said again")
        if not words:
            return
        with progress("Saying it") as told:
            found = spoken(store.production, words, speaker=speaker, language=language, command=command, progress=told)  # fmt: skip
        store.keep(store.production.added(found.lines))
        for refusal in found.refused:
            messages.print(f"left out: {refusal}")
        for paragraph in found.unsaid:
            messages.print(f"nobody says: {paragraph[:60]}")
        messages.print(f"{counted(len(found.lines))} said{found.tongues}")
        if scene and found.lines:
            shown = _scene(store.production, scene, [x.slug for x in found.lines])
            store.keep({scene_key(shown.slug): shown})
            messages.print(f"{scene}: kept as scenes/{shown.slug}.json")
    finally:
        store.close()
    if found.refused:
        raise typer.Exit(1)


def _voice(text: str) -> tuple[str, dict[str, Any]]:
    name, colon, rest = text.partition(":")
    changes: dict[str, Any] = {}
    for part in filter(None, rest.split(",")):
        key, _, value = part.partition("=")
        changes[key.strip()] = value.strip()
    if not colon or not changes:
        raise typer.BadParameter(f"“{text}” is no voice; write as in Mabel:kind=f2,pitch=60")
    return name.strip(), changes


def _changed(production: Production, name: str, changes: dict[str, Any]) -> Any:
    from ..booth.speaking import voice_of
    from ..speech.espeak import voice_for
    from ..speech.saying import FASTEST, KINDS, SLOWEST, PlaceholderVoice

    values = {
        "kind": f"one of {', '.join(k for k in KINDS if k)}", "pitch": "0 to 99",
        "pace": f"{SLOWEST} to {FASTEST} words a minute", "energy": "0 to 1", "language": "a code as in it",
    }  # fmt: skip
    fields = msgspec.to_builtins(voice_of(production, name))
    unknown = sorted(set(changes) - set(fields))
    if unknown:
        raise typer.BadParameter(f"a voice has no “{unknown[0]}”; it has {', '.join(fields)}")
    for key, value in changes.items():
        try:
            msgspec.convert(fields | {key: value}, PlaceholderVoice, strict=False)
        except msgspec.ValidationError:
            raise typer.BadParameter(f"{key} is {values[key]}, not “{value}”") from None
    if changes.get("language"):
        voice_for(changes["language"])
    return msgspec.convert(fields | changes, PlaceholderVoice, strict=False)


def _scene(production: Production, name: str, slugs: list[str]) -> Scene:
    from ..handoff.filming import scene_from
    from ..production.documents import slugify

    slug = slugify(name, {s.slug for s in production.scenes})
    return scene_from([production.line(s) for s in slugs], slug=slug, name=name)
