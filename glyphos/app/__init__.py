"""The window: all that knows Qt."""

import PySide6.QtCore  # noqa: F401

ASKED = "_mod_uses_pyside"


def _read_no_sources() -> None:
    """Qt's binding reads the source of every module imported after it, to learn whether its functions may go by other
    names there. Nobody here asks for that, and the reading is an eighth of a start."""
    from shibokensupport import feature  # type: ignore[import-not-found]

    if hasattr(feature, ASKED):  # another version may do something else
        setattr(feature, ASKED, lambda module: False)


_read_no_sources()
