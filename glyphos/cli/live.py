"""`glyphos live`: a face that speaks now, from a microphone or a file, sent to other programs."""

from __future__ import annotations

import time
from collections.abc import Callable, Mapping
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from ..errors import GlyphosError, SaveError
from ..speech.captioned import script_beside
from .talk import messages, only_for, progress

if TYPE_CHECKING:
    from ..booth.microphone import Microphone
    from ..live.drawn import DrawnFace
    from ..live.ear import Known
    from ..live.sending import Sink

OSC, UDP = 9141, 9142


def live(
    context: typer.Context,
    source: Annotated[str, typer.Option("--input", help="A device by its name, or a recording that is played as if it were spoken; else the first microphone.")] = "",
    character: Annotated[str, typer.Option(help="Send the channels of this character (a fitting, a model, or mabel, osric, pip), or the names of its drawings (a folder, a document, or osric-drawings, pip-drawings).")] = "",
    osc: Annotated[str, typer.Option(help=f"Send OSC bundles to HOST:PORT (such as 127.0.0.1:{OSC}).")] = "",
    udp: Annotated[str, typer.Option(help=f"Send lines of JSON over UDP to HOST:PORT (such as 127.0.0.1:{UDP}).")] = "",
    web: Annotated[int, typer.Option(help="Serve a page and a WebSocket on this port of this machine.")] = 0,
    rate: Annotated[float, typer.Option(help="Packets a second.")] = 60,
    articulation: Annotated[float, typer.Option(help="How strongly the mouth speaks, 0 to 2.")] = 1.0,
    jaw_reach: Annotated[float, typer.Option(help="How far the jaw opens, 0 to 2.")] = 1.0,
    gate: Annotated[float, typer.Option(help="How sure of speech the mouth must be to move: -6 (always) to 6.")] = -6.0,
    life: Annotated[float, typer.Option(help="Blinks, gaze and head: 0 to 2.")] = 1.0,
    calibrate: Annotated[Path | None, typer.Option(help="Know the speaker beforehand, so that shut lips are told better: a recording of them, with what they say beside it (.txt), or of the sentence that Calibrate shows; or a production, by their lines in it.")] = None,
    language: Annotated[str, typer.Option(help="Of that recording, else told by its script; without one, of what is spoken.")] = "",
    speaker: Annotated[str, typer.Option(help="Whose lines of that production tell the voice.")] = "",
    learning: Annotated[bool, typer.Option("--learning/--no-learning", help="Learn the voice while it speaks, beside the face.")] = True,
    seed: Annotated[int, typer.Option(help="Another life.")] = 0,
    seconds: Annotated[float, typer.Option(help="End after so long; 0: with Ctrl+C, or the recording.")] = 0.0,
    record: Annotated[Path | None, typer.Option(help="Keep the sound as a new line of this production.")] = None,
) -> None:  # fmt: skip
    """Drive a face from running sound: about a tenth of a second from sound to packet."""
    from ..booth.kept import LIVE
    from ..live.face import Controls, LiveFace
    from ..live.learning import can_learn
    from ..live.sending import Datagrams, SendingError, Web, address_of
    from ..production.kinds import is_production
    from ..production.store import Store

    if not 1 <= rate <= 100:
        raise typer.BadParameter("--rate is between 1 and 100")
    if not 0 <= articulation <= 2 or not 0 <= jaw_reach <= 2 or not 0 <= life <= 2:
        raise typer.BadParameter("--articulation, --jaw-reach and --life are between 0 and 2")
    if calibrate is None:
        only_for(context, ("speaker",), "--calibrate with a production")
        if not learning:
            only_for(context, ("language",), "learning, or --calibrate with a recording")
    else:
        only_for(context, ("learning",), "a voice that is not known by --calibrate")
        if is_production(calibrate):
            only_for(context, ("language",), "--calibrate with a recording")
        else:
            only_for(context, ("speaker",), "--calibrate with a production")
    if seconds < 0:
        raise typer.BadParameter("--seconds is 0 or more")
    if record is not None:
        Store.open(record).close()  # it is said now if there is none
    if not (osc or udp or web):
        raise SendingError("Nobody would hear of it; give --osc, --udp or --web.")
    addresses = (address_of(osc, OSC) if osc else None, address_of(udp, UDP) if udp else None)
    known = None
    if calibrate is not None:
        by_lines = is_production(calibrate)
        known = _by_lines(calibrate, speaker) if by_lines else _known(calibrate, language)
    make, long = _microphone(source)
    worn, drawn = _worn(character)
    sinks: list[Sink] = [Datagrams(x, osc=k == 0) for k, x in enumerate(addresses) if x is not None]
    if web:
        sinks.append(Web(web, drawn=drawn))
        messages.print(f"look at http://127.0.0.1:{web}")
    controls = Controls(articulation, jaw_reach, gate, False, life)
    face = LiveFace(
        make,
        sinks,
        controls=controls,
        rate=rate,
        seed=seed,
        worn=worn,
        drawn=None if drawn is None else drawn.show,
    )
    face.know(known)
    if known is None and learning:
        if not can_learn(language or "en"):
            messages.print(f"Words in {language} cannot be made out here, so the voice is not learnt while it speaks.")  # fmt: skip
        face.learn(language or "en")
    try:
        face.start()
        if record is not None:
            face.begin_take(record, LIVE)
    except BaseException:
        face.close()
        raise
    until = seconds or long
    began, told = time.monotonic(), ""
    try:
        while not until or time.monotonic() - began < until:
            time.sleep(0.1)
            problem = face.health.problem
            if problem and problem != told:
                messages.print(problem)
            told = problem
    except KeyboardInterrupt:
        pass
    finally:
        health = face.health
        take = face.close()
    middle, most = health.late
    if health.learnt:
        messages.print(f"the voice was learnt while it spoke; its lips were shut {health.learnt} times")  # fmt: skip
    messages.print(f"{health.packets} packets in {health.seconds:.1f} s; sound to packet {middle:.0f} ms, 95 % within {most:.0f}")  # fmt: skip
    if take is not None and record is not None:
        _line(record, take.path)


def _known(path: Path, language: str) -> Known:
    """What a recording of somebody tells of them."""
    from ..live.speaker import learn, sentence_for
    from ..speech.recording import open_recording
    from ..speech.script import read_script_file
    from ..speech.written import languages_of

    recording, script = open_recording(path), script_beside(path)
    if script is not None:
        text = read_script_file(script)
        language = language or languages_of([text], "en")[0]
    else:
        text, language = sentence_for(language or "en")
    with progress(f"Learning the voice of {path.name}") as told:
        known = learn(recording, text, language, told)
    messages.print(f"{path.name}: the voice is learnt; its lips were shut {known.closures} times")  # fmt: skip
    return known


def _by_lines(folder: Path, speaker: str) -> Known:
    """What the lines of somebody in a production tell of them; of the only one who has any, where nobody is named."""
    from ..live.lines import heard_lines, heard_speakers, known_by
    from ..live.speaker import CalibrationError
    from ..production.production import Production

    production = Production.open(folder)
    if not speaker:
        named = heard_speakers(production)
        if len(named) != 1:
            there = (
                f"there are lines of {', '.join(named)}"
                if named
                else "no line that was listened to says yet who speaks it"
            )
            raise CalibrationError(f"Whose lines tell the voice? Say it with --speaker; {there}.")
        speaker = named[0]
    lines = heard_lines(production, speaker)
    with progress(f"Learning the voice of {speaker}") as told:
        known = known_by(lines, speaker, told)
    messages.print(f"{speaker}: the voice is learnt; its lips were shut {known.closures} times")  # fmt: skip
    return known


def _line(folder: Path, path: Path) -> None:
    from ..booth.kept import lines_of, settle
    from ..production.store import Store

    store = Store.open(folder)
    try:
        try:
            made = lines_of(store.production, [path])
        except GlyphosError as error:
            raise SaveError(f"{error} What was spoken is kept as {path}.") from None
        store.keep(store.production.added(made.lines))
        for line in made.lines:
            settle(folder, line.slug, path)
            messages.print(f"{line.slug}: a line now, {line.duration:.1f} s")
        for refusal in made.refused:
            messages.print(f"{refusal} It is kept as {path}.")
    finally:
        store.close()


def _microphone(source: str) -> tuple[Callable[[], Microphone], float]:
    """What makes the microphone, and how long it speaks; 0 for ever."""
    from ..booth.microphone import (
        DeviceMicrophone,
        MicrophoneError,
        StandInMicrophone,
        device_names,
    )
    from ..speech.recording import SOUND_ENDINGS

    path = Path(source)
    if source and path.is_file():
        spoken = StandInMicrophone(path)
        return (lambda: spoken), spoken.duration + 0.5
    if source and path.is_dir():
        raise MicrophoneError(f"{source} is a folder; choose one recording inside it.")
    if path.suffix.lower() in SOUND_ENDINGS or source.startswith(("/", "./", "../")):
        raise MicrophoneError(f"There is no file {source}; check its name.")
    words, names = source.lower().split(), device_names()
    if not any(all(w in name.lower() for w in words) for name in names):
        known = f"there are: {', '.join(names)}" if names else "there is none at all"
        what = f"no microphone “{source}”" if source else "no microphone"
        raise MicrophoneError(
            f"There is {what} ({known}); a recording can be spoken instead: --input line.wav."
        )
    return (lambda: DeviceMicrophone(source)), 0.0


def _worn(
    character: str,
) -> tuple[Callable[[Mapping[str, float]], Mapping[str, float]] | None, DrawnFace | None]:
    """From our channels to those of a character, or its drawings."""
    from .dressing import drawings_from, dressed_from, is_drawn

    if not character:
        return None, None
    if is_drawn(character):
        from ..live.drawn import DrawnFace

        return None, DrawnFace(*drawings_from(character))
    return dressed_from(character).weights_for, None
