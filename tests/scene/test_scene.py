"""Scenes: what may be in one, how one is made of lines, and what faces do in it."""

from __future__ import annotations

import tempfile
import unittest
from fractions import Fraction
from itertools import pairwise
from pathlib import Path

import msgspec
import numpy as np

from glyphos.characters.builtin import SETS, set_path
from glyphos.characters.drawings.reading import read_drawings
from glyphos.errors import DocumentError
from glyphos.files import GONE
from glyphos.handoff.filming import Filming, Look, scene_from
from glyphos.handoff.timing import to_srt
from glyphos.motion.life.event import Liveliness
from glyphos.motion.life.living import live
from glyphos.production.copying import save_copy
from glyphos.production.demo import copy_demo
from glyphos.production.kinds import SCENE, character_key, scene_key
from glyphos.production.production import Production
from glyphos.production.scenes import bed_brought_in, states_of
from glyphos.production.store import Store
from glyphos.scene.acting import MEETS
from glyphos.scene.documents import (
    Clip,
    Lane,
    Move,
    Place,
    Scene,
    Shot,
    Tempo,
    check_scene,
    overlaps,
    scene_length,
)
from glyphos.scene.made import AFTER_A_QUESTION, ANSWER, ON, Spoken, placed, scene_of
from glyphos.scene.said import text_in, words_in
from glyphos.speech.reading import AudioInfo, Reading
from glyphos.speech.script import read_aloud
from glyphos.voice.voice import analyse, silence
from tests.scene.scenes import TWO, demo, filming, lane


class Documents(unittest.TestCase):
    def test_what_cannot_be_is_one_sentence(self) -> None:
        for scene, said in (
            (Scene("s", lanes=(lane(Clip()),)), "neither a line nor a sound"),
            (Scene("s", lanes=(lane(Clip(line="a", audio="b.wav")),)), "or both"),
            (Scene("s", lanes=(lane(Clip(audio="../b.wav")),)), "outside the production"),
            (Scene("s", lanes=(lane(Clip(audio="/b.wav")),)), "outside the production"),
            (Scene("s", lanes=(lane(Clip(start=-1, line="a")),)), "cannot be"),
            (Scene("s", lanes=(lane(Clip(length=float("nan"), line="a")),)), "cannot be"),
            (Scene("s", lanes=(lane(Clip(gain=90, line="a")),)), "cannot be"),
            (Scene("s", lanes=(lane(gain=99.0),)), "dB louder"),
            (Scene("s", places=(Place("A", right=1e9),)), "stands nowhere"),
            (Scene("s", shots=(Shot(0, "from the moon"),)), "there is no view"),
            (Scene("s", shots=(Shot(-2),)), "a shot begins"),
            (Scene("s", tail=-1), "tail"),
            (Scene("s", tempo=Tempo(beats=-3)), "tempo"),
            (Scene("s", background="plaid"), "background"),
        ):
            with self.subTest(said), self.assertRaisesRegex(DocumentError, said):
                check_scene(scene)

    def test_a_scene_is_kept_and_read_as_any_document(self) -> None:
        scene = scene_from([demo().line(s) for s in TWO], slug="two", name="Two")
        self.assertEqual(SCENE.read(SCENE.encode(scene), "two.json"), scene)
        with self.assertRaisesRegex(DocumentError, "damaged"):
            SCENE.read(b'{"format": "glyphos-scene", "version": 1, "slug": 3}', "x.json")
        folder = copy_demo()
        store = Store.open(folder)
        store.keep({scene_key("two"): scene})
        store.settle()
        store.close()
        self.assertIn("Two", [s.name for s in Production.open(folder).scenes])

    def test_lengths_cuts_and_overlaps(self) -> None:
        a, b = Clip(1.0, "a", cut=0.5), Clip(3.4, "b", length=1.0)
        whole = {"a": 3.0, "b": 9.0}
        track = lane(b, a)

        def long(clip: Clip) -> float:
            return whole[clip.line]

        self.assertAlmostEqual(scene_length(Scene("s", lanes=(track,), tail=0.25), long), 4.65)
        self.assertEqual(overlaps(track, long), [(a, b)])
        self.assertEqual(overlaps(lane(a, msgspec.structs.replace(b, start=3.5)), long), [])
        self.assertEqual(Clip(0, "a", cut=5.0).lasts(3.0), 0.0)

    def test_solo_and_mute(self) -> None:
        lanes = (Lane("A"), Lane("B", mute=True), Lane("C", solo=True), Lane("D", solo=True, mute=True))  # fmt: skip
        self.assertEqual([x.name for x in Scene("s", lanes=lanes).heard()], ["C"])
        self.assertEqual([x.name for x in Scene("s", lanes=lanes[:2]).heard()], ["A"])

    def test_something_is_always_seen(self) -> None:
        scene = Scene("s", shots=(Shot(2.0, "side"), Shot(1.0, "mouth", ("A",))))
        self.assertEqual([scene.shot_at(t).view for t in (0, 1, 1.5, 2, 99)], ["front", "mouth", "mouth", "side", "side"])  # fmt: skip

    def test_every_file_that_it_is_made_from_is_known(self) -> None:
        """Of a head its list of poses too, of drawings each; not what ships with the application."""
        production = Production.open(copy_demo())
        pip, drawings = production.character_for("Pip"), read_drawings([set_path(SETS[1])]).drawings
        clips = [Clip(line=slug) for slug in (*TWO, "gone")]
        lanes = (Lane("Pip", clips[:1]), Lane("Mabel", clips[1:]), Lane("bed", (Clip(audio="sounds/wind.wav"),), speaks=False))  # fmt: skip
        scene = Scene(
            "s",
            lanes=(msgspec.structs.replace(lanes[0], moves=(Move("sounds/nod.bvh"),)), *lanes[1:]),
        )
        sounds = {"audio/03-pip-wind.flac", "audio/05-mabel-hush.flac", "sounds/nod.bvh", "sounds/wind.wav"}  # fmt: skip

        def files(**worn: object) -> set[str]:
            character = msgspec.structs.replace(pip, speakers=("Pip",), **worn)
            states = states_of(scene, production.changed({character_key("pip"): character}))
            self.assertEqual([state == GONE for _, state in states], [not Path(p).exists() for p, _ in states])  # fmt: skip
            return {Path(p).relative_to(production.folder).as_posix() for p, _ in states}

        self.assertEqual(files(), sounds)
        self.assertEqual(files(model="heads/a.glb"), sounds | {"heads/a.glb", "heads/a.poses"})
        self.assertEqual(
            files(model="heads/a.glb", poses="b.poses"), sounds | {"heads/a.glb", "heads/b.poses"}
        )
        drawn = files(model="drawn", drawings=drawings) - sounds
        self.assertEqual(
            {Path(p).name for p in drawn}, {p.name for p in set_path(SETS[1]).iterdir()}
        )

    def test_a_copy_takes_scenes_and_their_beds_along(self) -> None:
        production = Production.open(copy_demo())
        bed = bed_brought_in(production.folder, production.audio_path(production.lines[1]))
        scene = Scene("s", "S", (Lane("bed", (Clip(audio=bed),), speaks=False),))
        with_scene = production.changed({scene_key("s"): scene})
        target = save_copy(with_scene, Path(self.enterContext(tempfile.TemporaryDirectory())) / "c")
        self.assertTrue((target / bed).is_file())
        self.assertIn(scene, Production.open(target).scenes)


class Made(unittest.TestCase):
    LINES = (
        Spoken("one", "A", 5.0, 0.5, 4.5, asks=True), Spoken("two", "B", 3.0, 0.2, 2.6),
        Spoken("three", "B", 2.0, 0.1, 1.7), Spoken("four", "A", 2.0, 0.3, 1.5),
    )  # fmt: skip

    def test_gaps_are_counted_between_what_is_said(self) -> None:
        scene = scene_of(self.LINES, slug="s")
        starts = {c.line: c.start for x in scene.lanes for c in x.clips}
        said = [(starts[x.slug] + x.first, starts[x.slug] + x.last) for x in self.LINES]
        gaps = [round(b[0] - a[1], 6) for a, b in pairwise(said)]
        self.assertEqual(gaps, [AFTER_A_QUESTION, ON, ANSWER])
        self.assertEqual(scene.speakers, ("A", "B"))
        check_scene(scene)

    def test_recordings_of_one_speaker_never_overlap(self) -> None:
        long = [Spoken(str(k), "A", 6.0, 2.5, 3.0) for k in range(4)]
        scene = scene_of(long, slug="s")
        self.assertEqual(overlaps(scene.lanes[0], lambda _: 6.0), [])

    def test_all_are_seen_first_and_then_who_speaks(self) -> None:
        scene = scene_of(self.LINES, slug="s")
        self.assertEqual([s.of for s in scene.shots], [("A", "B"), ("A",), ("B",), ("A",)])
        self.assertEqual(scene_of(self.LINES[:1], slug="s").shots, (Shot(0.0, "front", ("A",)),))
        self.assertEqual(scene_of([], slug="s").shots, ())

    def test_more_than_a_scene_may_last_is_said_before_it_is_made(self) -> None:
        hour = [Spoken(f"line-{k}", "Mabel", 3600.0, 0.0, 3600.0) for k in range(8)]
        check_scene(scene_of(hour[:6], slug="six"))
        with self.assertRaisesRegex(DocumentError, "lasts 6 hours at most.* one of 7.0"):
            scene_of(hour, slug="eight")

    def test_speakers_are_turned_to_the_middle(self) -> None:
        left, right = placed(["A", "B"])
        self.assertLess(left.right, right.right)
        self.assertEqual(
            (left.turn, right.turn), (-35.0, 35.0)
        )  # to its own left, to its own right
        three = placed(["A", "B", "C"])
        self.assertEqual((three[1].right, three[1].turn), (0.0, 0.0))
        self.assertGreater(three[1].back, three[0].back)

    def test_a_line_that_was_not_listened_to_is_left_out_or_said(self) -> None:
        self.assertEqual(scene_from(demo().lines).speakers, ("Mabel", "Pip", "Osric"))
        with self.assertRaisesRegex(DocumentError, "listen to them first"):
            scene_from([demo().line("02-osric-door")])


class Read(unittest.TestCase):
    def test_captions_read_what_is_said_and_not_who_says_it_or_how(self) -> None:
        """As captions are made everywhere: directions and names before a colon are not read (common practice,
        no source)."""
        for written, wanted in (
            ("MABEL: Hush. (whispers) Look up.", "Hush. Look up."), ("It is *really* {it bello}.", "It is really bello."),
            ("[door] [he [slowly] turns] Yes.", "Yes."), ("At 10:30, they say: go.", "At 10:30, they say: go."),
            ("(laughs)", "(laughs)"),
        ):  # fmt: skip
            self.assertEqual(read_aloud(written), wanted)
        line = demo().line("03-pip-wind")
        reading = msgspec.structs.replace(
            line.reading,
            phrases=tuple(
                msgspec.structs.replace(p, text=f"PIP: {p.text}") for p in line.reading.phrases
            ),  # type: ignore[union-attr]
        )
        self.assertIn(b"\nProbably the wind, Osric.\n", to_srt(reading))
        self.assertEqual(
            text_in(Clip(line=line.slug), reading, lambda _: line.duration),
            "Probably the wind, Osric.",
        )
        words = words_in(Clip(line=line.slug, cut=1.0), reading, lambda _: line.duration)
        self.assertEqual(
            text_in(Clip(line=line.slug, cut=1.0), reading, lambda _: line.duration),
            " ".join(w.text for w in words),
        )


class Acting(unittest.TestCase):
    made = None

    def setUp(self) -> None:
        if Acting.made is None:
            Acting.made = filming()
        self.filming = Acting.made

    def test_inside_its_clip_a_face_speaks_its_line_to_the_frame(self) -> None:
        for speaker, (said,) in self.filming.said.items():
            face = self.filming.faces[speaker]
            own = said.motion.values[said.cut : said.cut + said.frames]
            shown = face.values[said.first : said.first + said.frames]
            for name in ("jaw_open", "lips_part", "lips_press", "lip_to_teeth", "tongue_tip"):
                a, b = said.motion.names.index(name), face.names.index(name)
                np.testing.assert_allclose(shown[: len(own), b], own[:, a], atol=1e-9, err_msg=name)

    def test_who_listens_lives_and_looks_at_who_speaks(self) -> None:
        pip, mabel = (self.filming.faces[s] for s in ("Pip", "Mabel"))
        (said,) = self.filming.said["Pip"]
        while_pip_speaks = slice(said.first, said.first + said.frames - 12)
        self.assertGreater(float(mabel.channel("blink_left").max()), 0.9)
        # Mabel stands to the right and turns further to her own right, Pip to his own left
        self.assertGreater(float(np.median(mabel.channel("head_yaw")[while_pip_speaks])), 10.0)
        self.assertLess(float(np.median(pip.channel("head_yaw"))), -10.0)
        self.assertLess(float(mabel.channel("jaw_open")[while_pip_speaks].max()), 0.1)  # a breath

    def test_nothing_jumps_where_one_begins_and_ends(self) -> None:
        for speaker, (said,) in self.filming.said.items():
            face = self.filming.faces[speaker]
            for frame in (said.first, said.first + said.frames):
                around = slice(max(0, frame - round(24 * MEETS)), frame + 2)
                yaw = face.channel("head_yaw")[around]
                self.assertLess(float(np.abs(np.diff(yaw)).max(initial=0)), 8.0, speaker)

    def test_silence_is_what_is_heard_in_a_silent_recording(self) -> None:
        seconds = 12.0
        heard = analyse(
            np.zeros(round(16_000 * seconds)), Reading("en", AudioInfo("", seconds, 16_000))
        )
        one, other = (live(v, Liveliness(), "x") for v in (silence(seconds), heard))
        self.assertEqual(one.events, other.events)
        times = np.arange(200) / 24
        for name, values in one.curves(times, 24).items():
            np.testing.assert_allclose(
                values, other.curves(times, 24)[name], atol=1e-9, err_msg=name
            )

    def test_somebody_without_a_name_is_seen_too(self) -> None:
        lines = [msgspec.structs.replace(demo().line("05-mabel-hush"), speaker="")]
        production = demo().changed(demo().put(*lines))
        made = Filming(scene_from(lines), production, Look(Fraction(24)))
        self.assertEqual(len(made.picture(20).columns), 1)

    def test_the_same_scene_is_acted_the_same(self) -> None:
        again = filming()
        for speaker, face in self.filming.faces.items():
            np.testing.assert_array_equal(again.faces[speaker].values, face.values)

    def test_eyes_may_stay_ahead_or_on_the_camera(self) -> None:
        scene = scene_from([demo().line(s) for s in TWO])
        left = scene.place("Pip")
        places = (msgspec.structs.replace(left, looks="ahead"), scene.place("Mabel"))
        ahead = filming(scene=msgspec.structs.replace(scene, places=places))
        silent = slice(self.filming.frames - 12, None)
        self.assertLess(abs(float(ahead.faces["Pip"].channel("head_yaw")[silent].mean())), 6.0)


class Films(unittest.TestCase):
    def test_pictures_show_who_the_shot_says_from_left_to_right(self) -> None:
        made = filming(burnt=True)
        first = made.picture(30)
        self.assertEqual([c.model for c in first.columns], ["pip", "mabel"])  # type: ignore[union-attr]
        self.assertEqual([round(c.camera[0]) for c in first.columns], [-35, 35])  # type: ignore[union-attr]
        last = made.picture(made.frames - 1)
        self.assertEqual([c.model for c in last.columns], ["mabel"])  # type: ignore[union-attr]
        self.assertIn("wind", first.caption)

    def test_a_character_of_drawings_shows_what_its_exposures_say(self) -> None:
        made = filming("04-osric-boots")
        columns = [made.picture(k).columns[0] for k in range(made.frames)]
        shown = {c.mouth.name for c in columns}  # type: ignore[union-attr]
        self.assertGreater(len(shown), 4)
        self.assertEqual(columns[-1].mouth.name, columns[0].mouth.name)  # type: ignore[union-attr]

    def test_captions_stand_in_the_time_of_the_scene(self) -> None:
        made = filming()
        starts = [p.start for p in made.captions.phrases]
        clip = made.clips("Mabel")[0]
        own = demo().line("05-mabel-hush").reading
        assert own is not None
        self.assertEqual(starts, sorted(starts))
        self.assertTrue(any(abs(s - clip.start - own.phrases[0].start) < 1e-9 for s in starts))
        self.assertEqual([s for _, s, _ in made.script()], ["Pip", "Mabel"])

    def test_faults_of_a_scene_are_said(self) -> None:
        gone = Scene("s", lanes=(lane(Clip(line="nobody")),))
        with self.assertRaisesRegex(DocumentError, "not in the production"):
            filming(scene=gone)
        twice = Scene("s", lanes=(lane(Clip(line=TWO[0]), Clip(1.0, TWO[1])),))
        with self.assertRaisesRegex(DocumentError, "heard at once at 1.00 s"):
            filming(scene=twice)

    def test_stems_are_the_parts_of_the_mix(self) -> None:
        made = filming()
        whole = sum(made.stem(x.name) for x in made.scene.lanes)
        np.testing.assert_allclose(made.sound(), whole, atol=1e-6)
        self.assertEqual(len(made.sound()), made.frames * 2000)


if __name__ == "__main__":
    unittest.main()
