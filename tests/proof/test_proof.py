"""Faults that are planted in good lines are found, each by its own check, and good lines have none."""

from __future__ import annotations

import json
import tempfile
import unittest
from dataclasses import replace
from fractions import Fraction
from functools import cache
from pathlib import Path
from unittest import mock

import msgspec
import numpy as np
import soundfile

from glyphos.batch.proofs import proof_many
from glyphos.characters.drawings.exposures import Exposure
from glyphos.characters.dressing import Dress
from glyphos.characters.fittings import Fitting
from glyphos.errors import Cancelled
from glyphos.motion.curve import Motion
from glyphos.motion.mood import MoodSpan
from glyphos.production.demo import copy_demo
from glyphos.production.documents import Character, Line, Recorded
from glyphos.production.performed import motion_of
from glyphos.production.production import Production
from glyphos.proof.finding import CHECKS, Finding, gravest
from glyphos.proof.proofing import proofed
from glyphos.proof.subject import Subject
from glyphos.speech.listen import listen
from tests.scene.scenes import demo
from tests.shell import invoke
from tests.speech.test_held import called

FPS = Fraction(24)
GOOD = ("01-mabel-beam", "03-pip-wind", "04-osric-boots", "05-mabel-hush")


@cache
def motion(slug: str) -> Motion:
    line = demo().line(slug)
    return motion_of(line, demo().audio_path(line), FPS, demo().folder)


def with_curves(slug: str, **curves: np.ndarray | float) -> Motion:
    """The motion of a line with other curves."""
    own = motion(slug)
    values = own.values.copy()
    for name, curve in curves.items():
        values[:, own.names.index(name)] = curve
    return replace(own, values=values)


def line_with(slug: str, **values: object) -> Line:
    return msgspec.structs.replace(demo().line(slug), **values)


def with_words(line: Line, change) -> Line:  # type: ignore[no-untyped-def]
    """A line whose words are others. change(number, word): another word, or None."""
    assert line.reading is not None
    number, phrases = 0, []
    for phrase in line.reading.phrases:
        words = []
        for word in phrase.words:
            if (made := change(number, word)) is not None:
                words.append(made)
            number += 1
        if words:
            phrases.append(msgspec.structs.replace(phrase, words=tuple(words)))
    return msgspec.structs.replace(
        line, reading=msgspec.structs.replace(line.reading, phrases=tuple(phrases))
    )


OF_LIFE = frozenset(("no-blink", "even-blinks", "frozen", "looks-away"))


class Found(unittest.TestCase):
    def find(self, line: Line, given: Motion | None = None, production: Production | None = None, only: frozenset[str] | None = None) -> dict[str, list[Finding]]:  # fmt: skip
        made: dict[str, list[Finding]] = {}
        for finding in proofed(line, production or demo(), FPS, motion=given, only=only):
            sent = msgspec.msgpack.encode(finding)  # as a batch does it
            self.assertEqual(msgspec.msgpack.decode(sent, type=Finding), finding)
            made.setdefault(finding.check, []).append(finding)
        return made

    def test_good_lines_have_nothing(self) -> None:
        """At most three false findings a minute are allowed; the demo's four lines are 25 s."""
        for slug in GOOD:
            self.assertEqual(self.find(demo().line(slug)), {}, slug)

    def test_every_check_says_where_its_limits_come_from(self) -> None:
        self.assertGreaterEqual(len(CHECKS), 20)
        for check in CHECKS.values():
            self.assertTrue(check.about and check.source, check.name)

    def test_findings_are_plain_whatever_kind_of_number_was_measured(self) -> None:
        def measured(_: Subject):  # type: ignore[no-untyped-def]
            yield "note", "Measured.", np.float32(0.12345), np.float64(0.5), np.int64(3)

        odd = replace(CHECKS["doubtful-word"], name="odd", run=measured)
        with mock.patch.dict(CHECKS, {"odd": odd}):
            (one,) = self.find(demo().line(GOOD[0]))["odd"]
        self.assertEqual((one.start, one.end, one.value), (0.123, 0.5, 3.0))

    # ---- hearing ------------------------------------------------------------------------------

    def test_words_that_are_doubtful_missing_or_over_silence(self) -> None:
        line = demo().line("04-osric-boots")
        doubtful = with_words(
            line, lambda k, w: msgspec.structs.replace(w, confidence=0.1) if k == 2 else w
        )
        (one,) = self.find(doubtful)["doubtful-word"]
        self.assertIn("is doubtful", one.text)
        gone = with_words(line, lambda k, w: w if k < 9 else None)  # the second phrase
        (one,) = self.find(gone)["uncovered-speech"][:1]
        self.assertGreater(one.value, 0.3)
        self.assertGreater(one.start, 2.5)

        def moved(k: int, word):  # type: ignore[no-untyped-def]
            if k:
                return word
            phones = tuple(
                msgspec.structs.replace(p, start=0.02 + 0.05 * j, end=0.07 + 0.05 * j) for j, p in enumerate(word.phones)
            )  # fmt: skip
            return msgspec.structs.replace(word, start=0.02, end=phones[-1].end, phones=phones)

        self.assertIn("word-over-silence", self.find(with_words(line, moved)))

    def test_sounds_of_an_odd_length(self) -> None:
        line = demo().line("03-pip-wind")

        def long(k: int, word):  # type: ignore[no-untyped-def]
            if k != 3:
                return word
            phones = list(word.phones)
            phones[-1] = msgspec.structs.replace(phones[-1], end=phones[-1].start + 0.7)
            return msgspec.structs.replace(word, end=phones[-1].end, phones=tuple(phones))

        self.assertIn("odd-length", self.find(with_words(line, long)))

    def test_a_sound_that_is_drawn_out_is_not_odd(self) -> None:
        folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        path, _ = called(folder, "flite_awb", 1.2)
        for script in ("Blue map", "Bluuuue map"):
            reading = listen(path, script)
            self.assertGreater(max(p.end - p.start for p in reading.phones()), 1.1)
            line = Line("blue", str(path), script=script, reading=reading)
            subject = Subject(line, path, folder, FPS)
            self.assertEqual(list(CHECKS["odd-length"].run(subject)), [])

    def test_a_script_that_says_something_else(self) -> None:
        (one,) = self.find(line_with("03-pip-wind", script="Probably the rain, Osric."))[
            "script-disagrees"
        ]
        self.assertIn("“rain” where “wind”", one.text)

    def test_recordings_that_are_cut_poor_or_away(self) -> None:
        folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        production = Production.open(copy_demo(folder / "p.glyphos"))
        line = production.line("04-osric-boots")
        path = production.audio_path(line)
        samples, rate = soundfile.read(path, dtype="float32")
        assert line.reading is not None
        vowel = line.reading.phrases[-1].words[-1].phones[-1]  # of “me”
        end = (vowel.start + vowel.end) / 2
        soundfile.write(path, samples[: round(end * rate)], rate)

        def shorter(k: int, word):  # type: ignore[no-untyped-def]
            if word.phones[-1] != vowel:
                return word
            phones = (*word.phones[:-1], msgspec.structs.replace(vowel, end=end))
            return msgspec.structs.replace(word, end=end, phones=phones)

        cut = with_words(line, shorter)
        info = msgspec.structs.replace(line.reading.audio, duration=end)
        cut = msgspec.structs.replace(cut, reading=msgspec.structs.replace(cut.reading, audio=info))
        self.assertIn(
            "ends within a word", self.find(cut, production=production)["cut-off"][0].text
        )
        noise = 0.3 * np.random.default_rng(1).standard_normal(len(samples))
        soundfile.write(path, np.clip(samples + noise, -1, 1), rate)
        self.assertIn("recording", self.find(line, production=production))
        self.assertIn(
            "recording", self.find(demo().line("06-osric-poor"))
        )  # not listened to, either
        path.unlink()
        found = self.find(line, production=production)
        self.assertEqual(found["missing-recording"][0].severity, "bad")
        self.assertIn("not-listened", self.find(demo().line("02-osric-door")))
        away = line_with("03-pip-wind", recorded=(Recorded("layers/none.csv"),))
        self.assertIn("missing-layer", self.find(away, motion("03-pip-wind")))

    # ---- mouth --------------------------------------------------------------------------------

    def test_mouths_that_stand_still_stay_shut_or_stay_open(self) -> None:
        slug = "04-osric-boots"
        line, own = demo().line(slug), motion(slug)
        still = replace(own, values=np.tile(own.values[:1], (own.frames, 1)))
        found = self.find(line, still)
        self.assertIn("still-mouth", found)
        self.assertIn("shut-vowel", self.find(line, with_curves(slug, lips_part=0.0)))
        self.assertIn("open-in-silence", self.find(demo().line("01-mabel-beam"), with_curves("01-mabel-beam", lips_part=0.5)))  # fmt: skip
        open_lips = np.maximum(own.channel("lips_part"), 0.12)
        self.assertIn("unseen-closure", self.find(demo().line("03-pip-wind"), with_curves("03-pip-wind", lips_part=np.maximum(motion("03-pip-wind").channel("lips_part"), 0.12))))  # fmt: skip
        shaken = np.clip(open_lips + 0.08 * (-1) ** np.arange(own.frames), 0, 1)
        self.assertIn("jitter", self.find(line, with_curves(slug, lips_part=shaken)))

    def test_motion_that_is_short_late_or_early(self) -> None:
        slug = "01-mabel-beam"
        line, own = demo().line(slug), motion(slug)
        short = replace(own, values=own.values[:-24])
        self.assertLess(self.find(line, short)["length"][0].value, -0.9)
        for frames, word in ((4, "late"), (-7, "early")):
            moved = replace(own, values=np.roll(own.values, frames, axis=0))
            (one,) = self.find(line, moved)["late"]
            self.assertIn(word, one.text)
            self.assertAlmostEqual(one.value, frames / 24, delta=0.06)

    # ---- life ---------------------------------------------------------------------------------

    def test_faces_that_are_dead_or_tick_like_a_clock(self) -> None:
        slug = "07-mabel-night-log"
        line, own = demo().line(slug), motion(slug)

        def find(**curves: np.ndarray | float) -> dict[str, list[Finding]]:
            """In two minutes, which is why the recording is not looked through each time."""
            return self.find(line, with_curves(slug, **curves), only=OF_LIFE)

        self.assertEqual(find(), {})
        self.assertIn("no-blink", find(blink_left=0.0, blink_right=0.0))
        ticks = ((np.arange(own.frames) % 72) < 4).astype(float)
        self.assertIn("even-blinks", find(blink_left=ticks, blink_right=ticks))
        still = find(head_yaw=0.0, head_pitch=1.0, head_roll=0.0)
        self.assertIn("head does not move", still["frozen"][0].text)
        aside = np.where((np.arange(own.frames) > 100) & (np.arange(own.frames) < 300), 25.0, 0.0)
        self.assertAlmostEqual(find(gaze_yaw=aside)["looks-away"][0].value, 8.3, delta=0.2)

    def test_moods_that_overlap_and_touches_that_are_lost(self) -> None:
        two = (MoodSpan("joy", 0.2, 2.0, 0.9), MoodSpan("sadness", 0.4, 2.2, 0.9))
        self.assertIn("moods-overlap", self.find(line_with("03-pip-wind", moods=two)))

    # ---- character ----------------------------------------------------------------------------

    def wearing(self, slug: str, **values: object) -> Subject:
        """A line on a head whose curves are made up."""
        line = demo().line(slug)
        subject = Subject(line, demo().audio_path(line), demo().folder, FPS, motion(slug))
        frames = motion(slug).frames
        plain = {
            "channels": ("A", "B"),
            "ranges": ((0.0, 1.0), (0.0, 100.0)),
            "values": np.zeros((frames, 2)),
        }
        subject.__dict__["dress"] = Dress(FPS, **(plain | values))  # type: ignore[arg-type]
        return subject

    def names(self, check: str, subject: Subject) -> list[str]:
        return [text for _, text, *_ in CHECKS[check].run(subject)]

    def test_what_a_head_cannot_show(self) -> None:
        slug = "03-pip-wind"
        frames = motion(slug).frames
        part = self.wearing(slug, alike={"lips_round": 0.4, "lips_wide": 0.95})
        self.assertEqual(
            self.names("gesture-missing", part),
            ["Lips round is shown only in part (0.40); look at its fitting."],
        )
        gap, shut = np.zeros(frames), np.zeros(frames)
        shut[30:34], gap[31:33], gap[50] = 1.0, 0.04, 0.5
        (told,) = self.names("closure-gap", self.wearing(slug, gap=gap, shut=shut))
        self.assertIn("4% of the mouth apart", told)
        values = np.zeros((frames, 2))
        values[: frames // 10, 1] = 100.0
        (told,) = self.names("at-its-limit", self.wearing(slug, values=values))
        self.assertIn("The head's B is at its limit", told)
        for check in ("gesture-missing", "closure-gap", "at-its-limit"):
            self.assertEqual(self.names(check, self.wearing(slug)), [])

    def test_heads_of_ones_own_are_worn_and_drawings_that_flicker_seen(self) -> None:
        line = demo().line("04-osric-boots")  # drawn in the demo
        who = demo().character_for("Osric")
        subject = Subject(line, demo().audio_path(line), demo().folder, FPS, motion(line.slug), who)
        self.assertIsNone(subject.dress)
        self.assertEqual(self.names("drawings-flicker", subject), [])
        sheet = subject.sheet
        assert sheet is not None
        ones = [Exposure(k % 2, k, 1) for k in range(8)]
        subject.__dict__["sheet"] = replace(
            sheet, mouths=[*ones, replace(sheet.mouths[-1], first=8)]
        )
        self.assertIn("8 changes in as many frames", self.names("drawings-flicker", subject)[0])
        weaker = msgspec.structs.replace(Fitting(), strength={"jaw_open": 0.5})
        model = demo().model_path(demo().character_for("Mabel"))
        given = Character("m", "M", "mabel", fitting=weaker)
        other = Subject(demo().line("05-mabel-hush"), demo().audio_path(demo().line("05-mabel-hush")), demo().folder, FPS, motion("05-mabel-hush"), given, model)  # fmt: skip
        self.assertIsNotNone(other.dress)

    def test_the_worst_is_told(self) -> None:
        bad = Finding("a", "mouth", "bad", "x")
        self.assertEqual(gravest([Finding("b", "mouth", "note", "y"), bad]), "bad")
        self.assertIsNone(gravest([]))


class Many(unittest.TestCase):
    def test_processes_find_what_is_found_here(self) -> None:
        lines = [demo().line(s) for s in (*GOOD, "02-osric-door", "06-osric-poor")]
        told: list[float] = []
        several = proof_many(demo(), lines, FPS, workers=2, progress=told.append)
        alone = proof_many(demo(), lines, FPS, workers=1)
        self.assertEqual(several, alone)
        self.assertEqual(list(several), [x.slug for x in lines])
        self.assertEqual(told[-1], 1.0)

        def enough(_: float) -> None:
            raise Cancelled("Stopped.")

        with self.assertRaises(Cancelled):
            proof_many(demo(), lines, FPS, workers=2, progress=enough)


class Shell(unittest.TestCase):
    def run_it(self, *words: object, code: int = 0) -> str:
        ran = invoke(["proof", *map(str, words)])
        self.assertEqual(ran.exit_code, code, ran.output)
        return str(ran.output) + str(ran.exception or "")

    def test_for_pipelines(self) -> None:
        folder = demo().folder
        told = self.run_it(
            folder, "--line", "02-osric-door", "--line", "03-pip-wind", "--fail-on", "bad"
        )
        self.assertIn("has not been listened to", told)
        self.assertIn("1 finding in 2 lines", told)
        self.run_it(folder, "--line", "02-osric-door", "--fail-on", "poor", code=1)
        out = Path(self.enterContext(tempfile.TemporaryDirectory())) / "found.json"
        self.run_it(folder, "--line", "02-osric-door", "--json", "-o", out)
        self.assertEqual(json.loads(out.read_text())[0]["check"], "not-listened")
        self.assertIn("ITU-R BT.1359", self.run_it(folder, "--checks"))
        self.run_it(folder, "--fail-on", "everything", code=2)
        self.assertIn("There is no line", self.run_it(folder, "--line", "nobody", code=1))


if __name__ == "__main__":
    unittest.main()
