"""Text that XML can hold."""

from __future__ import annotations

import re

_FORBIDDEN = re.compile(r"[^\t\n\r\x20-\ud7ff\ue000-\ufffd\U00010000-\U0010ffff]")


def xml_text(text: str) -> str:
    """Text without the characters that XML 1.0 cannot hold (2.2): each is shown as one that stands
    for it."""
    return _FORBIDDEN.sub("\ufffd", text)
