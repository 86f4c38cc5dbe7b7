"""Writing files whole or not at all."""

from __future__ import annotations

import os
import tempfile
from pathlib import Path

from .errors import SaveError


def write_atomic(path: str | Path, data: bytes) -> None:
    """Write `data` to `path` through a temporary file beside it; SaveError if it cannot be done."""
    path = Path(path)
    try:
        handle, temporary = tempfile.mkstemp(prefix=f".{path.name}-", dir=path.parent)
    except OSError as error:
        raise SaveError(f"{path} cannot be written: {reason(error)}.") from None
    try:
        with os.fdopen(handle, "wb") as file:
            file.write(data)
            file.flush()
            os.fsync(file.fileno())
        os.chmod(temporary, 0o644)
        os.replace(temporary, path)
    except OSError as error:
        Path(temporary).unlink(missing_ok=True)
        raise SaveError(f"{path} cannot be written: {reason(error)}.") from None


def reason(error: OSError) -> str:
    """Why an operation on a file failed, in lower case, as the end of a sentence."""
    text = error.strerror or str(error)
    return text[:1].lower() + text[1:]
