"""Tests. The runner's workers are daemons, which may have no children; ours start processes."""

import gc
from multiprocessing import current_process

current_process()._config["daemon"] = False  # type: ignore[attr-defined]
gc.set_threshold(20_000, 20, 20)  # all that is loaded here is looked through less often
