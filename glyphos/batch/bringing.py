"""Where the lines of a job come from: a production as it is, or recordings that become lines of the target."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

import msgspec

from ..characters.builtin import BUILTIN, SETS
from ..errors import GlyphosError, ScriptError
from ..files import make_folder
from ..production.adding import Wanted, add_lines, digest, script_text_beside, wanted_from
from ..production.carrying import unheard
from ..production.documents import Character, Header, Line, known_as, slugify
from ..production.kinds import LEX, Key, character_key, is_production
from ..production.production import Production
from ..production.store import Store
from ..speech.lexicon import read_lexicon_file
from .kept import Kept, Source
from .recipe import Recipe


@dataclass(frozen=True)
class Brought:
    """Slugs of the lines that a source stands for, in order, and a sentence for each file left out."""

    slugs: tuple[str, ...]
    refused: tuple[str, ...] = ()


def opened(source: Path, target: Path, recipe: Recipe) -> Store:
    """The production that a job works on: the source, if it is one, else one in the target, made where there is
    none. It stays open for nobody else."""
    if is_production(source):
        return Store.open(source)
    if is_production(target):
        return Store.open(target)
    for place in ("lines", "audio"):
        make_folder(target / place)
    header = Header(target.resolve().name, recipe.fps or "24", recipe.language or "en")
    Production.of(target, header).save()
    return Store.open(target)


def brought(store: Store, source: Path, kept: Kept, recipe: Recipe) -> Brought:
    """Lines for everything that is in a source; those that were brought before are found again, and follow
    their recordings and texts where these changed and nobody worked on the lines since."""
    if is_production(source):
        return Brought(tuple(store.production.slugs))
    found = wanted_from([source])
    if not found.wanted and not found.refused:
        raise ScriptError(f"There are no recordings in {source}; name a folder, a table or a production.")  # fmt: skip
    return Brought(*_taken(store, found.wanted, kept, recipe, found.refused))


def _taken(
    store: Store, wanted: Sequence[Wanted], kept: Kept, recipe: Recipe, refused: Sequence[str]
) -> tuple[tuple[str, ...], tuple[str, ...]]:  # fmt: skip
    sources = {k: v for k, v in kept.sources().items() if store.production.has(k)}
    by_path: dict[str, list[str]] = {}  # a recording may be said to hold several lines
    for line in store.production.lines:
        path = sources[line.slug].path if line.slug in sources else line.audio
        by_path.setdefault(path, []).append(line.slug)
    fresh: list[Wanted] = []
    order: list[str | Wanted] = []  # slugs, and what gets one
    said = list(refused)
    named = (replace(w, language=w.language or recipe.language_of(w.path.name)) for w in wanted)
    for want in dict.fromkeys(named):
        path = str(want.path.resolve())
        if not by_path.get(path):
            fresh.append(want)
            order.append(want)
            continue
        known = by_path[path]
        alike = (s for s in known if s in sources and sources[s].text == want.text)
        slug = next(alike, known[0])
        known.remove(slug)
        order.append(slug)
        try:
            now = _source(want)
        except (GlyphosError, OSError) as error:
            said.append(f"{want.path.name} is left as it was: {error}")
            continue
        before = sources.get(slug, now)
        if now != before:
            line = _followed(store.production.line(slug), want, before, now)
            store.keep(store.production.put(line))
        sources[slug] = now
    made = add_lines(store.production, fresh, copy=False, look=False)
    given = dict(zip(made.made_of, made.lines, strict=True))
    for want, line in given.items():
        sources[line.slug] = Source(line.audio, line.digest, _text(want))
    kept.keep_sources(sources)  # before the lines: those that are not there then are added again
    store.keep(store.production.added(made.lines))
    slugs = (
        x if isinstance(x, str) else given[x].slug
        for x in order
        if isinstance(x, str) or x in given
    )
    return tuple(s for s in slugs if store.production.has(s)), (*said, *made.refused)


def _source(want: Wanted) -> Source:
    return Source(str(want.path.resolve()), digest(want.path), _text(want))


def _text(want: Wanted) -> str:
    return want.text if want.text is not None else script_text_beside(want.path)


def _followed(line: Line, want: Wanted, before: Source, now: Source) -> Line:
    """A line whose recording or text changed: it is listened to again. A script that a person worked on stays."""
    script, draft = line.script, line.reading.text if line.reading is not None else ""
    if script.strip() in ("", before.text.strip()) or (not before.text and script == draft):
        script = now.text
    if now.sound == before.sound and script == line.script:
        return line
    return unheard(
        line, digest=now.sound, script=script, problem="", confirmed=False, duration=0.0,
        language=want.language or line.language,
    )  # fmt: skip


def dressed(production: Production, slugs: Sequence[str], recipe: Recipe) -> dict[Key, Any]:
    """What a recipe changes besides lines: pronunciations, and who speaks for whom. What it says of a speaker
    comes before what the production says; "*" stands for all whom it does not name."""
    made: dict[Key, Any] = {}
    if recipe.lexicon:
        made[LEX] = read_lexicon_file(Path(recipe.lexicon))
    if not recipe.characters:
        return made
    named = {s.strip().casefold() for s in recipe.characters if s != "*"}
    spoken = {production.line(s).speaker.strip() for s in slugs}
    others = tuple(sorted(s for s in spoken if s.casefold() not in named))
    taken = {c.slug for c in production.characters}
    for speaker, source in recipe.characters.items():
        character = character_from(source, others if speaker == "*" else (speaker,), taken)
        before = next((c for c in production.characters if c.model == character.model), None)
        if before is not None:  # with all that was set on it since
            character = msgspec.structs.replace(before, speakers=character.speakers)
        taken.add(character.slug)
        made[character_key(character.slug)] = character
    ours = {known_as(s) for c in made.values() if isinstance(c, Character) for s in c.speakers}
    for character in production.characters:
        if character_key(character.slug) not in made:
            left = tuple(s for s in character.speakers if known_as(s) not in ours)
            if left != character.speakers:
                changed = msgspec.structs.replace(character, speakers=left)
                made[character_key(character.slug)] = changed
    return made


def character_from(source: str, speakers: tuple[str, ...], taken: Collection[str]) -> Character:
    """A character of one of our names, a model, a fitting, a document of drawings or a folder of them.
    ModelError or DocumentError says what is wrong with it."""
    from ..characters.drawings.documents import is_drawings
    from ..characters.drawings.reading import read_drawings
    from ..characters.fittings import fitting_for, open_fitting
    from ..characters.models.opening import open_head

    if source in BUILTIN:
        return Character(slugify(source, taken), source.capitalize(), source, speakers=speakers)  # fmt: skip
    path = Path(source).resolve()
    document = path.suffix.lower() == ".json" and path.is_file()
    if source in SETS or path.is_dir() or (document and is_drawings(path.read_bytes())):
        from ..characters.builtin import set_path

        found = read_drawings(set_path(source) if source in SETS else path)
        model = source if source in SETS else str(found.folder.resolve())
        return Character(
            slugify(path.stem, taken), path.stem, model, speakers=speakers, drawings=found.drawings
        )
    if document:
        fitting, path = open_fitting(path)
    else:
        fitting = fitting_for(open_head(path))
    return Character(slugify(path.stem, taken), path.stem, str(path.resolve()), speakers=speakers, fitting=fitting)  # fmt: skip
