"""Listening, measured against labels made by others."""

from __future__ import annotations

import tempfile
import unittest
from pathlib import Path

import numpy as np
import soundfile
from praatio import textgrid

from glyphos.errors import Cancelled, LanguageError, RecordingError, ScriptError
from glyphos.speech.listen import listen
from glyphos.speech.reading import decode, encode
from tests.labels import DATA, HAND, errors, found, synthesiser_labels

ENGLISH = ("kal_diphone", "slt_hts", "flite_awb", "flite_rms")
ITALIAN = ("lp_diphone", "pc_diphone")


def clip_errors(stem: Path, language: str) -> list[float]:
    reading = listen(
        stem.with_suffix(".flac"), stem.with_suffix(".txt").read_text(), language=language
    )
    labels = synthesiser_labels(stem.with_suffix(".lab"), language)
    return errors(found(reading, language), labels)


class Timing(unittest.TestCase):
    def mean_error(self, voices: tuple[str, ...], language: str) -> float:
        every: list[float] = []
        for voice in voices:
            for path in sorted(DATA.glob(f"{voice}-*.txt")):
                every += clip_errors(path.with_suffix(""), language)
        self.assertGreater(len(every), 60)
        return float(np.mean(np.abs(every))) * 1000

    def test_english_starts_are_within_8_ms_and_a_half_of_the_synthesisers_own(self) -> None:
        # Source: segment times written by Debian's festival and flite voices.
        self.assertLess(self.mean_error(ENGLISH, "en"), 8.5)

    def test_italian_starts_are_within_12_ms_of_the_synthesisers_own(self) -> None:
        # Source: segment times written by Debian's two Italian festival voices.
        self.assertLess(self.mean_error(ITALIAN, "it"), 12.0)

    def test_starts_are_within_20_ms_of_hand_labels(self) -> None:
        # Source: phone labels in the example files of the praatio source package.
        every: list[float] = []
        for name, labels, text in (
            ("bobby.wav", "bobby_phones.TextGrid", "Bobby ripped the ledger"),
            ("mary.wav", "mary.TextGrid", "Mary rolled the barrel"),
        ):
            tier = textgrid.openTextgrid(str(DATA / labels), False).getTier("phone")
            marks = [(e.start, e.label.rstrip("012").upper()) for e in tier.entries]
            theirs = [(start, HAND.get(label, label)) for start, label in marks]
            every += errors(found(listen(DATA / name, text), "en"), theirs)
        self.assertGreater(len(every), 20)
        self.assertLess(np.mean(np.abs(every)) * 1000, 20.0)


class Doubt(unittest.TestCase):
    clip = DATA / "slt_hts-001.flac"
    text = "Bring me the blue map before the dome opens."

    def confidence(self, text: str) -> dict[str, float]:
        return {w.text: w.confidence for w in listen(self.clip, text).words()}

    def test_a_right_script_is_believed(self) -> None:
        self.assertGreater(np.median(list(self.confidence(self.text).values())), 0.8)

    def test_a_wrong_word_stands_out(self) -> None:
        words = self.confidence(self.text.replace("blue", "cheese"))
        self.assertEqual(min(words, key=words.__getitem__), "cheese")
        self.assertLess(words["cheese"], 0.2)

    def test_an_extra_word_stands_out(self) -> None:
        words = self.confidence(self.text.replace("map", "yesterday map"))
        self.assertLess(words["yesterday"], 0.2)

    def test_a_missing_word_is_shown_as_unread_speech(self) -> None:
        reading = listen(self.clip, self.text.replace("before ", ""))
        self.assertTrue(any(s.start > 0.9 and s.end < 2.2 for s in reading.unread), reading.unread)
        self.assertTrue(any(w.doubtful for w in reading.words()))

    def test_a_script_for_another_recording_is_refused(self) -> None:
        with self.assertRaisesRegex(ScriptError, "belong"):
            listen(self.clip, "Seven yellow chairs fell off a fishing ship on Thursday.")

    def test_of_a_script_in_another_language_than_the_line_it_is_said(self) -> None:
        with self.assertRaisesRegex(ScriptError, "written in Italian but listened to in English"):
            listen(self.clip, "Sette sedie gialle cadono da una nave di pescatori il giovedì.")
        with self.assertRaisesRegex(ScriptError, "check the script"):
            listen(self.clip, "Seven yellow chairs fell off a fishing ship on Thursday.")

    def test_a_script_a_hundred_times_too_long_is_refused(self) -> None:
        with self.assertRaisesRegex(ScriptError, "too long"):
            listen(self.clip, " ".join([self.text] * 100))


class Structure(unittest.TestCase):
    def test_sounds_are_in_order_inside_their_words_and_the_recording(self) -> None:
        reading = listen(DATA / "librivox-0870.wav", (DATA / "librivox-0870.txt").read_text())
        at = 0.0
        for word in reading.words():
            self.assertEqual((word.start, word.end), (word.phones[0].start, word.phones[-1].end))
            for phone in word.phones:
                self.assertGreaterEqual(phone.start, at - 1e-9)
                self.assertGreater(phone.end, phone.start)
                at = phone.end
        self.assertLessEqual(at, reading.audio.duration)
        self.assertEqual(sum(len(p.words) for p in reading.phrases), 22)

    def test_a_reading_survives_its_file(self) -> None:
        reading = listen(Doubt.clip, Doubt.text)
        data = encode(reading)
        self.assertEqual(decode(data), reading)
        self.assertTrue(data.startswith(b'{\n "format": "glyphos-reading",\n "version": 1'))

    def test_the_same_input_gives_the_same_reading(self) -> None:
        self.assertEqual(
            encode(listen(Doubt.clip, Doubt.text)), encode(listen(Doubt.clip, Doubt.text))
        )

    def test_listening_can_be_stopped(self) -> None:
        def stop(_: float) -> None:
            raise Cancelled("Stopped.")

        with self.assertRaises(Cancelled):
            listen(Doubt.clip, Doubt.text, progress=stop)

    def test_an_unknown_language_names_near_ones(self) -> None:
        with self.assertRaisesRegex(LanguageError, "not written in letters of “en”"):
            listen(DATA / "bobby.wav", "Привет, мир, как дела")
        with self.assertRaisesRegex(LanguageError, "did you mean"):
            listen(Doubt.clip, Doubt.text, language="itt")


class Formats(unittest.TestCase):
    """Any rate, any channel count, any common container; bad files get one sentence."""

    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        self.samples, self.rate = soundfile.read(Doubt.clip, dtype="float32")

    def starts(self, name: str, samples: np.ndarray, rate: int, **how: str) -> np.ndarray:
        path = self.folder / name
        soundfile.write(path, samples, rate, **how)
        return np.array([p.start for p in listen(path, Doubt.text).phones()])

    def test_rates_channels_and_codecs_give_the_same_timing(self) -> None:
        import soxr

        plain = np.array([p.start for p in listen(Doubt.clip, Doubt.text).phones()])
        eight = np.repeat(self.samples[:, None], 8, axis=1)
        opposite = np.stack([self.samples, -self.samples], axis=1)
        for name, samples, rate in (
            ("wide.wav", soxr.resample(self.samples, self.rate, 192_000), 192_000),
            ("eight.wav", eight, self.rate),
            ("opposite.wav", opposite, self.rate),
            ("line.ogg", self.samples, self.rate),
            ("line.mp3", self.samples, self.rate),
            ("clipped.wav", np.clip(self.samples * 6, -1, 1), self.rate),
        ):
            with self.subTest(name):
                moved = np.abs(self.starts(name, samples, rate) - plain)
                self.assertLess(np.mean(moved), 0.015)

    def test_telephone_sound_is_listened_to(self) -> None:
        import soxr

        low = soxr.resample(self.samples, self.rate, 8000)
        self.assertEqual(len(self.starts("phone.wav", low, 8000)), 29)

    def test_bad_recordings_get_a_sentence(self) -> None:
        (self.folder / "empty.wav").touch()
        (self.folder / "text.wav").write_text("this is not sound at all, whatever its name says")
        soundfile.write(self.folder / "zero.wav", np.zeros(0, np.float32), 16000)
        soundfile.write(self.folder / "silent.wav", np.zeros(16000, np.float32), 16000)
        soundfile.write(self.folder / "odd.wav", self.samples[:16000], 16000)
        data = bytearray((self.folder / "odd.wav").read_bytes())
        data[32:36] = b"\xa1\x48\xd7\x5b"  # samples of 23,511 bits in blocks of 18,593 bytes
        (self.folder / "odd.wav").write_bytes(data)
        for name, expected in (
            ("empty.wav", "empty"), ("text.wav", "not a sound"), ("zero.wav", "no sound"), ("odd.wav", "not a sound"),
            ("silent.wav", "silent"), ("missing.wav", "no file"), (".", "folder"),
        ):  # fmt: skip
            with self.subTest(name), self.assertRaisesRegex(RecordingError, expected):
                listen(self.folder / name, "hello there")

    def test_a_truncated_file_is_listened_to_as_far_as_it_goes(self) -> None:
        path = self.folder / "cut.wav"
        soundfile.write(path, self.samples, self.rate)
        data = path.read_bytes()
        path.write_bytes(data[: len(data) // 2])
        reading = listen(path, "Bring me the blue")
        self.assertLess(reading.audio.duration, 0.6 * len(self.samples) / self.rate)
