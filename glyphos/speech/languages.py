"""Language codes, in every way people write them: `en`, `en-us`, `en_US`."""

from __future__ import annotations


def normal(code: str) -> str:
    """A code in lower case with hyphens."""
    return code.strip().lower().replace("_", "-")


def base(code: str) -> str:
    """The language itself, without a country: `en` of `en_US`."""
    return normal(code).split("-")[0]


def english(code: str) -> bool:
    """Whether it is a kind of English."""
    return base(code) == "en"
