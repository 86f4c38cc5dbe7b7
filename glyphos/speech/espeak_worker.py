"""The pronunciation engine, in a process of its own: one JSON request a line in, one answer out.

Run as a script, never imported by the application, so that a crash of the engine or its licence
stays on this side of the pipe. Requests: `languages`, `ipa` (texts to phonemes), `speak` (text to
samples with the start of every sound).
"""

from __future__ import annotations

import base64
import ctypes
import json
import sys
from typing import Any

RETRIEVAL = 1
PHONEME_EVENTS, IPA_EVENTS, DONT_EXIT = 0x1, 0x2, 0x8000
UTF8 = 1
PHONEMES = 0x100  # what stands between [[ and ]] is sounds, in the names of the engine
IPA_SEPARATED = 0x02 | (ord("_") << 8)
EVENT_END, EVENT_WORD, EVENT_PHONEME = 0, 1, 7
SPEED, VOLUME, PITCH, RANGE = 1, 2, 3, 4


class EventId(ctypes.Union):
    _fields_ = [
        ("number", ctypes.c_int),
        ("name", ctypes.c_char_p),
        ("string", ctypes.c_char * 8),
    ]


class Event(ctypes.Structure):
    _fields_ = [
        ("type", ctypes.c_int),
        ("unique_identifier", ctypes.c_uint),
        ("text_position", ctypes.c_int),
        ("length", ctypes.c_int),
        ("audio_position", ctypes.c_int),
        ("sample", ctypes.c_int),
        ("user_data", ctypes.c_void_p),
        ("id", EventId),
    ]


class Voice(ctypes.Structure):
    _fields_ = [
        ("name", ctypes.c_char_p),
        ("languages", ctypes.c_void_p),
        ("identifier", ctypes.c_char_p),
        ("gender", ctypes.c_ubyte),
        ("age", ctypes.c_ubyte),
        ("variant", ctypes.c_ubyte),
        ("xx1", ctypes.c_ubyte),
        ("score", ctypes.c_int),
        ("spare", ctypes.c_void_p),
    ]


CALLBACK = ctypes.CFUNCTYPE(
    ctypes.c_int, ctypes.POINTER(ctypes.c_short), ctypes.c_int, ctypes.POINTER(Event)
)


def language_codes(address: int) -> list[str]:
    """Codes in a voice's list: a priority byte and a closed string each, a zero byte at the end."""
    codes = []
    while ctypes.string_at(address, 1) != b"\0":
        code = ctypes.string_at(address + 1)
        codes.append(code.decode())
        address += len(code) + 2
    return codes


class Engine:
    def __init__(self) -> None:
        import espeakng_loader

        self.lib = ctypes.cdll.LoadLibrary(espeakng_loader.get_library_path())
        self.lib.espeak_TextToPhonemes.restype = ctypes.c_char_p
        self.lib.espeak_ListVoices.restype = ctypes.POINTER(ctypes.POINTER(Voice))
        path = espeakng_loader.get_data_path().encode()
        options = PHONEME_EVENTS | IPA_EVENTS | DONT_EXIT
        self.rate = self.lib.espeak_Initialize(RETRIEVAL, 200, path, options)
        self.samples: list[bytes] = []
        self.sounds: list[tuple[int, str]] = []
        self.words: list[tuple[int, int, int]] = []  # character (from 1), length, its first sound
        self.callback = CALLBACK(self._receive)
        self.lib.espeak_SetSynthCallback(self.callback)
        self.language = ""
        self.files: dict[str, str] = {}
        self.languages()

    def languages(self) -> dict[str, str]:
        """Language codes with the engine's own name of each."""
        voices = self.lib.espeak_ListVoices(None)
        found: dict[str, str] = {}
        i = 0
        while voices[i]:
            voice = voices[i].contents
            i += 1
            if voice.identifier.startswith(b"mb/"):
                continue
            for code in language_codes(voice.languages):
                found.setdefault(code, voice.name.decode())
                self.files.setdefault(code, voice.identifier.decode().rsplit("/", 1)[-1])
        return found

    def choose(self, language: str, variant: str = "") -> None:
        name = self.files.get(language, language) + (f"+{variant}" if variant else "")
        if name != self.language and self.lib.espeak_SetVoiceByName(name.encode()) != 0:
            raise ValueError(f"unknown language or voice {name}")
        self.language = name

    def ipa(self, language: str, texts: list[str]) -> list[str]:
        """Phonemes of each text: `_` between sounds, a space between words."""
        self.choose(language)
        return [self._ipa(text) for text in texts]

    def _ipa(self, text: str) -> str:
        buffer = ctypes.create_string_buffer(text.encode())
        pointer = ctypes.c_void_p(ctypes.addressof(buffer))
        parts = []
        while pointer.value:
            out = self.lib.espeak_TextToPhonemes(ctypes.byref(pointer), UTF8, IPA_SEPARATED)
            parts.append((out or b"").decode())
        return " ".join(p.strip() for p in parts if p.strip())

    def speak(
        self, language: str, text: str, pitch: int, speed: int, variant: str = "", range: int = 50, volume: int = 100
    ) -> dict[str, Any]:  # fmt: skip
        self.choose(language, variant)
        for parameter, value in ((PITCH, pitch), (SPEED, speed), (RANGE, range), (VOLUME, volume)):
            self.lib.espeak_SetParameter(parameter, value, 0)
        self.samples, self.sounds, self.words = [], [], []
        data = text.encode()
        self.lib.espeak_Synth(data, len(data) + 1, 0, 0, 0, UTF8 | PHONEMES, None, None)
        self.lib.espeak_Synchronize()
        return {
            "rate": self.rate,
            "samples": base64.b64encode(b"".join(self.samples)).decode(),
            "sounds": self.sounds,
            "words": self.words,
        }

    def _receive(self, wave: Any, count: int, events: Any) -> int:
        if wave and count > 0:
            self.samples.append(ctypes.string_at(wave, count * 2))
        i = 0
        while events[i].type != EVENT_END:
            if events[i].type == EVENT_PHONEME:
                name = events[i].id.string.decode(errors="replace")
                self.sounds.append((events[i].sample, name))
            elif events[i].type == EVENT_WORD:
                at, length = events[i].text_position, events[i].length
                self.words.append((at, length, len(self.sounds)))
            i += 1
        return 0


def answer(engine: Engine, request: dict[str, Any]) -> Any:
    if request["do"] == "languages":
        return engine.languages()
    if request["do"] == "ipa":
        return engine.ipa(request["language"], request["texts"])
    given = {k: request[k] for k in ("variant", "range", "volume") if k in request}
    return engine.speak(
        request["language"],
        request["text"],
        request.get("pitch", 50),
        request.get("speed", 160),
        **given,
    )


def main() -> None:
    engine = Engine()
    for line in sys.stdin:
        try:
            reply = {"ok": answer(engine, json.loads(line))}
        except Exception as error:  # the other side turns it into a sentence
            reply = {"error": str(error)}
        sys.stdout.write(json.dumps(reply) + "\n")
        sys.stdout.flush()


if __name__ == "__main__":
    main()
