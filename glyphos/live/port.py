"""The UDP port on which a tracker is listened to, unless another is chosen."""

from __future__ import annotations

from ..files import reason

PORT = 9140


def why_not(error: OSError | OverflowError) -> str:
    """Why a port cannot be used."""
    return reason(error) if isinstance(error, OSError) else "no such port"
