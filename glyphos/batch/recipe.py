"""What is to be done with every line of a job: a recipe, also as a TOML file that people write.

Every key may be left out. A key that nobody knows is refused with the nearest one that is known.
"""

from __future__ import annotations

import tomllib
from collections.abc import Mapping
from difflib import get_close_matches
from fnmatch import fnmatch
from pathlib import Path
from typing import Any, Literal, get_args, get_type_hints

import msgspec

from ..errors import DocumentError, GlyphosError, SaveError, ScriptError
from ..files import reason, write_atomic
from ..handoff.deliver import CHARACTER_FORMATS, CURVES, TIMINGS, Wish
from ..handoff.drawn import FORMATS
from ..motion.delivery import Delivery
from ..motion.fewest import ERROR
from ..motion.life.event import Liveliness
from ..motion.mood import MoodSpan, check_moods
from ..production.documents import Line
from ..rates import frame_rate

Step = Literal["listen", "perform", "proof", "hand"]
STEPS: tuple[Step, ...] = get_args(Step)


class Files(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """What is handed over, as `handoff.deliver.Wish` has it; error as a share of the range."""

    curves: str = "csv"
    timing: str = ""
    character: str = ""
    drawings: str = ""
    names: str = "{line}"
    error: float = ERROR
    first_frame: int = 0
    before: float = 0.0
    after: float = 0.0
    apart: bool = False


class Bounds(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """Limits of one line: seconds and megabytes it may take, minutes it may last, how often it is tried again
    where a process is lost."""

    seconds: float = 300.0
    megabytes: float = 4000.0
    minutes: float = 20.0
    retries: int = 2


class Scripts(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """Programs of the user's own: before and after each line, before and after the whole job."""

    before: str = ""
    after: str = ""
    job_before: str = ""
    job_after: str = ""


class Recipe(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """The whole of it. languages: by patterns of file names, the first that fits; characters: a model, a
    fitting, drawings or one of ours by speaker, "*" for everybody; mood: NAME or NAME:STRENGTH."""

    steps: tuple[Step, ...] = STEPS
    fps: str = ""
    language: str = ""
    languages: dict[str, str] = {}
    lexicon: str = ""
    words_model: str = ""
    characters: dict[str, str] = {}
    mood: str = ""
    preview: bool = False
    delivery: Delivery | None = None
    life: Liveliness | None = None
    hand: Files = Files()
    limits: Bounds = Bounds()
    scripts: Scripts = Scripts()

    def wish(self, fps: str) -> Wish:
        """What is handed over, at the production's rate where the recipe has none."""
        h = self.hand
        return Wish(h.curves, h.timing, self.fps or fps, h.character, h.names, h.error, h.first_frame, h.before,
                    h.after, h.drawings, h.apart)  # fmt: skip

    def language_of(self, name: str) -> str:
        """The language of a recording by its file's name; "" where nothing is said of it."""
        found = (v for k, v in self.languages.items() if fnmatch(name.lower(), k.lower()))
        return next(found, self.language)

    def worn(self, line: Line) -> Line:
        """A line with the delivery, life and mood of the recipe, where it has them."""
        changes: dict[str, Any] = {}
        if self.delivery is not None:
            changes["delivery"] = self.delivery
        if self.life is not None:
            changes["life"] = self.life
        if self.mood and not line.moods:
            name, _, strength = self.mood.partition(":")
            changes["moods"] = (MoodSpan(name, 0.0, line.duration or 1e6, float(strength or 1.0)),)
        return msgspec.structs.replace(line, **changes) if changes else line


def check_recipe(recipe: Recipe) -> None:
    """DocumentError, one sentence, for what cannot be done."""
    hand, bounds = recipe.hand, recipe.limits
    for what, value, known in (
        ("curves", hand.curves, CURVES), ("timing", hand.timing, TIMINGS),
        ("character", hand.character, CHARACTER_FORMATS), ("drawings", hand.drawings, FORMATS),
    ):  # fmt: skip
        if value and value not in known:
            raise DocumentError(f"{what} = “{value}” is none of: {', '.join(known)}")
    if not recipe.steps:
        raise DocumentError(f"steps are some of: {', '.join(STEPS)}")
    if min(bounds.seconds, bounds.megabytes, bounds.minutes) < 0 or not 0 <= bounds.retries <= 20:
        raise DocumentError("limits are not below 0, retries at most 20")
    if recipe.fps:
        frame_rate(recipe.fps)
    try:
        check_moods(recipe.worn(Line("line", "line.wav", duration=1.0)).moods)
    except ValueError:
        raise DocumentError(f"mood = “{recipe.mood}” is none; write as in joy:0.8") from None


def with_formats(recipe: Recipe, formats: str) -> Recipe:
    """A recipe that hands over in formats named as in `glb,csv,vtt`; ScriptError for one that is none."""
    chosen = dict.fromkeys(("curves", "timing", "character", "drawings"), "")
    for name in filter(None, (n.strip() for n in formats.split(","))):
        kinds = (("curves", CURVES), ("timing", TIMINGS), ("character", CHARACTER_FORMATS), ("drawings", FORMATS))  # fmt: skip
        kind = next((k for k, known in kinds if name in known and not chosen[k]), "")
        if not kind:
            known = dict.fromkeys(n for _, names in kinds for n in names)
            raise ScriptError(f"“{name}” is no format that is left; there are: {', '.join(known)}.")
        chosen[kind] = name
    if not any(chosen.values()):
        raise ScriptError("Name formats as in: --formats glb,csv.")
    hand = msgspec.structs.replace(recipe.hand, **chosen)
    return msgspec.structs.replace(recipe, hand=hand)


def read_recipe(path: str | Path) -> Recipe:
    """A recipe from its file; DocumentError, one sentence, for what it should not hold. Names of files in it
    are relative to where it lies."""
    path = Path(path)
    try:
        data = tomllib.loads(path.read_text(encoding="utf-8"))
    except OSError as error:
        raise DocumentError(f"{path} cannot be read: {reason(error)}.") from None
    except (tomllib.TOMLDecodeError, UnicodeDecodeError) as error:
        raise DocumentError(f"{path.name} is no recipe: {error}.") from None
    data.pop("glyphos_recipe", None)
    try:
        _know(data, Recipe, "")
        recipe = msgspec.convert(data, Recipe, strict=True)
        check_recipe(recipe)
    except msgspec.ValidationError as error:
        raise DocumentError(f"In {path.name}, {_plain(str(error))}.") from None
    except GlyphosError as error:
        text = str(error).rstrip(".")
        raise DocumentError(f"In {path.name}, {text}{'' if text[-1] in '?!' else '.'}") from None
    return _placed(recipe, path.parent)


def write_recipe(recipe: Recipe, path: str | Path) -> None:
    """Keep a recipe as TOML, only what is not as usual. SaveError if it cannot be written."""
    import tomli_w

    path = Path(path)
    if path.suffix.lower() != ".toml":
        raise SaveError(f"{path.name} should end in .toml, since that is what a recipe is.")
    fields = _unusual(msgspec.to_builtins(recipe), msgspec.to_builtins(Recipe()))
    text = "# A recipe of Glyphos: glyphos batch SOURCE --to FOLDER --recipe THIS\n"
    write_atomic(path, (text + tomli_w.dumps({"glyphos_recipe": 1} | fields)).encode())


def _unusual(fields: Mapping[str, Any], usual: Mapping[str, Any]) -> dict[str, Any]:
    made: dict[str, Any] = {}
    for name, value in fields.items():
        plain = usual.get(name)
        if value is None or value == plain:
            continue
        if isinstance(value, dict) and isinstance(plain, dict) and plain:
            value = _unusual(value, plain)
        made[name] = value
    return made


def _know(data: Mapping[str, Any], kind: Any, where: str) -> None:
    """DocumentError with the nearest name for a key that is none."""
    hints = get_type_hints(kind)
    known = list(kind.__struct_fields__)
    for key, value in data.items():
        if key not in known:
            near = get_close_matches(key, known, 1, 0.65)
            help_ = f"; do you mean “{near[0]}”?" if near else f"; known are: {', '.join(known)}"
            raise DocumentError(f"there is no “{where}{key}”{help_}")
        inside = next(
            (t for t in (hints[key], *get_args(hints[key])) if hasattr(t, "__struct_fields__")), None
        )  # fmt: skip
        if inside is not None and isinstance(value, dict):
            _know(value, inside, f"{where}{key}.")


def _plain(text: str) -> str:
    """What a decoder says, with the name of the key as people write it."""
    what, _, where = text.partition(" - at `$")
    return (
        f"{where.rstrip('`').lstrip('.')}: {what[:1].lower()}{what[1:]}"
        if where
        else what[:1].lower() + what[1:]
    )


def _placed(recipe: Recipe, folder: Path) -> Recipe:
    def place(name: str) -> str:
        there = folder / name
        return str(there.resolve()) if name and there.exists() else name

    return msgspec.structs.replace(
        recipe, lexicon=place(recipe.lexicon), words_model=place(recipe.words_model),
        characters={k: place(v) for k, v in recipe.characters.items()},
    )  # fmt: skip
