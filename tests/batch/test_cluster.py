"""A real scheduler and two workers as processes of their own, on loopback."""

from __future__ import annotations

import logging
import os
import signal
import socket
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path
from unittest import mock

import msgspec

from glyphos.batch.cluster import Cluster, ClusterError
from glyphos.batch.recipe import Bounds, Files, Recipe
from glyphos.batch.running import needed_by
from glyphos.batch.task import work
from glyphos.characters.builtin import builtin_path
from glyphos.hands.crew import Limits
from tests.batch.doing import quick
from tests.batch.folders import Jobs
from tests.patience import until

# The program of the cluster library, which ends with a suite that is killed
DASK = """
import sys
from glyphos.processes import end_with
end_with(int(sys.argv.pop(1)))
from dask.cli import run_cli
run_cli()
"""


def free_port() -> int:
    with socket.socket() as found:
        found.bind(("127.0.0.1", 0))
        return int(found.getsockname()[1])


class Clusters(Jobs):
    folder_: tempfile.TemporaryDirectory[str]

    @classmethod
    def setUpClass(cls) -> None:
        cls.folder_ = tempfile.TemporaryDirectory()
        cls.port, cls.processes = free_port(), []
        cls.address = f"tcp://127.0.0.1:{cls.port}"
        cls.start("scheduler", "--host", "127.0.0.1", "--port", str(cls.port), "--no-dashboard")
        cls.start_worker(0)
        cls.wait_for(1)

    @classmethod
    def tearDownClass(cls) -> None:
        for process in cls.processes:
            if process.poll() is None:
                os.killpg(process.pid, signal.SIGKILL)
            process.wait()
        cls.folder_.cleanup()
        super().tearDownClass()

    @classmethod
    def start(cls, what: str, *words: str) -> None:
        """A process of dask, ended with its group at the end."""
        environment = os.environ | {"DASK_DISTRIBUTED__COMM__TIMEOUTS__CONNECT": "60s"}
        cls.processes.append(
            subprocess.Popen(
                [sys.executable, "-c", DASK, str(os.getpid()), what, *words], env=environment, start_new_session=True,
                stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL,
            )
        )  # fmt: skip

    @classmethod
    def start_worker(cls, number: int) -> None:
        place = str(Path(cls.folder_.name) / f"w{number}")
        cls.start("worker", cls.address, "--nthreads", "1", "--no-nanny", "--no-dashboard", "--local-directory", place,
                  "--host", "127.0.0.1", "--name", f"w{number}")  # fmt: skip

    @classmethod
    def wait_for(cls, count: int) -> None:
        from distributed import Client

        def there() -> bool:
            try:
                with Client(cls.address, timeout=5, set_as_default=False) as client:
                    return len(client.scheduler_info(n_workers=-1)["workers"]) >= count
            except OSError:
                return False

        if not until(there, every=0.3):
            raise AssertionError("The cluster does not come up.")

    def cluster(self, doing=quick, limits: Limits | None = None, retries: int = 2) -> Cluster:  # type: ignore[no-untyped-def]
        made = Cluster(self.address, limits or Limits(), retries=retries, doing=doing)
        self.addCleanup(lambda: made.close(now=True))
        return made

    def test_it_gives_bit_for_bit_what_this_machine_gives(self) -> None:
        self.spoken("slt_hts-001", "kal_diphone-001")
        head = self.folder / "mine.glb"
        head.write_bytes(builtin_path("pip").read_bytes())
        recipe = Recipe(characters={"*": str(head)}, hand=Files("csv", "vtt", "glb"))
        self.run_job(recipe, self.engine(1, work, loaded=needed_by(recipe)))
        here, lines = self.files(), [msgspec.json.encode(x) for x in self.made.lines]
        self.target = self.folder / "there"
        run = self.run_job(recipe, self.cluster(work))
        self.assertEqual(set(self.states(run).values()), {"done"})
        self.assertEqual(self.files(), here)
        self.assertEqual([msgspec.json.encode(x) for x in self.made.lines], lines)

    def test_bad_lines_have_their_sentences_there_too(self) -> None:
        self.sounds("a", "bad", "die", "once")
        recipe = Recipe(words_model=str(self.folder), limits=Bounds(retries=1))
        said = {o.line.slug: o.problem for o in self.run_job(recipe, self.cluster()).outcomes}
        self.assertEqual((said["a"], said["once"], said["bad"]), ("", "", "It holds nothing."))
        self.assertIn("ended by signal 9", said["die"])
        self.sounds("hang")
        run = self.run_job(recipe, self.cluster(limits=Limits(seconds=0.5)), resume=True)
        self.assertIn("not done after 0.5 seconds", {o.line.slug: o.problem for o in run.outcomes}["hang"])  # fmt: skip

    def test_y_a_worker_that_is_killed_in_the_middle_of_a_line_loses_none(self) -> None:
        self.sounds(*(f"slow{k}" for k in range(10)))
        self.start_worker(1)
        self.wait_for(2)
        killed = False

        def kill(_: float) -> None:
            nonlocal killed
            if not killed and len(self.heard) >= 2:
                killed = True
                os.killpg(self.processes[1].pid, signal.SIGKILL)

        run = self.run_job(engine=self.cluster(), progress=kill)
        self.assertTrue(killed)
        self.assertEqual(set(self.states(run).values()), {"done"})
        self.assertEqual(len(self.files()), 20)

    def test_what_cannot_be_reached_or_has_another_version_is_said(self) -> None:
        with (
            mock.patch("glyphos.batch.cluster.PATIENCE", 1.0),
            self.assertRaises(ClusterError) as caught,
        ):
            Cluster(f"tcp://127.0.0.1:{free_port()}")
        self.assertIn("cannot be reached", str(caught.exception))
        with (
            mock.patch("glyphos.batch.cluster.__version__", "99"),
            self.assertRaises(ClusterError) as caught,
        ):
            Cluster(self.address)
        self.assertIn("make them the same", str(caught.exception))
        with (
            mock.patch.dict(sys.modules, {"distributed": None}),
            self.assertRaises(ClusterError) as caught,
        ):
            Cluster(self.address)
        self.assertIn("pip install distributed", str(caught.exception))

    def test_z_a_cluster_that_vanishes_keeps_what_is_done(self) -> None:
        self.sounds(*(f"slow{k}" for k in range(12)))

        def vanish(_: float) -> None:
            if len(self.heard) >= 3:
                for process in self.processes:
                    if process.poll() is None:
                        os.killpg(process.pid, signal.SIGKILL)

        engine = self.cluster(retries=0)
        for name in (
            "distributed",
            "distributed.client",
            "distributed.core",
        ):  # or tracebacks go to the shell
            self.assertFalse(logging.getLogger(name).isEnabledFor(logging.ERROR), name)
        with self.assertRaises(ClusterError) as caught:
            self.run_job(engine=engine, progress=vanish)
        self.assertIn("run it again with --resume", str(caught.exception))
        run = self.run_job(resume=True)  # here
        states = list(self.states(run).values())
        self.assertGreaterEqual(states.count("there"), 3)
        self.assertEqual(len(states), 12)
        self.assertNotIn("failed", states)


if __name__ == "__main__":
    unittest.main()
