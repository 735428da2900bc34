"""Text that comes from outside: names of files, what formats and libraries say."""

from __future__ import annotations


def printable(text: str) -> str:
    """Return text that a terminal shows and does not obey: control characters as \\xNN."""
    return "".join(c if _is_shown(c) else f"\\x{ord(c) & 0xFF:02x}" for c in text)


def _is_shown(char: str) -> bool:
    if char < " ":
        return char in "\n\t"
    return not ("\x7f" <= char <= "\x9f" or "\ud800" <= char <= "\udfff")
