"""The journal: what was done since the documents were last written, one checked record a line.

Append-only; each record is flushed before the action counts as done, so that a process killed at
any moment loses nothing. A record torn by the end of the world is left out on reading.
"""

from __future__ import annotations

import os
import zlib
from collections.abc import Iterator
from pathlib import Path

from ..errors import SaveError
from ..files import reason


class Journal:
    """Records of bytes (no line breaks in them) in one file."""

    def __init__(self, path: Path) -> None:
        self.path = path
        self.size = path.stat().st_size if path.exists() else 0

    def append(self, records: list[bytes]) -> None:
        """Add records, all on disk when this returns; SaveError leaves the journal as it was."""
        data = b"".join(b"%08x %s\n" % (zlib.crc32(r), r) for r in records)
        try:
            handle = os.open(self.path, os.O_WRONLY | os.O_CREAT | os.O_APPEND, 0o644)
        except OSError as error:
            raise self._refused(error) from None
        try:
            written = 0
            while written < len(data):
                written += os.write(handle, data[written:])
            os.fsync(handle)
        except OSError as error:
            os.ftruncate(handle, self.size)
            raise self._refused(error) from None
        finally:
            os.close(handle)
        self.size += len(data)

    def _refused(self, error: OSError) -> SaveError:
        return SaveError(
            f"The last change could not be kept in {self.path.parent}: {reason(error)}; "
            "make room there or save a copy elsewhere."
        )

    def clear(self) -> None:
        """Forget all records, once the documents hold what they say."""
        if self.size:
            os.truncate(self.path, 0)
            self.size = 0

    def records(self) -> Iterator[bytes]:
        """Whole records in order; reading stops at the first that is torn."""
        if not self.path.exists():
            return
        for line in self.path.read_bytes().split(b"\n"):
            check, _, record = line.partition(b" ")
            if len(check) != 8 or b"%08x" % zlib.crc32(record) != check:
                return
            yield record
