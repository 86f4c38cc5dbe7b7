"""The rest of the face: statistics of talk, reasons, the same bits each time; moods that keep promises."""

from __future__ import annotations

import json
import subprocess
import sys
import tempfile
import unittest
from functools import cache
from pathlib import Path

import msgspec
import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from glyphos.characters.channels import face_channels
from glyphos.characters.recorded import open_layer, read_layer
from glyphos.errors import DocumentError, GlyphosError
from glyphos.motion import gestures
from glyphos.motion.delivery import Delivery
from glyphos.motion.layers import Layer, compose
from glyphos.motion.life.event import Liveliness
from glyphos.motion.life.living import Life, live
from glyphos.motion.mood import MoodSpan, check_moods, moods
from glyphos.motion.perform import perform
from glyphos.motion.placed import in_the_face
from glyphos.motion.regions import REGIONS, region_of
from glyphos.speech.reading import encode
from tests.examples import examples
from tests.shell import invoke
from tests.voice.test_voice import line, voice

PLAIN = Delivery()


@cache
def lives(count: int = 40) -> list[Life]:
    """The demo's first line under many seeds: some eight minutes of talk."""
    return [live(voice(0), Liveliness(seed=k), "a line") for k in range(count)]


def events(part: str) -> list:  # type: ignore[type-arg]
    return [e for one in lives() for e in one.events if e.part == part]


class Blinks(unittest.TestCase):
    """Bentivoglio et al. 1997: 26 a minute in talk; Evinger et al. 1991: how they move."""

    def test_their_number_their_places_and_their_chance(self) -> None:
        minutes = sum(x.voice.duration for x in lives()) / 60
        self.assertTrue(
            20 <= len(events("blinks")) / minutes <= 30, len(events("blinks")) / minutes
        )
        gaps = np.concatenate(
            [np.diff([e.peak for e in x.events if e.part == "blinks"]) for x in lives()]
        )
        self.assertTrue(0.4 <= gaps.std() / gaps.mean() <= 1.0)
        v = voice(0)
        near = [
            any(abs(e.peak - b.time) < 0.15 for b in v.boundaries) or any(a - 0.15 < e.peak < b + 0.15 for a, b in v.pauses)
            or e.peak < v.words[0].start or e.peak > v.words[-1].end for e in events("blinks")
        ]  # fmt: skip
        self.assertGreater(np.mean(near), 0.6)
        for e in events("blinks"):
            for a in v.accents:
                self.assertFalse(a.vowel[0] <= e.peak <= a.vowel[1], (e, a.word))
            self.assertTrue(0.07 <= e.peak - e.start <= 0.105)

    def test_every_whole_blink_is_seen_shut_at_every_rate(self) -> None:
        life = lives()[0]
        whole = [e for e in life.events if e.kind == "full"]
        for fps in (12, 24, 25, 30, 60):
            motion = compose(perform(line(0)[1], fps=fps), line(0)[1], PLAIN, life=life)
            shut = motion.channel("blink_left")
            for e in whole:
                at = round(e.peak * fps)
                if at + 1 < motion.frames:
                    self.assertGreater(shut[max(0, at - 1) : at + 2].max(), 0.9, (fps, e))

    def test_listening_and_reading_blink_less(self) -> None:
        counts = {
            state: sum(
                e.part == "blinks" for k in range(30) for e in live(voice(0), Liveliness(seed=k, state=state), "x").events
            ) for state in ("talk", "listen", "read")
        }  # fmt: skip
        self.assertTrue(counts["talk"] > counts["listen"] > counts["read"])


class Others(unittest.TestCase):
    def test_brows_are_raised_on_a_third_of_the_accents_just_before_them(self) -> None:
        raised = [e for e in events("brows") if "accent" in e.reason]
        self.assertTrue(0.20 <= len(raised) / sum(len(x.voice.accents) for x in lives()) <= 0.45)
        before = [min((a.start - e.start for a in voice(0).accents), key=abs) for e in raised]
        self.assertAlmostEqual(float(np.mean(before)), 0.06, delta=0.01)

    def test_the_head_moves_as_heads_do_in_talk(self) -> None:
        deviation, steps, together = [], [], []
        for life in lives()[:12]:
            motion = compose(perform(line(0)[1], fps=60), line(0)[1], PLAIN, life=life)
            axes = np.stack([motion.channel(f"head_{a}") for a in ("yaw", "pitch", "roll")])
            deviation.append(np.sqrt((axes.std(1) ** 2).sum()))
            steps.append(np.abs(np.diff(axes, axis=1)).max() * 60)
            v = life.voice
            slow = np.interp(
                np.arange(motion.frames) / 60, v.times, v.follow(v.semitones, 1.1) * 1.0
            )
            together.append(np.corrcoef(slow, axes[1])[0, 1])
        self.assertTrue(1.5 <= np.mean(deviation) <= 4.5, np.mean(deviation))
        self.assertLess(max(steps), 300)
        self.assertTrue(0.2 <= np.mean(together) <= 0.8, np.mean(together))

    def test_saccades_are_as_long_as_they_are_wide(self) -> None:
        """Main sequence: 20 to 25 ms and 2.4 ms a degree; mostly under 15 degrees (Lee et al. 2002)."""
        shifts = [s for x in lives() for s in x.gaze.saccades]
        wide = np.array([np.hypot(s.end[0] - s.start[0], s.end[1] - s.start[1]) for s in shifts])
        np.testing.assert_allclose([s.seconds for s in shifts], 0.022 + 0.0024 * wide)
        self.assertGreater((wide < 15).mean(), 0.9)

    def test_eyes_stay_where_they_look_while_the_head_turns(self) -> None:
        motion = compose(perform(line(0)[1], fps=60), line(0)[1], PLAIN, life=lives()[0])
        still = compose(
            perform(line(0)[1], fps=60),
            line(0)[1],
            PLAIN,
            life=live(voice(0), Liveliness(head=0.0), "a line"),
        )
        for axis in ("yaw", "pitch"):
            world = motion.channel(f"gaze_{axis}") + motion.channel(f"head_{axis}")
            np.testing.assert_allclose(world, still.channel(f"gaze_{axis}"), atol=1e-9)

    def test_every_event_has_its_reason(self) -> None:
        for part in ("blinks", "gaze", "brows", "head", "face"):
            self.assertTrue(events(part), part)
            for e in events(part):
                self.assertRegex(e.reason, r"^(blink|gaze|brow|head|breath): ")
                self.assertTrue(e.start <= e.peak <= e.end)

    def test_without_words_there_is_life_too(self) -> None:
        from glyphos.voice.voice import analyse

        bare = msgspec.structs.replace(line(0)[1], phrases=())
        life = live(analyse(line(0)[0], bare), None, "x")
        self.assertTrue({"blinks", "gaze"} <= {e.part for e in life.events})
        motion = compose(perform(bare, fps=24), bare, PLAIN, life=life)
        self.assertTrue(motion.channel("head_pitch").any())


class TheSame(unittest.TestCase):
    def test_a_part_that_is_off_changes_no_other(self) -> None:
        whole = live(voice(0), Liveliness(), "x")
        without = live(voice(0), Liveliness(brows=0.0, face=0.0), "x")
        for part in ("blinks", "gaze"):
            self.assertEqual(
                [e for e in whole.events if e.part == part],
                [e for e in without.events if e.part == part],
            )
        self.assertFalse([e for e in without.events if e.part in ("brows", "face")])

    def test_another_seed_draws_another_and_the_same_the_same(self) -> None:
        a, b, c = (live(voice(0), Liveliness(seed=s), "x").events for s in (1, 1, 2))
        self.assertEqual(a, b)
        self.assertNotEqual(a, c)

    def test_the_same_bits_in_a_process_of_its_own(self) -> None:
        folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        (folder / "line.json").write_bytes(encode(line(2)[1]))
        made = []
        for k in range(2):
            out = folder / f"{k}.csv"
            args = [
                "perform",
                str(folder / "line.json"),
                "--life",
                "1",
                "--seed",
                "4",
                "-o",
                str(out),
            ]
            if k:
                subprocess.run(
                    [sys.executable, "-m", "glyphos", *args], check=True, capture_output=True
                )
            else:
                self.assertEqual(invoke(args).exit_code, 0)
            made.append(out.read_bytes())
        self.assertEqual(*made)


class Moods(unittest.TestCase):
    def test_the_action_units_are_those_that_the_table_names(self) -> None:
        """FACS (Ekman, Friesen & Hager 2002): every channel of a pose belongs to one of its units, but
        where a unit stands for lips that open (26) or lids that droop (43)."""
        for mood in moods().values():
            units = set(mood.units.split("+"))
            for channel in mood.pose:
                au = face_channels()[channel].au
                if au and au not in ("45", "10", "17") and mood.name not in ("joy", "tired"):
                    self.assertIn(au, units | {"7"}, (mood.name, channel))

    @given(
        st.lists(st.tuples(st.sampled_from(sorted(moods())), st.floats(0, 8), st.floats(0.5, 8)), min_size=1, max_size=4),
        st.sampled_from([12, 24, 25, 30, 60]), st.booleans(), st.floats(0.3, 1.8),
    )  # fmt: skip
    @examples(40)
    def test_speech_keeps_its_promises_under_every_mood(
        self, spans: list[tuple[str, float, float]], fps: int, lively: bool, articulation: float
    ) -> None:
        """Lips that met meet, teeth are on the lip, rounding is as it was, spread never meets round."""
        reading, delivery = line(0)[1], Delivery(articulation=articulation)
        speech = perform(reading, delivery, fps=fps)
        chosen = [MoodSpan(m, a, a + d, 1.0, 0.1, 0.1) for m, a, d in spans]
        made = compose(
            speech, reading, delivery, life=lives(40)[3] if lively else None, moods=chosen
        )
        shut = speech.channel("lips_part") <= 1e-6
        for phone in reading.phones():
            if gestures.closes_lips(phone.ipa):
                a, b = (float(in_the_face(t, delivery)) * fps for t in (phone.start, phone.end))
                own = np.arange(max(0, int(np.ceil(a - 0.5))), min(speech.frames, int(b + 0.5) + 1))
                own = own[shut[own]]
                self.assertLess(made.channel("lips_part")[own].max(initial=0.0), 0.02, phone)
        held = speech.channel("lip_to_teeth") >= 0.85
        np.testing.assert_allclose(
            made.channel("lip_to_teeth")[held], speech.channel("lip_to_teeth")[held]
        )
        np.testing.assert_allclose(made.channel("lips_round"), speech.channel("lips_round"))
        both = np.minimum(made.channel("lips_wide"), made.channel("lips_round"))
        own = np.minimum(speech.channel("lips_wide"), speech.channel("lips_round"))
        self.assertLess((both - np.maximum(own, 0.3)).max(), 1e-6)
        for name in made.names:
            channel = face_channels()[name]
            self.assertTrue(
                ((made.channel(name) >= channel.low) & (made.channel(name) <= channel.high)).all(),
                name,
            )

    def test_upper_and_lower_face_have_strengths_of_their_own(self) -> None:
        reading = line(0)[1]
        speech = perform(reading, fps=24)
        spans = (MoodSpan("joy", 0, 100), MoodSpan("sadness", 0, 100))
        upper = compose(speech, reading, PLAIN, moods=spans, lower=0.0)
        self.assertFalse(upper.channel("lip_corner_up_left").any())
        self.assertTrue(upper.channel("brow_inner_raise").any())
        np.testing.assert_allclose(upper.channel("jaw_open"), speech.channel("jaw_open"))

    def test_what_is_no_mood_is_refused(self) -> None:
        for span in (MoodSpan("glad", 0, 1), MoodSpan("joy", 2, 1), MoodSpan("joy", 0, 1, 2.0)):
            self.assertRaises(GlyphosError, check_moods, (span,))

    def test_nothing_laid_on_is_speech_alone(self) -> None:
        speech = perform(line(0)[1], fps=24)
        self.assertIs(compose(speech, line(0)[1], PLAIN), speech)


class Recorded(unittest.TestCase):
    def test_a_table_of_any_names_is_laid_on_and_keeps_promises(self) -> None:
        reading = line(0)[1]
        speech = perform(reading, fps=24)
        rows = ["time,brow_inner_lift,jaw_open,head_yaw,what"] + [
            f"{k / 10},{50 + k % 7},1,{k % 30},x1" for k in range(120)
        ]
        with self.assertRaisesRegex(DocumentError, "no number"):
            read_layer("\n".join(rows).encode(), "a.csv")
        layer, said = read_layer(
            "\r".join(r.replace("x1", "1") for r in rows).encode("utf-16"), "a.csv"
        )
        self.assertIn("not used: what", said)
        self.assertIn("brow_inner_raise", layer.curves)
        made = compose(speech, reading, PLAIN, layers=[layer])
        self.assertGreater(made.channel("brow_inner_raise").max(), 0.4)
        closed = speech.channel("lips_part") <= 1e-6
        phones = [p for p in reading.phones() if gestures.closes_lips(p.ipa)]
        at = [round(float(in_the_face((p.start + p.end) / 2, PLAIN)) * 24) for p in phones]
        self.assertLess(max(made.channel("lips_part")[k] for k in at if closed[k]), 0.02)
        upper = compose(
            speech,
            reading,
            PLAIN,
            layers=[Layer(layer.times, layer.curves, 0.5, frozenset({"brows"}))],
        )
        self.assertNotIn("head_yaw", upper.names)
        self.assertEqual({region_of(n) for n in face_channels()}, set(REGIONS))

    def test_columns_may_be_written_any_way(self) -> None:
        layer, said = read_layer(
            b"Timecode,HeadYaw,jaw-open,Brow Inner Raise\n0,1,1,1\n1,9,0,1", "a.csv"
        )
        self.assertEqual(set(layer.curves), {"head_yaw", "jaw_open", "brow_inner_raise"})
        self.assertEqual(said, [])

    def test_it_is_read_once_until_the_file_is_another(self) -> None:
        path = Path(self.enterContext(tempfile.TemporaryDirectory())) / "a.csv"
        path.write_text("time,jaw_open\n0,0.1\n1,0.1")
        layer = open_layer(path)[0]
        self.assertIs(open_layer(path)[0], layer)
        path.write_text("time,jaw_open\n0,0.25\n1,0.25")
        self.assertEqual(open_layer(path)[0].curves["jaw_open"][0], 0.25)
        path.unlink()
        with self.assertRaisesRegex(DocumentError, "not there"):
            open_layer(path)

    def test_what_is_no_table_is_one_sentence(self) -> None:
        for data, said in (
            (b"", "no curves"), (b"caf\xe9", "UTF-8"), (b"time,jaw_open\n0,1\n0,1", "do not rise"),
            (b"frame,jaw_open\n0,1\n1,1", "no column"), (b"time,qqq\n0,1\n1,1", "None of the columns"),
            (b"time,jaw_open\n0\n1,1", "columns"), (b"time,jaw_open\n0,nan1\n1,1", "no number"),
        ):  # fmt: skip
            with self.assertRaisesRegex(DocumentError, said):
                read_layer(data, "a.csv")


class Shell(unittest.TestCase):
    def test_perform_with_life_moods_and_a_layer(self) -> None:
        folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        (folder / "line.json").write_bytes(encode(line(0)[1]))
        run = invoke
        base = ["perform", str(folder / "line.json")]
        plain = run([*base, "-o", str(folder / "plain.json")])
        self.assertEqual(plain.exit_code, 0)
        self.assertEqual(len(json.loads((folder / "plain.json").read_text())["channels"]), 11)
        made = run(
            [
                *base,
                "--life",
                "1",
                "--mood",
                "joy:0-5:0.5",
                "--head",
                "off",
                "-o",
                str(folder / "all.csv"),
            ],
        )
        self.assertEqual(made.exit_code, 0, made.output)
        header = (folder / "all.csv").read_text().splitlines()[0]
        self.assertIn("lip_corner_up_left", header)
        table = np.genfromtxt(folder / "all.csv", delimiter=",", names=True)
        self.assertEqual(np.abs(table["head_yaw"]).max(), 0)
        again = run([*base, "--layer", str(folder / "all.csv"), "-o", str(folder / "laid.csv")])
        self.assertEqual(again.exit_code, 0, again.output)
        for wrong in (
            ["--life", "3"],
            ["--mood", "glad"],
            ["--mood", "joy:x"],
            ["--head", "x"],
            ["--layer", "none.csv"],
        ):
            self.assertNotEqual(run([*base, *wrong]).exit_code, 0)


if __name__ == "__main__":
    unittest.main()
