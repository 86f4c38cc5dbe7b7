"""The journal: what was done since the documents were last written, one checked record a line.

Append-only; each record is flushed before the action counts as done, so that a process killed at
any moment loses nothing. A record torn by the end of the world is cut off before anything is added
behind it.
"""

from __future__ import annotations

import zlib
from collections.abc import Iterator
from pathlib import Path

from ..errors import SaveError
from ..files import DISK, Disk, reason


class Journal:
    """Records of bytes (no line breaks in them) in one file."""

    def __init__(self, path: Path, disk: Disk = DISK) -> None:
        self.path = path
        self._disk = disk
        self._ended = True
        self._whole = -1  # bytes that hold whole records; −1: not looked at yet
        self.size = path.stat().st_size if path.exists() else 0

    def append(self, records: list[bytes]) -> None:
        """Add records, all on disk when this returns; SaveError leaves the journal as it was."""
        data = b"".join(b"%08x %s\n" % (zlib.crc32(r), r) for r in records)
        try:
            self._cut_torn_end()
            data = data if self._ended else b"\n" + data
            self._disk.append(self.path, data, self.size)
        except OSError as error:
            raise SaveError(
                f"The last change could not be kept in {self.path.parent}: {reason(error)}; "
                "make room there or save a copy elsewhere."
            ) from None
        self.size += len(data)
        self._whole, self._ended = self.size, True

    def _cut_torn_end(self) -> None:
        if self._whole < 0:
            for _ in self.records():
                pass
        actual = self.path.stat().st_size if self.path.exists() else 0
        if actual > self._whole:  # torn before it was opened, or by a write that failed
            self._disk.cut(self.path, self._whole)
        self.size = self._whole

    def clear(self) -> None:
        """Forget all records, once the documents hold what they say."""
        if self.path.exists() and self.path.stat().st_size:
            self._disk.cut(self.path, 0)
        self.size, self._whole, self._ended = 0, 0, True

    def records(self) -> Iterator[bytes]:
        """Whole records in order; reading stops at the first that is torn."""
        whole = 0
        data = self._disk.read(self.path) if self.path.exists() else b""
        for line in data.split(b"\n"):
            check, _, record = line.partition(b" ")
            if len(check) != 8 or b"%08x" % zlib.crc32(record) != check:
                break
            whole += len(line) + 1
            yield record
        self._ended = whole <= len(data)  # else only the last line break is missing
        self._whole = min(whole, len(data))
