"""Takes: written as they come, kept whatever happens, mended after a crash, trimmed; microphones that go away."""

from __future__ import annotations

import os
import resource
import signal
import subprocess
import sys
import tempfile
import time
import unittest
from pathlib import Path
from unittest import mock

import numpy as np
import soundfile
import soxr

from glyphos.booth.microphone import (
    BLOCK,
    RATE,
    DeviceMicrophone,
    MicrophoneError,
    StandInMicrophone,
    device_names,
)
from glyphos.booth.recorder import LOWEST, Meter, Recorder
from glyphos.booth.takes import TakeWriter, measured, takes_of, trimmed
from glyphos.errors import RecordingError, SaveError
from tests.patience import until

DATA = Path(__file__).parents[1] / "data"
TONE = (0.5 * np.sin(np.arange(RATE) * 0.1)).astype(np.float32)


class Folder(unittest.TestCase):
    def setUp(self) -> None:
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))

    def until(self, condition) -> None:  # type: ignore[no-untyped-def]
        self.assertTrue(until(condition))


class Writing(Folder):
    def test_what_is_written_is_what_came(self) -> None:
        writer = TakeWriter(self.folder, "line")
        for k in range(0, RATE, 480):
            writer.write(TONE[k : k + 480])
        take = writer.close()
        samples, rate = soundfile.read(take.path, dtype="float32")
        self.assertEqual((rate, len(samples)), (RATE, RATE))
        self.assertLess(np.abs(samples - TONE).max(), 2e-7)  # 24 bits
        self.assertAlmostEqual(take.peak, -6.02, delta=0.01)
        with (
            mock.patch.dict("glyphos.booth.takes._PEAKS", clear=True),
            mock.patch("soundfile.read") as read,
        ):
            (unknown,) = takes_of(self.folder, "line")
            self.assertIsNone(unknown.peak)  # which would take a while of one that lasts hours
            self.assertAlmostEqual(measured(unknown).peak, -6.02, delta=0.01)
            read.assert_not_called()
        self.assertIsNone(TakeWriter(self.folder, "line").close())  # nothing came
        second = TakeWriter(self.folder, "line")
        second.write(TONE)
        self.assertEqual(second.close().number, 2)
        self.assertEqual([t.number for t in takes_of(self.folder, "line")], [1, 2])

    def test_a_take_cut_off_by_kill_9_is_there_again(self) -> None:
        code = (
            "import sys, time; from pathlib import Path; import numpy as np\n"
            "from glyphos.booth.takes import TakeWriter\n"
            f"w = TakeWriter(Path({str(self.folder)!r}), 'line')\n"
            "tone = (0.5 * np.sin(np.arange(480) * 0.1)).astype(np.float32)\n"
            "for k in range(400): w.write(tone); print(k, flush=True); time.sleep(0.004)\n"
        )
        process = subprocess.Popen([sys.executable, "-c", code], stdout=subprocess.PIPE)
        while int(process.stdout.readline()) < 300:
            pass
        os.kill(process.pid, signal.SIGKILL)
        process.wait()
        process.stdout.close()
        (take,) = takes_of(self.folder, "line")
        self.assertGreater(take.seconds, 3.0 - 0.6)  # half a second may be on its way
        self.assertEqual(len(takes_of(self.folder, "line")), 1)

    def test_a_full_disk_ends_the_take_and_keeps_it(self) -> None:
        old = resource.getrlimit(resource.RLIMIT_FSIZE)
        writer = TakeWriter(self.folder, "line")
        try:  # a file can grow no further than that, which the system says as of a full disk
            resource.setrlimit(resource.RLIMIT_FSIZE, (100_001, old[1]))
            for at in range(0, len(TONE), BLOCK):
                writer.write(TONE[at : at + BLOCK])
            self.assertIn("The take ends here: file too large", writer.problem)
            take = writer.close()
        finally:
            resource.setrlimit(resource.RLIMIT_FSIZE, old)
        self.assertEqual(take.seconds, (100_001 - 44) // 3 / RATE)
        kept, rate = soundfile.read(take.path, dtype="float32")
        self.assertEqual((len(kept), rate), (round(take.seconds * RATE), RATE))
        self.assertLess(np.abs(kept - TONE[: len(kept)]).max(), 1e-6)
        with (
            mock.patch(
                "glyphos.booth.takes._header", side_effect=OSError(28, "No space left on device")
            ),
            self.assertRaises(SaveError),
        ):
            TakeWriter(self.folder, "full")
        self.assertEqual(list((self.folder / "takes" / "full").iterdir()), [])
        refused = OSError(30, "Read-only file system")
        with mock.patch("pathlib.Path.mkdir", side_effect=refused), self.assertRaises(SaveError):
            TakeWriter(self.folder, "other")

    def test_silence_is_cut_away_before_and_after(self) -> None:
        writer = TakeWriter(self.folder, "line")
        noise = (1e-4 * np.random.default_rng(1).standard_normal(2 * RATE)).astype(np.float32)
        for part in (noise, TONE, noise):
            writer.write(part)
        take = writer.close()
        self.assertAlmostEqual(trimmed(take.path, self.folder / "cut.wav"), 1.5, delta=0.03)
        whole, cut = (
            soundfile.read(p, dtype="int32")[0] for p in (take.path, self.folder / "cut.wav")
        )
        first = int(np.flatnonzero(whole == cut[0])[0])
        while not np.array_equal(whole[first : first + len(cut)], cut):
            first += 1 + int(np.flatnonzero(whole[first + 1 :] == cut[0])[0])
        self.assertAlmostEqual(first / RATE, 1.75, delta=0.02)
        silent = TakeWriter(self.folder, "silent")
        silent.write(np.zeros(RATE, np.float32))
        with self.assertRaises(RecordingError):
            trimmed(silent.close().path, self.folder / "none.wav")


class Recording(Folder):
    def test_a_file_is_spoken_into_the_stand_in_and_a_count_in_waits(self) -> None:
        microphone = StandInMicrophone(DATA / "slt_hts-001.flac", speed=8)
        recorder = Recorder(microphone)
        recorder.begin(self.folder, "line", count_in=0.5)
        self.assertTrue(recorder.recording)
        self.until(lambda: recorder.seconds > microphone.duration - 0.4)
        self.assertEqual(recorder.counting, 0.0)
        take = recorder.close()
        spoken, _ = soundfile.read(DATA / "slt_hts-001.flac", dtype="float32")
        heard, _ = soundfile.read(take.path, dtype="float32")
        self.assertAlmostEqual(float(np.abs(heard).max()), float(np.abs(spoken).max()), delta=0.05)
        self.assertLess(take.seconds, microphone.duration + 0.5)

    def test_the_stand_in_speaks_once_the_count_in_is_over(self) -> None:
        microphone = StandInMicrophone(DATA / "slt_hts-001.flac", speed=8)
        recorder = Recorder(microphone)
        recorder.listen()  # its level was looked at before
        self.until(lambda: recorder.meter.level > -30)
        spoken, rate = soundfile.read(DATA / "slt_hts-001.flac", dtype="float32")
        said = soxr.resample(spoken, rate, RATE)[4800:RATE]
        for count_in in (0.7, 0.0):
            recorder.begin(self.folder, "line", count_in=count_in)
            self.until(lambda: recorder.seconds > microphone.duration)
            heard, _ = soundfile.read(recorder.end().path, dtype="float32")
            near = (heard[4800 + k : RATE + k] for k in (-BLOCK, 0, BLOCK))  # one was under way
            self.assertGreater(max(np.corrcoef(said, x)[0, 1] for x in near), 0.95)
        recorder.close()

    def test_a_microphone_that_is_unplugged_keeps_what_it_gave(self) -> None:
        recorder = Recorder(StandInMicrophone(DATA / "slt_hts-001.flac", speed=4, lose=1.2))
        recorder.begin(self.folder, "line")
        self.until(lambda: recorder.problem)
        self.assertIn("is gone", recorder.problem)
        take = recorder.close()
        self.assertAlmostEqual(take.seconds, 1.2, delta=0.05)
        again = Recorder(StandInMicrophone(DATA / "slt_hts-001.flac", speed=4))
        again.begin(self.folder, "line")
        self.until(lambda: again.seconds > 0.5)
        self.assertEqual(again.close().number, 2)

    def test_nothing_is_spoken_before_its_file_is_there(self) -> None:
        def slowly(folder: Path, slug: str) -> TakeWriter:
            time.sleep(0.1)
            return TakeWriter(folder, slug)

        microphone = StandInMicrophone(DATA / "slt_hts-001.flac", speed=4, lose=1.2)
        recorder = Recorder(microphone)
        with mock.patch("glyphos.booth.recorder.TakeWriter", slowly):
            recorder.begin(self.folder, "line")
        self.until(lambda: recorder.problem)
        self.assertAlmostEqual(recorder.close().seconds, 1.2, delta=0.05)
        with (
            mock.patch.object(microphone, "start", side_effect=MicrophoneError("None.")),
            self.assertRaises(MicrophoneError),
        ):
            recorder.begin(self.folder, "line")
        self.assertFalse(recorder.recording)
        self.assertEqual(len(takes_of(self.folder, "line")), 1)

    def test_the_meter_holds_its_peak(self) -> None:
        now = [0.0]
        meter = Meter(lambda: now[0])
        self.assertEqual(meter.peak, LOWEST)
        meter.take(TONE[:4800])
        self.assertAlmostEqual(meter.level, -9.03, delta=0.1)  # a sine of half the range
        self.assertAlmostEqual(meter.peak, -6.02, delta=0.05)
        meter.take(np.zeros(480, np.float32))
        now[0] = 1.4
        self.assertAlmostEqual(meter.peak, -6.02, delta=0.05)
        now[0] = 2.5
        self.assertAlmostEqual(meter.peak, -26.02, delta=0.05)
        self.assertFalse(meter.clipped)
        meter.take(np.ones(10, np.float32))
        self.assertTrue(meter.clipped)

    def test_without_a_device_it_says_so(self) -> None:
        self.assertIsInstance(device_names(), list)
        import sounddevice

        refused = sounddevice.PortAudioError("Invalid sample rate")
        with (
            mock.patch("sounddevice.InputStream", side_effect=refused),
            self.assertRaises(MicrophoneError) as caught,
        ):
            DeviceMicrophone().start(lambda _: None, lambda _: None)
        self.assertIn("Invalid sample rate", str(caught.exception))

    def test_a_device_that_opens_and_does_not_start_is_let_go_before_it_is_tried_otherwise(
        self,
    ) -> None:
        import sounddevice

        told: list[str] = []

        class Stream:
            samplerate = 44_100.0

            def __init__(self, *, samplerate: float | None, **_: object) -> None:
                self._refuses = samplerate is not None
                told.append("opened")

            def start(self) -> None:
                if self._refuses:
                    raise sounddevice.PortAudioError("Device unavailable")

            def close(self) -> None:
                told.append("closed")

        with mock.patch("sounddevice.InputStream", Stream):
            microphone = DeviceMicrophone()
            microphone.start(lambda _: None, lambda _: None)
            self.assertEqual(told, ["opened", "closed", "opened"])
            microphone.stop()
        self.assertEqual(told[-1], "closed")

    def test_a_rate_that_the_device_refuses_is_resampled(self) -> None:
        import sounddevice

        given: list[object] = []

        class Stream:
            samplerate = 44_100.0

            def __init__(self, *, samplerate: float | None, callback, **_: object) -> None:  # type: ignore[no-untyped-def]
                if samplerate is not None:
                    raise sounddevice.PortAudioError("Invalid sample rate")
                given.append(callback)

            def start(self) -> None: ...
            def close(self) -> None: ...

        blocks: list[np.ndarray] = []
        with mock.patch("sounddevice.InputStream", Stream):
            microphone = DeviceMicrophone()
            microphone.start(blocks.append, lambda _: None)
            tone = np.sin(2 * np.pi * 6000 * np.arange(44_100) / 44_100).astype(np.float32)
            for k in range(100):
                given[0](tone[441 * k : 441 * (k + 1), None], 441, None, None)
                came = sum(map(len, blocks))
                self.assertLess(0.01 * (k + 1) - came / RATE, 0.001)  # nothing is held back
            microphone.stop()
        heard = np.concatenate(blocks)[2000:40_000]
        wanted = np.exp(2j * np.pi * 6000 * np.arange(len(heard)) / RATE)
        same = 2 * abs((heard * wanted).mean()) ** 2  # power of the tone
        self.assertLess(abs(10 * np.log10(same / (heard**2).mean())), 0.001)  # and nothing else
        self.assertAlmostEqual(sum(map(len, blocks)), RATE, delta=2000)


if __name__ == "__main__":
    unittest.main()
