"""Tests. The runner's workers are daemons, which may have no children; ours start processes."""

from multiprocessing import current_process

current_process()._config["daemon"] = False  # type: ignore[attr-defined]
